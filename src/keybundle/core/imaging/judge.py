"""Judging a page: where its ink is, how it is turned and skewed, whether it is blank.

All measures run on a picture of about ``WORK_DPI``; 75 to 100 dpi tell lines of text apart and cost little.
"""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.base.records import dataclass
from keybundle.core.imaging.blank import LOOK_DPI, is_blank, measure_content_mm2
from keybundle.core.imaging.paper import Darkness, measure_darkness
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Picture, Pixels, to_grey
from keybundle.core.imaging.scale import scale_by

WORK_DPI = 100.0
MAX_SKEW_DEGREES = 12.0
EDGE_MM = 6.0
SHOW_THROUGH_CONTRAST = 0.38
PLAIN_INK_MM2 = 60.0
PLAIN_DARKNESS = 0.5
TRACE, FEW_PX = 0.055, 4


@dataclass(frozen=True)
class Judgement:
    """What was measured of a page.

    ``rotation`` is the clockwise turn in degrees that makes it upright; ``skew_degrees`` is measured after it,
    positive when the text runs down to the right; ``ink_mm2`` is the ink counted for blank detection;
    ``upright_margin`` tells how clearly up was told from down (0: not at all); ``darkness`` is the darkness of the
    paper's surroundings: 0 for white paper, 1 for a black picture; ``contrast`` how much darker its ink is.
    """

    rotation: int
    skew_degrees: float
    ink_mm2: float
    is_blank: bool
    upright_margin: float
    is_text: bool
    darkness: float = 0.0
    contrast: float = 1.0


def shrink(grey: Pixels, dpi: float, wanted_dpi: float = WORK_DPI) -> tuple[Pixels, float]:
    """Return the picture at about ``wanted_dpi`` and its resolution; never enlarged."""
    return scale_by(grey, wanted_dpi / dpi), min(dpi, wanted_dpi)


def find_ink(grey: Pixels, dpi: float = WORK_DPI) -> Pixels:
    """Return ``(H, W) uint8``: 1 where there is ink, 0 elsewhere.

    Ink is what is clearly darker than its paper: beyond ``SHOW_THROUGH_CONTRAST`` of the way to the darkest ink.
    """
    return _ink_of(measure_darkness(grey, dpi), dpi)[0]


def _ink_of(darkness: Darkness, dpi: float) -> tuple[Pixels, float]:
    """Return the ink, and how dark the darkest of it is (scan edges not counted)."""
    edge = round(EDGE_MM * dpi / 25.4)
    core = darkness[edge:-edge:2, edge:-edge:2]
    darkest = float(np.percentile(core, 99.8)) if core.size else 0.0
    bar = max(0.16, min(0.5, SHOW_THROUGH_CONTRAST * max(darkest, 0.42)))
    return (darkness > bar).astype(np.uint8), darkest


def measure_skew(ink: Pixels) -> tuple[float, float]:
    """Return the skew in degrees (positive: text runs down to the right) and its sharpness (1: none).

    Sheared projection profile with the sum of squared differences between neighbouring rows as criterion, coarse to
    fine. Reference: D. S. Bloomberg, G. E. Kopec, L. Dasari, Measuring document image skew and orientation,
    SPIE 2422 (1995).
    """
    ys, xs = np.nonzero(ink)
    if len(xs) < 50:
        return 0.0, 1.0
    if len(xs) > 60_000:
        every = len(xs) // 60_000 + 1
        ys, xs = ys[::every], xs[::every]
    xf = (xs - ink.shape[1] / 2).astype(np.float32)
    yf = ys.astype(np.float32)
    pad = int(abs(np.tan(np.radians(MAX_SKEW_DEGREES))) * ink.shape[1] / 2) + 2
    shifted, rows = np.empty_like(xf), np.empty(len(xf), dtype=np.intp)

    def score(angle: float) -> float:
        np.multiply(xf, np.float32(np.tan(np.radians(angle))), out=shifted)
        np.subtract(yf, shifted, out=shifted)
        np.add(shifted, np.float32(pad), out=shifted)
        np.copyto(rows, shifted, casting="unsafe")
        steps = np.diff(np.bincount(rows, minlength=ink.shape[0] + 2 * pad))
        return float(np.dot(steps, steps))

    coarse = np.arange(-MAX_SKEW_DEGREES, MAX_SKEW_DEGREES + 0.01, 0.5)
    scores = np.array([score(a) for a in coarse])
    best = float(coarse[int(np.argmax(scores))])
    sharpness = float(scores.max() / max(np.median(scores), 1.0))
    for step in (0.1, 0.025):
        near = best + step * np.arange(-5, 6)
        near_scores = np.array([score(a) for a in near])
        k = int(np.argmax(near_scores))
        best = float(near[k])
    return round(best, 3), sharpness


def tell_up_from_down(ink: Pixels, skew_degrees: float) -> float:
    """Return a number above 0 when the lines stand upright, below 0 when they hang upside down, 0 when unknown.

    Latin text has more and taller strokes above the x-height than below the baseline. Each line of the projection
    profile is cut at its half-height; the ink outside the cut on its upper side is compared with that on its lower
    side, in standard errors over all lines (the idea of ascender and descender counts: Bloomberg et al. 1995).
    """
    h, w = ink.shape
    turn = cv2.getRotationMatrix2D((w / 2, h / 2), skew_degrees, 1.0)
    level = cv2.warpAffine(ink, turn, (w, h), flags=cv2.INTER_NEAREST)
    joined = cv2.morphologyEx(level, cv2.MORPH_CLOSE, np.ones((1, 9), np.uint8))
    count, labels, stats = label_parts(joined)
    votes = []
    for i in range(1, count):
        left, top, width, height, area = stats[i]
        if not (6 <= height <= 40 and width >= 2.2 * height and area > 0.25 * width * height):
            continue
        block = level[top : top + height, left : left + width] & (labels[top : top + height, left : left + width] == i)
        profile = block.sum(axis=1).astype(np.float64)
        if profile.max() <= 0:
            continue
        dense = np.nonzero(profile >= 0.5 * profile.max())[0]
        above, below = profile[: dense[0]].sum(), profile[dense[-1] + 1 :].sum()
        total = profile.sum()
        if above + below > 0.02 * total:
            votes.append(np.clip((above - below) / total, -0.3, 0.3))
    if len(votes) < 8:
        return 0.0
    values = np.array(votes)
    return float(values.mean() / (values.std() / np.sqrt(len(values)) + 1e-6))


def judge(picture: Picture) -> Judgement:
    """Measure a page once; costs some tens of milliseconds."""
    full = to_grey(picture)
    grey, dpi = shrink(full, picture.dpi)
    level = round(1 - _median_level(grey) / 255, 3)
    darkness = measure_darkness(grey, dpi)
    if _is_untouched(darkness, dpi):
        return Judgement(0, 0.0, 0.0, True, 0.0, False, level, 0.0)
    ink, darkest = _ink_of(darkness, dpi)
    body = without_edges(ink, dpi)
    ink_mm2 = float(body.sum()) / (dpi / 25.4) ** 2
    if ink_mm2 < PLAIN_INK_MM2 or darkest < PLAIN_DARKNESS:
        ink_mm2 = measure_content_mm2(*shrink(full, picture.dpi, LOOK_DPI))
        if is_blank(ink_mm2):
            return Judgement(0, 0.0, ink_mm2, True, 0.0, False, level, darkest)
    skew, sharp = measure_skew(body)
    side = np.ascontiguousarray(np.rot90(body, -1))
    side_skew, side_sharp = measure_skew(side)
    lies = side_sharp > sharp * 1.25
    chosen, angle = (side, side_skew) if lies else (body, skew)
    margin = tell_up_from_down(chosen, angle)
    turn = (90 if lies else 0) + (180 if margin < 0 else 0)
    return Judgement(
        turn % 360, angle, ink_mm2, False, abs(margin), max(sharp, side_sharp) > 1.5, level, round(darkest, 3)
    )


def _median_level(grey: Pixels) -> float:
    """Return the median of a picture, counted instead of sorted."""
    below = np.cumsum(cv2.calcHist([grey], [0], None, [256], [0, 256]).ravel().astype(np.int64))
    low, high = np.searchsorted(below, [(grey.size - 1) // 2, grey.size // 2], side="right")
    return float(low + high) / 2


def _is_untouched(darkness: Darkness, dpi: float) -> bool:
    """Whether the paper shows nothing at all, so that no closer look is worth its time."""
    edge = round(EDGE_MM * dpi / 25.4)
    return int(np.count_nonzero(darkness[edge:-edge, edge:-edge] > TRACE)) < FEW_PX


def without_edges(ink: Pixels, dpi: float) -> Pixels:
    """Return the ink without a margin of ``EDGE_MM``, where scan edges lie."""
    edge = round(EDGE_MM * dpi / 25.4)
    body = ink.copy()
    body[:edge] = body[-edge:] = 0
    body[:, :edge] = body[:, -edge:] = 0
    return body
