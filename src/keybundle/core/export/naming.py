"""Names for what leaves: made from a document's values, and such that every usual file system takes them.

A name is at most 255 bytes of UTF-8 (POSIX ``NAME_MAX`` on Linux) with its suffix, without the characters and the device
names that Windows reserves (Microsoft, "Naming Files, Paths, and Namespaces").
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping

from keybundle.core.setup.formulas import caption_names, fill_caption

MOST_BYTES = 255
ROOM_FOR_NUMBER = 8
# How files begin that pages come in (ISO 32000, TIFF 6.0, PNG, JFIF, RIFF, BMP, ISO 15444, ISO 23008-12, Netpbm).
BEGINNINGS = (
    (b"%PDF-", ".pdf"), (b"II*\0", ".tif"), (b"MM\0*", ".tif"), (b"\x89PNG", ".png"), (b"\xff\xd8\xff", ".jpg"),
    (b"RIFF", ".webp"), (b"BM", ".bmp"), (b"\0\0\0\x0cjP", ".jp2"), (b"P4", ".pbm"), (b"P5", ".pgm"), (b"P6", ".ppm"),
)  # fmt: skip
BUILT_IN = ("caption", "type", "cabinet", "number", "filed", "counter", "source")
USUAL = "{caption}"
_RESERVED = re.compile(r'[<>:"/\\|?*\x00-\x1f\x7f]')
_DEVICES = frozenset(
    ("CON", "PRN", "AUX", "NUL", *(f"COM{i}" for i in range(1, 10)), *(f"LPT{i}" for i in range(1, 10)))
)


def safe_name(text: str, suffix: str = "") -> str:
    """Return a file name for a text: what no file system takes is put aside, what is too long is cut at a letter."""
    body = unicodedata.normalize("NFC", text)
    body = " ".join(_RESERVED.sub("-", body).split()).strip(" .")
    body = "".join(c for c in body if unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Co", "Cn"))
    if not body or body.partition(".")[0].upper().rstrip() in _DEVICES:
        body = f"document {body}".strip()
    room = MOST_BYTES - ROOM_FOR_NUMBER - len(suffix.encode())
    return body.encode()[:room].decode(errors="ignore").rstrip(" .") + suffix


def suffix_of(name: str, head: bytes) -> str:
    """Return the suffix of a file by its name as received, else by how it begins; empty where neither tells."""
    _, dot, ending = name.rpartition(".")
    if dot and 1 <= len(ending) <= 5 and ending.isalnum() and not ending.isdigit():
        return f".{ending}"
    if head[4:8] == b"ftyp":
        return ".heic"
    return next((suffix for begins, suffix in BEGINNINGS if head.startswith(begins)), "")


def unlike(name: str, taken: set[str]) -> str:
    """Return a name that differs from those taken, in whatever case of letters, by a number; it is taken from then on."""
    stem, dot, suffix = name.rpartition(".")
    stem, ending = (stem, f".{suffix}") if dot and stem else (name, "")
    chosen, number = name, 1
    while chosen.casefold() in taken:
        number += 1
        chosen = f"{stem} ({number}){ending}"
    taken.add(chosen.casefold())
    return chosen


def fill_name(pattern: str, texts: Mapping[str, str]) -> str:
    """Return what a name pattern such as ``{Supplier} {filed}`` says with these texts; the caption where it says nothing."""
    return fill_caption(pattern, dict(texts)) or texts.get("caption", "")


def unknown_names(pattern: str, fields: set[str]) -> list[str]:
    """Return what a name pattern asks for that is neither a field nor one of ``BUILT_IN``."""
    return [n for n in caption_names(pattern) if n not in fields and n not in BUILT_IN]
