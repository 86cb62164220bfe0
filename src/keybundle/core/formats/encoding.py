"""The encoding of a text file, told by its own bytes."""

from __future__ import annotations

import codecs
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message

MOST_BYTES = 8 << 20  # of a file are read
UTF_8, WESTERN = "utf-8", "cp1252"
_MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
_NO_TEXT = frozenset(range(32)) - frozenset(b"\t\n\r\f\x1b\x1a")


def encoding_of(head: bytes) -> str:
    """Return the encoding that the first bytes speak for: their byte order mark, else UTF-8 or Windows 1252.

    Empty where they are no text.
    """
    for mark, name in _MARKS:
        if head.startswith(mark):
            return name
    if not head or not _NO_TEXT.isdisjoint(head):
        return ""
    decoder = codecs.getincrementaldecoder(UTF_8)()
    try:
        decoder.decode(head)
    except UnicodeDecodeError:
        return WESTERN
    return UTF_8


def load_text(path: Path, most_bytes: int) -> str:
    """Return the text of a file, its first ``most_bytes``; what does not fit its encoding is replaced. Raises InputProblem."""
    try:
        with path.open("rb") as file:
            data = file.read(most_bytes)
    except OSError as error:
        said = message("files.cannot-read-check-permissions", name=path.name, strerror=error.strerror)
        raise InputProblem(said) from error
    return data.decode(encoding_of(data) or WESTERN, errors="replace")
