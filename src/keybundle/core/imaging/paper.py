"""How dark each place of a page is against its own paper."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.imaging.picture import Pixels
from keybundle.core.imaging.scale import scale_down

Darkness = npt.NDArray[np.float32]
CELL_PX = 16
WIDEST_CELLS = 21
DARKEST_PAPER = 40


def estimate_paper(grey: Pixels, dpi: float) -> Pixels:
    """Return the paper's level at each px, ``(H, W) uint8``: a wide median of a tiny picture, enlarged smoothly.

    Uneven light, shadows and tinted paper count as paper; text and pictures smaller than about 4 cm do not.
    """
    h, w = grey.shape
    cell = max(2, round(CELL_PX * dpi / 100))
    tiny = scale_down(grey, max(8, w // cell), max(8, h // cell))
    size = max(3, min(WIDEST_CELLS, (min(tiny.shape) // 2) * 2 - 1))
    paper = cv2.resize(cv2.medianBlur(tiny, size), (w, h), interpolation=cv2.INTER_LINEAR)
    return np.asarray(np.maximum(paper, DARKEST_PAPER), dtype=np.uint8)


def measure_darkness(grey: Pixels, dpi: float) -> Darkness:
    """Return ``(H, W) float32``: 0 where a place is as light as its paper, 1 where it is black."""
    paper = estimate_paper(grey, dpi)
    return np.asarray(cv2.divide(cv2.subtract(paper, grey), paper, dtype=cv2.CV_32F), dtype=np.float32)
