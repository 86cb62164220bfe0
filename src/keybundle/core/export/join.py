"""Several PDF/A-1b files of ours as one that is PDF/A-1b again."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import pikepdf
from pikepdf import Pdf

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.export.pdfa import add_intent, add_metadata, save_pdf


def join_pdfs(paths: Sequence[Path], names: Sequence[str], title: str, made_at: str, target: Path) -> None:
    """Write the pages of files in their order, a bookmark by its name for each file's first page.

    Raises InputProblem, OSError.
    """
    with Pdf.new() as pdf:
        starts = []
        for path, name in zip(paths, names, strict=True):
            try:
                with Pdf.open(path) as single:
                    starts.append((name, len(pdf.pages)))
                    pdf.pages.extend(single.pages)
            except pikepdf.PdfError as error:
                raise InputProblem(message("join.stored-pdf-damaged-cannot-joined")) from error
        with pdf.open_outline() as outline:
            outline.root.extend(pikepdf.OutlineItem(name, at) for name, at in starts)
        add_intent(pdf)
        add_metadata(pdf, title, made_at)
        with target.open("wb") as out:
            save_pdf(pdf, out)
