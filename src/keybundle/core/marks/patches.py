"""Patch codes: six symbols of four parallel bars, two of them wide.

A symbol is read from the edge of the sheet that is nearest to it inwards, so that a sheet says the same in any turn
when it is printed along its edges. Which bars mean which symbol is a table that is handed in.
"""

from __future__ import annotations

import io
import itertools

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.judge import find_ink, shrink
from keybundle.core.imaging.picture import Picture, Pixels, to_grey

LOOK_DPI = 100.0
NARROW_MM, WIDE_MM, GAP_MM = 2.03, 5.08, 2.03
SHORTEST_MM = 30.0
THICKEST_MM, THINNEST_MM = 7.0, 1.1


@dataclass(frozen=True)
class Patch:
    """A patch code on a page, its box in px of the captured picture."""

    symbol: str
    box: Box


@dataclass(frozen=True)
class _Bar:
    x: float
    y: float
    angle: float
    length: float
    thickness: float
    corners: npt.NDArray[np.float32]


def find_patch(picture: Picture, table: dict[str, str]) -> Patch | None:
    """Return the patch code on the page, or None. ``table`` maps each symbol to its bars, such as ``WNNW``."""
    small, dpi = shrink(to_grey(picture), picture.dpi, LOOK_DPI)
    symbols = {bars: symbol for symbol, bars in table.items()}
    for group in _groups(_bars(find_ink(small), dpi / 25.4), dpi / 25.4):
        ordered = _from_the_edge(group, small.shape[1], small.shape[0])
        thin = min(b.thickness for b in ordered)
        bars = "".join("W" if b.thickness > 1.65 * thin else "N" for b in ordered)
        if bars in symbols:
            corners = np.concatenate([b.corners for b in ordered]) * (picture.dpi / dpi)
            (left, top), (right, bottom) = corners.min(axis=0).round(), corners.max(axis=0).round()
            return Patch(symbols[bars], (int(left), int(top), int(right), int(bottom)))
    return None


def _bars(ink: Pixels, mm: float) -> list[_Bar]:
    closed = cv2.morphologyEx(ink, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    found = []
    for outline in outlines:
        if len(outline) < 2 * SHORTEST_MM * mm * 0.9:
            continue
        (x, y), (w, h), angle = cv2.minAreaRect(outline)
        length, thickness = max(w, h), min(w, h)
        if w < h:
            angle += 90
        filled = cv2.contourArea(outline) / max(1.0, w * h)
        if length >= SHORTEST_MM * mm and THINNEST_MM * mm <= thickness <= THICKEST_MM * mm and filled > 0.8:
            corners = cv2.boxPoints(((x, y), (w, h), angle if w >= h else angle - 90))
            found.append(_Bar(x, y, angle % 180, length, thickness, np.asarray(corners, dtype=np.float32)))
    return found


def _groups(bars: list[_Bar], mm: float) -> list[list[_Bar]]:
    """Return groups of four neighbouring bars of one direction and length, in the order of their places."""
    found = []
    for seed in bars:
        like = [b for b in bars if _turn(b.angle, seed.angle) < 2.5 and 0.85 < b.length / seed.length < 1.18]
        along = np.array([np.cos(np.radians(seed.angle)), np.sin(np.radians(seed.angle))])
        across = np.array([-along[1], along[0]])
        near = [b for b in like if abs(np.dot((b.x - seed.x, b.y - seed.y), along)) < 0.15 * seed.length]
        near.sort(key=lambda b: float(np.dot((b.x, b.y), across)))
        here = near.index(seed)
        group = near[here : here + 4]
        if len(group) == 4 and all(
            0.5 * GAP_MM * mm < _gap(a, b, across) < 1.7 * GAP_MM * mm for a, b in itertools.pairwise(group)
        ):
            found.append(group)
    return found


def _turn(a: float, b: float) -> float:
    difference = abs(a - b) % 180
    return min(difference, 180 - difference)


def _gap(a: _Bar, b: _Bar, across: npt.NDArray[np.float64]) -> float:
    apart = float(np.dot((b.x - a.x, b.y - a.y), across))
    return apart - (a.thickness + b.thickness) / 2


def _from_the_edge(group: list[_Bar], width: int, height: int) -> list[_Bar]:
    """Return the bars from the nearest sheet edge inwards."""
    first, last = group[0], group[-1]
    lies = _turn(first.angle, 0) < 45
    far = abs(first.y - height / 2) - abs(last.y - height / 2) if lies else (
        abs(first.x - width / 2) - abs(last.x - width / 2))  # fmt: skip
    return group if far > 0 else group[::-1]


def print_patches(symbol: str, table: dict[str, str], *, size: str = "A4", count: int = 1) -> bytes:
    """Return a PDF of patch sheets: the symbol along all four edges, its name in the middle.

    Raises KeyError for a symbol that the table does not hold.
    """
    from reportlab.lib.pagesizes import A4, LETTER
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    bars = table[symbol]
    page = {"A4": A4, "Letter": LETTER}[size]
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=page)
    for _ in range(count):
        for turn in range(4):
            canvas.saveState()
            height = page[1] if turn % 2 == 0 else page[0]
            canvas.translate(page[0] / 2, page[1] / 2)
            canvas.rotate(90 * turn)
            y = height / 2 - 12 * mm
            length = 100 * mm
            for bar in bars:
                thick = (WIDE_MM if bar == "W" else NARROW_MM) * mm
                canvas.rect(-length / 2, y - thick, length, thick, stroke=0, fill=1)
                y -= thick + GAP_MM * mm
            canvas.restoreState()
        canvas.setFont("Helvetica-Bold", 40)
        canvas.drawCentredString(page[0] / 2, page[1] / 2, f"Patch {symbol}")
        canvas.showPage()
    canvas.save()
    return out.getvalue()
