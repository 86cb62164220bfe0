"""Papers of the world as a program writes them: PDF files with text of their own."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from keybundle.demo.paper import Sheet, face_file

POINTS_A_MM = 72 / 25.4


def write_pdf(sheets: Sequence[Sheet], path: Path) -> None:
    """Write sheets as the pages of a PDF: their print alone, in embedded faces."""
    canvas = Canvas(str(path))
    for sheet in sheets:
        width, height = (mm * POINTS_A_MM for mm in sheet.size_mm)
        canvas.setPageSize((width, height))
        for run in sheet.runs:
            name = f"{run.face}-{run.bold}"
            if name not in pdfmetrics.getRegisteredFontNames():
                pdfmetrics.registerFont(TTFont(name, face_file(run.face, run.bold)))
            canvas.setFont(name, run.size_pt)
            canvas.drawString(run.x_mm * POINTS_A_MM, height - run.y_mm * POINTS_A_MM, run.text)
        canvas.showPage()
    canvas.save()
