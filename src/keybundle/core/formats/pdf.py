"""PDF: each page is one."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.opened import Opened
from keybundle.core.imaging.picture import probe

WITHIN = 1024  # where its sign may stand, as most programs that read PDF allow


def recognises(head: bytes, name: str) -> bool:
    """Whether the sign of a PDF stands near the beginning."""
    return b"%PDF-" in head[:WITHIN]


def open(path: Path, name: str) -> Opened:
    """Count the pages; raises InputProblem for one that is locked, broken or empty."""
    return Opened("application/pdf", PageKind.PDF, probe(path, name).pages)
