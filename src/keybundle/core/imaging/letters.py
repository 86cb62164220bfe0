"""How large the letters of a page are, so that it is read as large as they need."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels

INK = 160
LEAST_MM, GREATEST_MM = 0.7, 6.0
FEWEST = 40
SMALLER_SHARE = 20.0


def is_letter(stats: npt.NDArray[np.int32], dpi: float) -> npt.NDArray[np.bool_]:
    """Return for each connected part (OpenCV's stats; 0 is the ground) whether it has the size and build of a letter."""
    mm = dpi / 25.4
    width, height, area = (stats[:, i] for i in (cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT, cv2.CC_STAT_AREA))
    found = (height >= LEAST_MM * mm) & (height <= GREATEST_MM * mm) & (width >= 0.3 * LEAST_MM * mm)
    found &= (width <= 1.8 * height) & (area >= 0.15 * width * height)
    found[0] = False
    return np.asarray(found, dtype=np.bool_)


def measure_letters_mm(grey: Pixels, dpi: float) -> float | None:
    """Return the height in mm that all but the smallest fifth of a page's letters reach; None where it has few.

    That is about the height of letters without strokes above or below, of the smallest print that fills a good part of
    the page. Measured on connected parts of an upright page, ``(H, W) uint8`` with 0 = ink.
    """
    _, _, stats = label_parts((grey < INK).astype(np.uint8))
    heights = stats[is_letter(stats, dpi), cv2.CC_STAT_HEIGHT]
    return float(np.percentile(heights, SMALLER_SHARE)) / dpi * 25.4 if len(heights) >= FEWEST else None
