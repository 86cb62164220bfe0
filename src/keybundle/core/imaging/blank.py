"""Whether a side is blank: ink that is sharp is content, ink that is soft shines through from the other side.

What shows through paper is scattered on its way: its edges rise slowly against its contrast. A line of text, a
signature, a stamp or a pencil mark rises within a px or two, however faint it is.
"""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.imaging.paper import Darkness, measure_darkness
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels

LOOK_DPI = 200.0
EDGE_MM = 6.0
HOLE_STRIP_MM = 18.0
BLANK_INK_MM2 = 1.0
FAINTEST = 0.09
SHARP_PER_PX = 0.41
SMALLEST_MM, SMALLEST_MM2 = 1.2, 0.3
SPECK_MM, SPECK_DARKNESS = 0.7, 0.4
GRAIN_ROWS = 16


def measure_content_mm2(grey: Pixels, dpi: float) -> float:
    """Return the area in mm2 of marks that somebody made on this side of a page at about ``LOOK_DPI``.

    Specks, punch holes, scan edges and what shows through are passed over.
    """
    mm = dpi / 25.4
    edge = round(EDGE_MM * mm)
    core = measure_darkness(grey, dpi)[edge:-edge, edge:-edge]
    if core.size == 0:
        return 0.0
    core = _without_specks(core, mm)
    noise = 1.4826 * float(np.median(np.abs(core[::4, ::4] - np.median(core[::4, ::4]))))
    marks = (core > max(FAINTEST, 5 * noise)).astype(np.uint8)
    _, labels, stats = label_parts(cv2.dilate(marks, np.ones((5, 5), np.uint8)))
    is_large = (stats[:, 2:4].max(axis=1) >= SMALLEST_MM * mm) | (stats[:, 4] >= SMALLEST_MM2 * mm**2)
    large = [i for i in np.nonzero(is_large)[0] if i]
    if not large:
        return 0.0
    grain, total = _measure_grain(core, marks), 0.0
    for i in large:
        left, top, width, height = (int(v) for v in stats[i, :4])
        part = np.s_[top : top + height, left : left + width]
        own = labels[part] == i
        inked = own & (marks[part] > 0)
        area = float(inked.sum()) / mm**2
        if max(width, height) < SMALLEST_MM * mm and area < SMALLEST_MM2:
            continue
        if _is_hole(left, top, width, height, core.shape, area, mm) or _is_edge(
            left, top, width, height, core.shape, mm
        ):
            continue
        contrast = float(np.percentile(core[part][inked], 90))
        steepest = float(np.percentile(_rise(core, left, top, width, height)[own], 97))
        sharpness = float(np.sqrt(max(0.0, steepest**2 - grain**2))) / contrast
        if sharpness * dpi / LOOK_DPI >= SHARP_PER_PX:
            total += area
    return total


def _rise(core: Darkness, left: int, top: int, width: int, height: int) -> Darkness:
    """Return how steeply the darkness rises at each px of a part, per px."""
    above, before = min(1, top), min(1, left)
    around = core[top - above : top + height + 1, left - before : left + width + 1]
    rise = cv2.magnitude(
        cv2.Scharr(around, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(around, cv2.CV_32F, 0, 1, scale=1 / 32)
    )
    return np.asarray(rise[above : above + height, before : before + width], dtype=np.float32)


def _measure_grain(core: Darkness, marks: Pixels) -> float:
    """Return how steeply bare paper rises by its grain alone: the 97th of 100 on every 16th row."""
    middle = np.arange(1, core.shape[0] - 1, GRAIN_ROWS)
    rows = np.stack([middle - 1, middle, middle + 1], axis=1).ravel()
    rise = _rise(np.ascontiguousarray(core[rows]), 0, 0, core.shape[1], len(rows))[1::3, ::2]
    bare = rise[marks[middle, ::2] == 0]
    return float(np.percentile(bare, 97)) if bare.size else 0.0


def _without_specks(darkness: Darkness, mm: float) -> Darkness:
    """Return the darkness with small dark specks taken away, so that none of them sharpens what shines through."""
    dark = (darkness > SPECK_DARKNESS).astype(np.uint8)
    if not dark.any():
        return darkness
    count, labels, stats = label_parts(dark)
    small = np.zeros(count, dtype=np.uint8)
    small[1:] = np.maximum(stats[1:, cv2.CC_STAT_WIDTH], stats[1:, cv2.CC_STAT_HEIGHT]) < SPECK_MM * mm
    if not small.any():
        return darkness
    ys, xs = np.nonzero(dark)
    is_speck = small[labels[ys, xs]] > 0
    specks = np.zeros_like(dark)
    specks[ys[is_speck], xs[is_speck]] = 1
    specks = np.asarray(cv2.dilate(specks, np.ones((5, 5), np.uint8)), dtype=np.uint8)
    clean = darkness.copy()
    clean[specks > 0] = 0
    return clean


def is_blank(content_mm2: float) -> bool:
    """Whether so little content means a blank side."""
    return content_mm2 < BLANK_INK_MM2


def _is_hole(left: int, top: int, width: int, height: int, shape: tuple[int, ...], area: float, mm: float) -> bool:
    strip = (HOLE_STRIP_MM - EDGE_MM) * mm
    near = min(left, shape[1] - left - width) < strip or min(top, shape[0] - top - height) < strip
    round_enough = 0.75 < width / max(height, 1) < 1.33 and 3.5 * mm < width < 9 * mm
    return near and round_enough and area > 0.55 * width * height / mm**2


def _is_edge(left: int, top: int, width: int, height: int, shape: tuple[int, ...], mm: float) -> bool:
    """Whether a mark lies against the passed-over margin and runs along it."""
    at_side = left <= 1 or left + width >= shape[1] - 1
    at_end = top <= 1 or top + height >= shape[0] - 1
    return (at_side and height > 3 * width and width < 4 * mm) or (at_end and width > 3 * height and height < 4 * mm)
