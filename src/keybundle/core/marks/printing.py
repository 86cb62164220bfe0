"""Printing separator sheets as a PDF."""

from __future__ import annotations

import io

import segno
from reportlab.graphics.barcode.code128 import Code128
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.pdfgen.canvas import Canvas

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.marks.sheets import KINDS, Separator

SIZES = {"A4": A4, "Letter": LETTER}


def print_sheets(separator: Separator, *, count: int = 1, size: str = "A4") -> bytes:
    """Return a PDF with ``count`` separator sheets; raises InputProblem for an unknown kind or size."""
    if separator.kind not in KINDS:
        raise InputProblem(message("printing.no-separator-kind-known", kind=separator.kind, list=", ".join(KINDS)))
    if size not in SIZES:
        raise InputProblem(message("printing.no-sheet-size-known", size=size, list=", ".join(SIZES)))
    if any(ord(c) > 126 or c == ";" for c in separator.type_name):
        raise InputProblem(message("printing.type-holds-signs-separator-sheet", type_name=separator.type_name))
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=SIZES[size], invariant=True)
    canvas.setTitle("Separator sheet")
    for _ in range(count):
        width, height = SIZES[size]
        _draw_half(canvas, separator, width, height)
        canvas.saveState()
        canvas.translate(width, height)
        canvas.rotate(180)
        _draw_half(canvas, separator, width, height)
        canvas.restoreState()
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _draw_half(canvas: Canvas, separator: Separator, width: float, height: float) -> None:
    """Draw the upper half: words, QR code (about 64 mm), Code 128."""
    canvas.setFont("Helvetica-Bold", 26)
    canvas.drawCentredString(width / 2, height - 62, "Separator sheet")
    canvas.setFont("Helvetica", 17)
    said = (
        message("marks.new-document-of", type_name=separator.type_name)
        if separator.type_name
        else message("marks.new-document")
    )
    canvas.drawCentredString(width / 2, height - 88, said)
    code = segno.make(separator.content, error="h", micro=False)
    matrix = [list(row) for row in code.matrix]
    side = 182.0
    cell = side / len(matrix)
    left, top = (width - side) / 2, height - 104
    for y, row in enumerate(matrix):
        for x, dark in enumerate(row):
            if dark:
                canvas.rect(left + x * cell, top - (y + 1) * cell, cell + 0.05, cell + 0.05, stroke=0, fill=1)
    bars = Code128(separator.content, barHeight=56, barWidth=1.25)
    bars.drawOn(canvas, (width - bars.width) / 2, top - side - 74)
    canvas.setFont("Helvetica", 10)
    canvas.drawCentredString(width / 2, top - side - 88, separator.content)
