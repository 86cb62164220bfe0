"""What a page needs to be kept in: colour, grey or 1-bit, by what is on it and not by how it was scanned."""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.imaging.judge import shrink
from keybundle.core.imaging.paper import measure_darkness
from keybundle.core.imaging.picture import Picture, Pixels
from keybundle.core.imaging.scale import scale_by

LOOK_DPI = 100.0
COLOURFUL = 38
COLOUR_MM2 = 6.0
HALF_TONE_MM2 = 60.0


def decide_colour(picture: Picture) -> str:
    """Return ``colour``, ``grey`` or ``1-bit``.

    Colour where more than ``COLOUR_MM2`` differ in hue from their paper; grey where more than ``HALF_TONE_MM2`` are
    half dark in areas wider than the edge of a stroke, as photographs are; text and lines need 1-bit.
    """
    if picture.pixels.ndim == 3:
        factor = min(1.0, LOOK_DPI / picture.dpi)
        small = scale_by(picture.pixels, factor)
        dpi = picture.dpi * factor
        if _colourful_mm2(small, dpi) > COLOUR_MM2:
            return "colour"
        grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), dtype=np.uint8)
    else:
        grey, dpi = shrink(picture.pixels, picture.dpi, LOOK_DPI)
    if picture.mode == "1-bit":
        return "1-bit"
    darkness = measure_darkness(grey, dpi)
    half = ((darkness > 0.15) & (darkness < 0.75)).astype(np.uint8)
    wide = cv2.erode(half, np.ones((3, 3), np.uint8))
    return "grey" if float(wide.sum()) / (dpi / 25.4) ** 2 > HALF_TONE_MM2 else "1-bit"


def _colourful_mm2(small: Pixels, dpi: float) -> float:
    """Return the area that differs in hue from the paper, whatever tint that has."""
    tint = np.median(small[::8, ::8].reshape(-1, 3), axis=0)
    red, green, blue = (small[:, :, i].astype(np.int16) - int(tint[i]) for i in range(3))
    chroma = np.maximum(np.maximum(red, green), blue) - np.minimum(np.minimum(red, green), blue)
    return float((chroma > COLOURFUL).sum()) / (dpi / 25.4) ** 2
