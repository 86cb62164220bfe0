"""Whether a side is blank: ink that is sharp is content, ink that is soft shines through from the other side.

What shows through paper is scattered on its way: its edges rise slowly against its contrast. A line of text, a
signature, a stamp or a pencil mark rises within a px or two, however faint it is.
"""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.paper import Darkness, measure_darkness
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels
from keybundle.core.imaging.traces import (
    FIBRE_LENGTH_MM,
    find_holes,
    is_arc_of_hole,
    is_fibre,
    measure_strokes,
    stand_together,
)

LOOK_DPI = 200.0
EDGE_MM = 6.0
HOLE_STRIP_MM = 18.0
BLANK_INK_MM2 = 1.0
FAINTEST = 0.09
SHARP_PER_PX, SHINES_THROUGH, SHARPER = 0.38, 0.3, 1.3
NEAR_PX, JOIN_PX, FEWEST_STEEP, AS_STRONG = 7, 5, 6, 0.5
SMALLEST_MM, SMALLEST_MM2 = 1.2, 0.3
MOST_TRACES = 60  # a side with more sharp marks holds print, however small; no shape needs to be measured
SPECK_MM, SPECK_DARKNESS, MOST_SPECKS = 0.9, 0.4, 2000
NEXT_PX, FAR_PX, AS_DARK = 2, 5, 0.7
COVER_PX = 2
GRAIN_ROWS = 16


@dataclass(frozen=True)
class _Mark:
    """Sharp ink that hangs together: its box and its own pixels in px of the core (the page without its margin)."""

    box: Box
    ink: npt.NDArray[np.bool_]
    area_mm2: float


def measure_content_mm2(grey: Pixels, dpi: float) -> float:
    """Return the area in mm2 of marks that somebody made on this side of a page at about ``LOOK_DPI``.

    Specks, fibres, punch holes and their shadows, scan edges and what shows through are passed over.
    """
    mm = dpi / 25.4
    edge = round(EDGE_MM * mm)
    core = measure_darkness(grey, dpi)[edge:-edge, edge:-edge]
    if core.size == 0:
        return 0.0
    core = _without_specks(core, mm)
    noise = 1.4826 * float(np.median(np.abs(core[::4, ::4] - np.median(core[::4, ::4]))))
    inked = (core > max(FAINTEST, 5 * noise)).astype(np.uint8)
    found = [mark for mark in _find_marks(core, inked, dpi) if not _is_edge(mark.box, core.shape, mm)]
    if len(found) > MOST_TRACES:
        return sum(mark.area_mm2 for mark in found)
    holes = find_holes([mark.box for mark in found], core.shape, mm)
    content, thin = 0.0, []
    for mark, is_hole in zip(found, holes, strict=True):
        left, top, right, bottom = mark.box
        dark = mark.ink & (core[top:bottom, left:right] > 0.5 * np.max(core[top:bottom, left:right][mark.ink]))
        if is_hole or _is_whole_hole(mark, core.shape, mm) or is_arc_of_hole(dark, (left, top), core.shape, mm):
            continue
        is_short = max(right - left, bottom - top) <= FIBRE_LENGTH_MM * mm
        if is_short and is_fibre(measure_strokes(np.where(mark.ink, core[top:bottom, left:right], 0), mm)):
            thin.append(mark)
        else:
            content += mark.area_mm2
    among = stand_together([mark.box for mark in thin], core.shape, mm)
    return content + sum(mark.area_mm2 for mark, is_letter in zip(thin, among, strict=True) if is_letter)


def _find_marks(core: Darkness, inked: Pixels, dpi: float) -> list[_Mark]:
    """Return the sharp ink of a page; what is soft is left out px by px, for dust may lie on what shines through."""
    mm = dpi / 25.4
    grain = _measure_grain(core, inked)
    found: list[_Mark] = []
    for left, top, ink in _parts(inked, mm):
        height, width = ink.shape
        darkness = core[top : top + height, left : left + width]
        steepness = np.sqrt(np.maximum(0, _rise(core, left, top, width, height) ** 2 - grain**2)) * (dpi / LOOK_DPI)
        contrast = cv2.dilate(np.where(ink, darkness, 0), np.ones((NEAR_PX, NEAR_PX), np.uint8))
        needed = np.minimum(SHARP_PER_PX, SHARP_PER_PX - SHARPER * (contrast - SHINES_THROUGH)) * contrast
        steep = (steepness >= needed) & (contrast > 0)
        steep &= cv2.boxFilter(steep.astype(np.uint8), -1, (JOIN_PX, JOIN_PX), normalize=False) >= FEWEST_STEEP
        if not steep.any():
            continue
        sharp = ink & (cv2.dilate(steep.astype(np.uint8), np.ones((JOIN_PX, JOIN_PX), np.uint8)) > 0)
        strong = ink & (darkness > AS_STRONG * float(np.median(contrast[steep])))
        _, labels, _ = label_parts((sharp | strong).astype(np.uint8))
        sharp = ink & np.isin(labels, np.unique(labels[sharp & strong]))
        for inner_left, inner_top, own in _parts(sharp.astype(np.uint8), mm):
            x, y = left + inner_left, top + inner_top
            found.append(_Mark((x, y, x + own.shape[1], y + own.shape[0]), own, float(own.sum()) / mm**2))
    return found


def _parts(mask: Pixels, mm: float) -> Iterator[tuple[int, int, npt.NDArray[np.bool_]]]:
    """Yield the left, the top and the ink of each part that is large enough to be a mark; gaps of a few px are none."""
    _, labels, stats = label_parts(np.asarray(cv2.dilate(mask, np.ones((JOIN_PX, JOIN_PX), np.uint8)), dtype=np.uint8))
    for i in np.nonzero((stats[:, 2:4].max(axis=1) >= SMALLEST_MM * mm) | (stats[:, 4] >= SMALLEST_MM2 * mm**2))[0]:
        left, top, width, height = (int(v) for v in stats[i, :4])
        part = np.s_[top : top + height, left : left + width]
        ink = (labels[part] == i) & (mask[part] > 0)
        if i and (max(width, height) >= SMALLEST_MM * mm or int(ink.sum()) >= SMALLEST_MM2 * mm**2):
            yield left, top, ink


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
    """Return the darkness with small dark specks as dark as what is around them, so that none sharpens what shines through."""
    dark = (darkness > SPECK_DARKNESS).astype(np.uint8)
    if not dark.any():
        return darkness
    count, labels, stats = label_parts(dark)
    small = np.zeros(count, dtype=np.uint8)
    small[1:] = np.maximum(stats[1:, cv2.CC_STAT_WIDTH], stats[1:, cv2.CC_STAT_HEIGHT]) < SPECK_MM * mm
    for i in np.nonzero(small)[0][:MOST_SPECKS]:
        small[i] = _stands_alone(darkness, stats[i])
    if not small.any():
        return darkness
    small[0] = 0
    boxes = [tuple(int(v) for v in stats[i, :4]) for i in np.nonzero(small)[0]]
    specks = np.zeros_like(dark)
    for i, (left, top, width, height) in zip(np.nonzero(small)[0], boxes, strict=True):
        part = np.s_[top : top + height, left : left + width]
        specks[part] |= labels[part] == i
    covered = cv2.dilate(specks, np.ones((2 * COVER_PX + 1, 2 * COVER_PX + 1), np.uint8))
    found, half = darkness.copy(), round(SPECK_MM * mm)
    for left, top, width, height in boxes:
        own = _grown(left, top, width, height, COVER_PX, dark.shape)
        near = _grown(left, top, width, height, COVER_PX + half, dark.shape)
        kept = 1 - covered[near].astype(np.float32)
        share = cv2.boxFilter(kept, -1, (2 * half + 1, 2 * half + 1))
        filled = cv2.boxFilter(darkness[near] * kept, -1, (2 * half + 1, 2 * half + 1)) / np.maximum(share, 1e-3)
        filled = np.where(kept > 0, darkness[near], filled)
        rows, columns = own[0].start - near[0].start, own[1].start - near[1].start
        found[own] = filled[rows : rows + own[0].stop - own[0].start, columns : columns + own[1].stop - own[1].start]
    return found


def _grown(left: int, top: int, width: int, height: int, by: int, shape: tuple[int, ...]) -> tuple[slice, slice]:
    """Return the rows and columns of a box and so many px around it, as far as there are any."""
    rows = slice(max(0, top - by), min(shape[0], top + height + by))
    return rows, slice(max(0, left - by), min(shape[1], left + width + by))


def _stands_alone(darkness: Darkness, stats: npt.NDArray[np.int32]) -> bool:
    """Whether nothing around a dark spot is nearly as dark, as the rest of a faint stroke would be."""
    left, top, width, height = (int(v) for v in stats[:4])
    y, x = max(0, top - FAR_PX), max(0, left - FAR_PX)
    around = darkness[y : top + height + FAR_PX, x : left + width + FAR_PX].copy()
    spot = around[top - y : top - y + height, left - x : left - x + width]
    darkest = float(spot.max())
    around[
        max(0, top - y - NEXT_PX) : top - y + height + NEXT_PX, max(0, left - x - NEXT_PX) : left - x + width + NEXT_PX
    ] = 0
    return float(around.max()) <= AS_DARK * darkest


def is_blank(content_mm2: float) -> bool:
    """Whether so little content means a blank side."""
    return content_mm2 < BLANK_INK_MM2


def _is_whole_hole(mark: _Mark, shape: tuple[int, ...], mm: float) -> bool:
    """Whether a mark is a punched hole that shows dark."""
    left, top, right, bottom = mark.box
    width, height = right - left, bottom - top
    strip = (HOLE_STRIP_MM - EDGE_MM) * mm
    near = min(left, shape[1] - right) < strip or min(top, shape[0] - bottom) < strip
    round_enough = 0.75 < width / max(height, 1) < 1.33 and 3.5 * mm < width < 9 * mm
    return near and round_enough and mark.area_mm2 > 0.55 * width * height / mm**2


def _is_edge(box: Box, shape: tuple[int, ...], mm: float) -> bool:
    """Whether a mark lies against the passed-over margin and runs along it."""
    left, top, right, bottom = box
    width, height = right - left, bottom - top
    at_side = left <= 1 or right >= shape[1] - 1
    at_end = top <= 1 or bottom >= shape[0] - 1
    return (at_side and height > 3 * width and width < 4 * mm) or (at_end and width > 3 * height and height < 4 * mm)
