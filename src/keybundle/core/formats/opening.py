"""Which reader a file is for, by its own bytes."""

from __future__ import annotations

from pathlib import Path, PurePath

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats import archives, markup, names, pdf, pictures, plain, tables
from keybundle.core.formats.opened import NativeReader, Opened, Reader

HEAD_BYTES = 1 << 16
# The first that recognises a file opens it; pictures come last, and say best what is wrong with one.
READERS: tuple[Reader, ...] = (pdf, archives, tables, markup, plain, pictures)
TEXTS: tuple[Reader, ...] = (tables, markup, plain)
NATIVE: dict[PageKind, NativeReader] = {PageKind.TEXT: plain, PageKind.CSV: tables, PageKind.HTML: markup}


def open_file(path: Path, name: str) -> Opened:
    """Return what a file holds, told by its content, whatever its name says; raises InputProblem that names it.

    A text that calls itself a picture, a PDF or a ZIP is refused: it is not what somebody meant to hand in.
    """
    try:
        with path.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except OSError as error:
        raise InputProblem(message("picture.cannot-read-check-readable", name=name, strerror=error.strerror)) from error
    calls_itself_pages = PurePath(name).suffix.lower() in names.NO_TEXTS
    readers = [r for r in READERS if not (calls_itself_pages and r in TEXTS)]
    return next(r for r in readers if r.recognises(head, name)).open(path, name)
