"""Plain text."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.encoding import MOST_BYTES, encoding_of, load_text
from keybundle.core.formats.opened import Opened

TAB = 4


def recognises(head: bytes, name: str) -> bool:
    """Whether it is text at all."""
    return bool(encoding_of(head))


def open(path: Path, name: str) -> Opened:
    """Take it as one piece."""
    return Opened("text/plain", PageKind.TEXT, 1)


def read_lines(path: Path) -> Iterator[str]:
    """Yield its lines, tabs as blanks."""
    for line in load_text(path, MOST_BYTES).splitlines():
        yield line.expandtabs(TAB).rstrip()
