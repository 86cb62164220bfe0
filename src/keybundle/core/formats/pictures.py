"""Pictures of pages: one page for each picture in the file."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.formats.opened import Opened
from keybundle.core.imaging.picture import probe

MIMES = {
    "TIFF": "image/tiff", "PNG": "image/png", "JPEG": "image/jpeg", "WebP": "image/webp", "JPEG 2000": "image/jp2",
    "BMP": "image/bmp", "PNM": "image/x-portable-anymap", "HEIC": "image/heic",
}  # fmt: skip


def recognises(head: bytes, name: str) -> bool:
    """Whether nothing else knows the file: pictures come last, and say best what is wrong with one."""
    return True


def open(path: Path, name: str) -> Opened:
    """Count the pictures; raises InputProblem for a file that is none, or damaged."""
    facts = probe(path, name)
    return Opened(MIMES.get(facts.kind, "application/octet-stream"), pages=facts.pages)
