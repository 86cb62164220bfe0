"""Making pictures smaller, at the price of one pass over their pixels."""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.imaging.picture import Pixels


def scale_down(pixels: Pixels, width: int, height: int) -> Pixels:
    """Return ``(H, W[, 3]) uint8`` at a smaller size; every captured px has its share in the result.

    Halved by the mean of four as long as that fits, then resampled linearly by a factor between 0.5 and 1, where two
    neighbours leave no px out. Both have fast paths; averaging areas by an odd factor costs ten times as much.
    """
    while pixels.shape[1] >= 2 * width and pixels.shape[0] >= 2 * height:
        half_height, half_width = pixels.shape[0] // 2, pixels.shape[1] // 2
        even = pixels[: 2 * half_height, : 2 * half_width]
        pixels = np.asarray(cv2.resize(even, (half_width, half_height), interpolation=cv2.INTER_AREA), dtype=np.uint8)
    if (pixels.shape[1], pixels.shape[0]) == (width, height):
        return pixels
    return np.asarray(cv2.resize(pixels, (width, height), interpolation=cv2.INTER_LINEAR), dtype=np.uint8)


def scale_by(pixels: Pixels, factor: float) -> Pixels:
    """Return the picture at ``factor`` (0 to 1) of its size; as it is from 1 on."""
    if factor >= 1:
        return pixels
    return scale_down(pixels, max(1, round(pixels.shape[1] * factor)), max(1, round(pixels.shape[0] * factor)))
