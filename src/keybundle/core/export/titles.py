"""What a PDF/A of ours is called, said as it leaves: the file that is kept has no title, or that of a time before."""

from __future__ import annotations

import io
from pathlib import Path

import pikepdf
from pikepdf import Pdf

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.export.pdfa import add_metadata, save_pdf


def name_pdf(path: Path, title: str, made_at: str) -> None:
    """Write a title into a PDF/A-1b in its place, whatever it was called; ``made_at`` is ISO 8601.

    Raises InputProblem where it is damaged, OSError where it cannot be written.
    """
    out = io.BytesIO()
    try:
        with Pdf.open(path) as pdf:
            add_metadata(pdf, title, made_at)
            save_pdf(pdf, out)
    except pikepdf.PdfError as error:
        raise InputProblem(message("join.stored-pdf-damaged-cannot-joined")) from error
    path.write_bytes(out.getvalue())
