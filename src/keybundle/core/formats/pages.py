"""A page of any kind as a picture, and a native file as words and sheets."""

from __future__ import annotations

import functools
from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.opening import NATIVE
from keybundle.core.formats.sheets import Sheets, draw_sheet, lay_out_sheets, text_of
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


def read_native(path: Path, kind: PageKind) -> PageText:
    """Return all words of a native file; raises InputProblem."""
    return text_of(load_sheets(path, kind))
