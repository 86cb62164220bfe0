"""How large the letters of a page are and how long its table, so that it is read as large as they need."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.records import dataclass
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels

INK = 160
LEAST_MM, GREATEST_MM = 0.7, 6.0
FEWEST = 40
SMALLER_SHARE = 20.0
PIECE_GAP_MM, END_MM = 2.6, 0.8


def is_letter(stats: npt.NDArray[np.int32], dpi: float) -> npt.NDArray[np.bool_]:
    """Return for each connected part (OpenCV's stats; 0 is the ground) whether it has the size and build of a letter."""
    mm = dpi / 25.4
    width, height, area = (stats[:, i] for i in (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT, cv2.CC_STAT_AREA))
    found = (height >= LEAST_MM * mm) & (height <= GREATEST_MM * mm) & (width >= 0.3 * LEAST_MM * mm)
    found &= (width <= 1.8 * height) & (area >= 0.15 * width * height)
    found[0] = False
    return np.asarray(found, dtype=np.bool_)


@dataclass(frozen=True)
class Print:
    """How the print of a page is: how high its letters are (mm; None where it has few), and how long its table is.

    ``small_mm`` is what all but the smallest fifth of the letters reach: about the height of letters without strokes above
    or below, of the smallest print that fills a good part of the page. ``rows`` is how many pieces of text end at one place
    in each of two columns, as amounts do in a table.
    """

    small_mm: float | None
    rows: int


def measure_print(grey: Pixels, dpi: float, skew_degrees: float) -> Print:
    """Measure the print of a page that lies upright, ``(H, W) uint8`` with 0 = ink; it need not be straight."""
    _, labels, stats = label_parts((grey < INK).astype(np.uint8))
    letters = is_letter(stats, dpi)
    heights = stats[letters, cv2.CC_STAT_HEIGHT]
    if len(heights) < FEWEST:
        return Print(None, 0)
    small = float(np.percentile(heights, SMALLER_SHARE)) / dpi * 25.4
    return Print(small, _count_rows(letters.astype(np.uint8)[labels], dpi, skew_degrees))


def _count_rows(letters: Pixels, dpi: float, skew_degrees: float) -> int:
    mm = dpi / 25.4
    pieces = np.asarray(cv2.dilate(letters, np.ones((1, round(PIECE_GAP_MM * mm)), np.uint8)), dtype=np.uint8)
    stats = label_parts(pieces)[2][1:]
    stats = stats[stats[:, cv2.CC_STAT_HEIGHT] <= GREATEST_MM * mm]
    ends = stats[:, 0] + stats[:, 2] + np.tan(np.radians(skew_degrees)) * (stats[:, 1] + stats[:, 3] / 2)
    places = np.bincount(np.round((ends - ends.min(initial=0)) / (END_MM * mm)).astype(np.int64))
    columns: list[int] = []
    for _ in range(2):  # an end on the border of two places counts in both
        near = np.convolve(places, (1, 1))
        at = int(near.argmax())
        columns.append(int(near[at]))
        places[max(0, at - 2) : at + 2] = 0
    return min(columns)
