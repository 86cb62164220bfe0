"""A page of any kind as a picture, and a native file as words and sheets."""

from __future__ import annotations

import functools
from pathlib import Path

from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.encoding import MOST_BYTES
from keybundle.core.formats.opening import NATIVE
from keybundle.core.formats.sheets import MOST_SHEETS, Sheets, draw_sheet, lay_out_sheets, text_of
from keybundle.core.imaging.picture import Picture, decode
from keybundle.core.reading.text import PageText


def decode_page(path: Path, index: int = 0, *, name: str = "", kind: PageKind = PageKind.PICTURE) -> Picture:
    """Return the picture of a page; of a native file its sheet ``index``. Raises InputProblem that names ``name``."""
    if kind.is_native:
        return draw_sheet(load_sheets(path, kind), index)
    return decode(path, index, name=name, is_pdf=kind is PageKind.PDF)


@functools.lru_cache(maxsize=4)
def load_sheets(path: Path, kind: PageKind) -> Sheets:
    """Return the sheets of a native file; raises InputProblem. A stored file never changes, so the last few are kept."""
    return lay_out_sheets(NATIVE[kind].read_lines(path))


def say_cut(path: Path, kind: PageKind, name: str) -> str:
    """Return that not all words of a native file are read, where that is so; raises InputProblem."""
    if load_sheets(path, kind).is_cut or path.stat().st_size > MOST_BYTES:
        return message("formats.cut", name=name, sheets=MOST_SHEETS, size=MOST_BYTES >> 20)
    return ""


def read_native(path: Path, kind: PageKind) -> PageText:
    """Return all words of a native file; raises InputProblem."""
    return text_of(load_sheets(path, kind))
