"""What a page needs to be kept in: colour, grey or 1-bit, by what is on it and not by how it was scanned."""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.imaging.judge import shrink
from keybundle.core.imaging.paper import measure_darkness
from keybundle.core.imaging.picture import Picture, to_grey

LOOK_DPI = 100.0
COLOURFUL = 38
COLOUR_MM2 = 6.0
HALF_TONE_MM2 = 60.0


def decide_colour(picture: Picture) -> str:
    """Return ``colour``, ``grey`` or ``1-bit``.

    Colour where more than ``COLOUR_MM2`` differ in hue from their paper; grey where more than ``HALF_TONE_MM2`` are
    half dark in areas wider than the edge of a stroke, as photographs are; text and lines need 1-bit.
    """
    grey, dpi = shrink(to_grey(picture), picture.dpi, LOOK_DPI)
    mm2 = (dpi / 25.4) ** 2
    if picture.pixels.ndim == 3:
        size = (grey.shape[1], grey.shape[0])
        small = cv2.resize(picture.pixels, size, interpolation=cv2.INTER_AREA).astype(np.int16)
        tint = np.median(small[::8, ::8].reshape(-1, 3), axis=0)
        chroma = (small - tint).max(axis=2) - (small - tint).min(axis=2)
        if float((chroma > COLOURFUL).sum()) / mm2 > COLOUR_MM2:
            return "colour"
    if picture.mode == "1-bit":
        return "1-bit"
    darkness = measure_darkness(grey, dpi)
    half = ((darkness > 0.15) & (darkness < 0.75)).astype(np.uint8)
    wide = cv2.erode(half, np.ones((3, 3), np.uint8))
    return "grey" if float(wide.sum()) / mm2 > HALF_TONE_MM2 else "1-bit"
