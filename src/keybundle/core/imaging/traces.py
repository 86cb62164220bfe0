"""What paper and scanner leave on a side without anybody having made a mark: fibres, and the shadows at punched holes.

Both are as sharp as ink. A fibre is one line, thinner than any pen or print, and short; a hole has its like further along
the edge of the sheet.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.paper import Darkness
from keybundle.core.imaging.parts import label_parts

FINE = 3
PIECE_MM, LOOP_MM2 = 0.5, 0.15
FIBRE_WIDTH_MM, FIBRE_LENGTH_MM = 0.28, 12.0
BROKEN_WIDTH_MM, BROKEN_LENGTH_MM, MOST_PIECES = 0.2, 5.0, 2
LETTER_GAP_MM, FEWEST_LETTERS = 0.9, 3
PINS_MM = (70.0, 80.0, 108.0, 160.0, 240.0)  # of punches for two, three and four holes, and their second and third next
HOLE_MM, HOLE_STRIP_MM, ASLANT_MM, UNLIKE_MM, CUT_MM = 9.0, 18.0, 6.0, 1.0, 2.5
RADIUS_MM, LEAST_ARC_MM, OFF_CIRCLE_MM = (2.2, 3.8), 4.0, 0.3


@dataclass(frozen=True)
class Strokes:
    """What a small mark is made of: ``(length, width)`` in mm of each of its lines, and how many of them close a loop."""

    lines: tuple[tuple[float, float], ...]
    loops: int


def measure_strokes(darkness: Darkness, mm: float) -> Strokes:
    """Measure the lines of one mark, ``(H, W) float32`` with nothing else in it, at ``mm`` px a millimetre.

    A line is what is darker than half of the mark, so that softness does not widen it. Of a line of length L and width W
    the area is LW and half the outline L + W, which gives both.
    """
    framed = cv2.copyMakeBorder(darkness, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=(0,))
    fine = cv2.resize(framed, None, fx=FINE, fy=FINE, interpolation=cv2.INTER_CUBIC)
    inked = darkness[darkness > 0]
    if inked.size == 0:
        return Strokes((), 0)
    mask = (fine > 0.5 * float(np.percentile(inked, 75))).astype(np.uint8)
    outlines, family = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    px, lines, loops = mm * FINE, [], 0
    for k, outline in enumerate(outlines):
        if family[0][k][3] >= 0:
            loops += cv2.contourArea(outline) > LOOP_MM2 * px**2
            continue
        if max(cv2.boundingRect(outline)[2:]) < PIECE_MM * px:
            continue
        own = np.zeros(mask.shape, dtype=np.uint8)
        cv2.drawContours(own, outlines, k, (1,), -1)
        area = float(np.count_nonzero(own & mask))
        half = cv2.arcLength(outline, True) / 2 + 2
        length = (half + max(0.0, half**2 - 4 * area) ** 0.5) / 2
        lines.append((length / px, area / length / px))
    return Strokes(tuple(lines), loops)


def is_fibre(strokes: Strokes) -> bool:
    """Whether a mark is one thin short line, perhaps in two pieces; in more where a 1-bit scan broke a hair of one px."""
    if strokes.loops or not strokes.lines:
        return False
    length = sum(line[0] for line in strokes.lines)
    widest = max(line[1] for line in strokes.lines)
    if length > FIBRE_LENGTH_MM or widest > FIBRE_WIDTH_MM:
        return False
    return len(strokes.lines) <= MOST_PIECES or widest <= BROKEN_WIDTH_MM or length <= BROKEN_LENGTH_MM


def stand_together(boxes: Sequence[Box], shape: tuple[int, int], mm: float) -> list[bool]:
    """Return for each box of a thin mark whether it stands among at least two others, as the letters of a word do."""
    if len(boxes) < FEWEST_LETTERS:
        return [False] * len(boxes)
    near = np.zeros((shape[0] // 2 + 1, shape[1] // 2 + 1), dtype=np.uint8)
    reach = round(LETTER_GAP_MM * mm / 2)
    for left, top, right, bottom in boxes:
        near[
            max(0, top - reach) // 2 : (bottom + reach) // 2 + 1, max(0, left - reach) // 2 : (right + reach) // 2 + 1
        ] = 1
    count, labels, _ = label_parts(near)
    groups = [int(labels[(top + bottom) // 4, (left + right) // 4]) for left, top, right, bottom in boxes]
    held = np.bincount(groups, minlength=count)
    return [bool(held[group] >= FEWEST_LETTERS) for group in groups]


def find_holes(boxes: Sequence[Box], sheet: tuple[int, ...], mm: float) -> list[bool]:
    """Return for each mark's box whether the same stands again along the edge as far off as punches have their pins.

    Before a white lid a hole shows nothing but a shadow on one side of it, a crescent of any thickness; its like at the
    next hole is what tells it. Beside two such, a third may be less like them, cut by the margin or joined by dust.
    ``sheet`` is the (height, width) of the picture.
    """
    small = [i for i, (left, top, right, bottom) in enumerate(boxes) if max(right - left, bottom - top) <= HOLE_MM * mm]
    pairs = list(itertools.permutations(small, 2))
    found = {a for a, b in pairs if _is_next_hole(boxes[a], boxes[b], sheet, mm, UNLIKE_MM)}
    cut = {b for a, b in pairs if a in found and _is_next_hole(boxes[a], boxes[b], sheet, mm, CUT_MM)}
    return [i in found | cut for i in range(len(boxes))]


def _is_next_hole(a: Box, b: Box, sheet: tuple[int, ...], mm: float, unlike_mm: float) -> bool:
    """Whether two marks of a size stand along one edge as far apart as pins."""
    size = np.array([(right - left, bottom - top) for left, top, right, bottom in (a, b)]) / mm
    middle = np.array([(left + right, top + bottom) for left, top, right, bottom in (a, b)]) / 2 / mm
    apart = np.abs(middle[0] - middle[1])
    along = int(apart[1] > apart[0])
    across = middle[:, 1 - along]
    to_edge = np.minimum(across, sheet[along] / mm - across)
    return bool(
        np.abs(size[0] - size[1]).max() <= unlike_mm
        and to_edge.max() <= HOLE_STRIP_MM
        and apart[1 - along] <= ASLANT_MM
        and any(abs(np.hypot(*apart) - pins) <= unlike_mm for pins in PINS_MM)
    )


def is_arc_of_hole(ink: npt.NDArray[np.bool_], at: tuple[int, int], sheet: tuple[int, ...], mm: float) -> bool:
    """Whether a mark lies on a circle of a hole's size near an edge: the shadow of one whose like is off the sheet.

    ``at`` is its (left, top), ``sheet`` the (height, width) of the picture, in px.
    """
    if not LEAST_ARC_MM * mm <= max(ink.shape) <= HOLE_MM * mm:
        return False
    ys, xs = np.nonzero(ink)
    circle = fit_circle(xs.astype(np.float64) + at[0], ys.astype(np.float64) + at[1])
    if circle is None:
        return False
    x, y, radius, off = (value / mm for value in circle)
    to_edge = min(x, y, sheet[1] / mm - x, sheet[0] / mm - y)
    return RADIUS_MM[0] <= radius <= RADIUS_MM[1] and off <= OFF_CIRCLE_MM and to_edge <= HOLE_STRIP_MM


def fit_circle(xs: npt.NDArray[np.float64], ys: npt.NDArray[np.float64]) -> tuple[float, float, float, float] | None:
    """Return (x, y, radius, standard deviation from it) of the circle through points; None for points on a line.

    Least squares on the algebraic distance: I. Kåsa, A circle fitting procedure and its error analysis, IEEE Trans.
    Instrum. Meas. 25 (1976).
    """
    if len(xs) < 3:
        return None
    mx, my = xs.mean(), ys.mean()
    u, v = xs - mx, ys - my
    found, _, rank, _ = np.linalg.lstsq(np.stack([2 * u, 2 * v, np.ones_like(u)], axis=1), u**2 + v**2, rcond=None)
    if rank < 3:
        return None
    radius = float(np.sqrt(found[2] + found[0] ** 2 + found[1] ** 2))
    off = float((np.hypot(u - found[0], v - found[1]) - radius).std())
    return float(found[0] + mx), float(found[1] + my), radius, off
