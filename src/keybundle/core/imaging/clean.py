"""Cleaning a page for reading: derived pictures only, the captured one is never altered.

Each step takes and gives ``(H, W) uint8`` with 0 = ink and 255 = paper, upright and straight, and can be left out.
"""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.paper import estimate_paper
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels

WHITE = 255
EDGE_REACH_MM = 16.0
EDGE_DARKNESS = 110
HOLE_MM = (3.5, 9.0)
HOLE_STRIP_MM = 20.0
SPECK_MM = 0.34
LONELY_MM = 1.6
MARGIN_MM = 6.0  # what is left of scan edges says nothing about the ink
SHINES_THROUGH = 0.34
FAINT_INK = 0.62
MUCH_SOFT = 1.2
SAMPLE = 3


@dataclass(frozen=True)
class Steps:
    """Which steps to take."""

    crop: bool = True
    fill_holes: bool = True
    despeckle: bool = True
    flatten: bool = True


NONE = Steps(crop=False, fill_holes=False, despeckle=False, flatten=False)


def clean(grey: Pixels, dpi: float, steps: Steps) -> Pixels:
    """Return the cleaned picture of a page at ``dpi``; the same array where no step changed it."""
    if steps.crop:
        grey = whiten_edges(grey, dpi)
    if steps.fill_holes:
        grey = fill_holes(grey, dpi)
    if steps.flatten:
        grey = flatten(grey, dpi)
    if steps.despeckle:
        grey = despeckle(grey, dpi)
    return grey


def find_sheet(grey: Pixels, dpi: float) -> Box:
    """Return the box of the sheet inside dark scan edges, the whole picture where there are none.

    An edge is a run of rows (columns) from the picture's border inwards, up to ``EDGE_REACH_MM``, that are mostly
    dark.
    """
    height, width = grey.shape
    reach = round(EDGE_REACH_MM * dpi / 25.4)
    rows = (grey[:, ::SAMPLE] < EDGE_DARKNESS).mean(axis=1)
    columns = (grey[::SAMPLE] < EDGE_DARKNESS).mean(axis=0)
    top, bottom = _run(rows, reach), _run(rows[::-1], reach)
    left, right = _run(columns, reach), _run(columns[::-1], reach)
    return left, top, width - right, height - bottom


def _run(share: npt.NDArray[np.float64], reach: int) -> int:
    """Return how many lines from the border on belong to a dark edge."""
    dark = np.nonzero(share[:reach] > 0.5)[0]
    return int(dark[-1]) + 2 if len(dark) and dark[0] <= 3 else 0


def whiten_edges(grey: Pixels, dpi: float) -> Pixels:
    """Paint dark scan edges in the colour of paper."""
    height, width = grey.shape
    left, top, right, bottom = find_sheet(grey, dpi)
    if (left, top, right, bottom) == (0, 0, width, height):
        return grey
    out = grey.copy()
    out[:top] = out[bottom:] = WHITE
    out[:, :left] = out[:, right:] = WHITE
    return out


def fill_holes(grey: Pixels, dpi: float) -> Pixels:
    """Paint punch holes near the margins in the colour of paper: dark, round, of the size of a punch."""
    mm = dpi / 25.4 / SAMPLE
    dark = np.ascontiguousarray(grey[::SAMPLE, ::SAMPLE] < EDGE_DARKNESS).astype(np.uint8)
    strip = round(HOLE_STRIP_MM * mm)
    dark[strip:-strip, strip:-strip] = 0
    count, _, stats = label_parts(dark)
    out = grey
    for left, top, width, height, area in stats[1:count]:
        is_size = HOLE_MM[0] * mm <= min(width, height) and max(width, height) <= HOLE_MM[1] * mm
        is_round = 0.8 < width / max(1, height) < 1.25 and 0.68 < area / (width * height) < 0.9
        if is_size and is_round:
            out = out.copy() if out is grey else out
            pad = SAMPLE + round(0.4 * dpi / 25.4)
            y, x, down, across = (int(v) * SAMPLE for v in (top, left, height, width))
            out[max(0, y - pad) : y + down + pad, max(0, x - pad) : x + across + pad] = WHITE
    return out


def flatten(grey: Pixels, dpi: float) -> Pixels:
    """Even out the paper and spread the ink: paper becomes white, what shines through fades, faint ink gets dark.

    Darkness is measured against the local paper; from ``low`` (what shines through) to ``high`` (how dark the page's
    ink is) it is spread over the whole range. 1-bit pictures come back as they are.
    """
    if _is_two_level(grey):
        return grey
    coarse = np.ascontiguousarray(grey[::SAMPLE, ::SAMPLE])
    paper = estimate_paper(coarse, dpi / SAMPLE)
    sample = cv2.subtract(paper, coarse).astype(np.float32) / paper
    margin = round(MARGIN_MM * dpi / SAMPLE / 25.4)
    body = sample[margin:-margin, margin:-margin]
    inked = body[body > 0.12]
    high = float(np.percentile(inked, 90)) if inked.size > 200 else 1.0
    high = min(1.0, max(0.25, high))
    if _is_even(paper) and high > FAINT_INK and _soft_share(sample) < MUCH_SOFT:
        return grey
    low = min(SHINES_THROUGH, 0.35 * high) if high > FAINT_INK else 0.12 * high
    paper = estimate_paper(grey, dpi)
    darkness = cv2.subtract(paper, grey).astype(np.float32) / paper
    spread = np.clip((darkness - low) / (high - low), 0, 1)
    return np.asarray(WHITE - WHITE * spread, dtype=np.uint8)


def _is_even(paper: Pixels) -> bool:
    """Whether the paper is light and the same all over."""
    low, high = np.percentile(paper[::4, ::4], (2, 98))
    return bool(low >= 0.92 * high and high >= 215)


def _soft_share(darkness: npt.NDArray[np.float32]) -> float:
    """Return how much is half dark, as what shines through is, against how much is dark."""
    dark = float((darkness > 0.4).mean())
    return float(((darkness > 0.08) & (darkness < SHINES_THROUGH)).mean()) / max(dark, 1e-6)


def _is_two_level(grey: Pixels) -> bool:
    sample = grey[::7, ::7]
    return bool(np.mean((sample < 8) | (sample > 247)) > 0.97)


def despeckle(grey: Pixels, dpi: float) -> Pixels:
    """Paint lonely specks in the colour of paper; dots that belong to letters have neighbours and stay."""
    mm = dpi / 25.4
    dark = (grey < 160).astype(np.uint8)
    _, _, stats = label_parts(dark)
    small = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) <= max(1.0, SPECK_MM * mm)
    boxes = stats[small][:, :4]
    if not len(boxes):
        return grey
    letters = dark.copy()
    for left, top, width, height in boxes:
        letters[top : top + height, left : left + width] = 0
    reach = 2 * round(LONELY_MM * mm / 2) + 1
    near = cv2.dilate(letters, np.ones((reach, reach), np.uint8))
    lonely = boxes[near[boxes[:, 1], boxes[:, 0]] == 0]
    out = grey.copy()
    for left, top, width, height in lonely:
        out[max(0, top - 1) : top + height + 1, max(0, left - 1) : left + width + 1] = WHITE
    return out
