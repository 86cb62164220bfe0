"""The cleaned picture of a page as it is filed: without edges, holes and specks, in no more colours than it needs."""

from __future__ import annotations

import io
from typing import IO

import cv2
import numpy as np
from PIL import Image

from keybundle.core.imaging.clean import Steps, clean
from keybundle.core.imaging.paper import measure_darkness
from keybundle.core.imaging.picture import Picture, Pixels, to_grey

JPEG_QUALITY = 80
ONE_STRIP = 1 << 30
FAINTEST_INK, INK_SHARE = 0.12, 0.5
WHITE = 255


def threshold(grey: Pixels, dpi: float) -> Pixels:
    """Return ``(H, W) uint8``, 0 for ink and 255 for paper: ink is more than half as dark as most ink of the page.

    Darkness counts against the paper of the place, so that shadows and tinted paper become white.
    """
    darkness = measure_darkness(grey, dpi)
    inked = darkness[::3, ::3][darkness[::3, ::3] > FAINTEST_INK]
    usual = float(np.percentile(inked, 80)) if inked.size > 100 else 1.0
    return np.where(darkness > INK_SHARE * usual, np.uint8(0), np.uint8(WHITE))


def save_group4(image: Image.Image, out: IO[bytes], dpi: tuple[float, float] = (300.0, 300.0)) -> None:
    """Write a 1-bit picture as TIFF group 4 in one strip, which goes into a PDF as it is."""
    image.save(out, "TIFF", compression="group4", dpi=dpi, strip_size=ONE_STRIP)


def encode_cleaned(picture: Picture, colour: str, steps: Steps) -> bytes:
    """Return the cleaned picture in ``colour`` (``colour``, ``grey`` or ``1-bit``), not turned.

    1-bit becomes TIFF group 4, the others JPEG.
    """
    grey = to_grey(picture)
    out = io.BytesIO()
    dpi = (picture.dpi, picture.dpi)
    if colour == "1-bit":
        tidy = clean(grey, picture.dpi, Steps(steps.crop, steps.fill_holes, steps.despeckle, flatten=False))
        two = tidy if picture.mode == "1-bit" else threshold(tidy, picture.dpi)
        save_group4(Image.fromarray(two).convert("1", dither=Image.Dither.NONE), out, dpi)
        return out.getvalue()
    tidy = clean(grey, picture.dpi, Steps(steps.crop, steps.fill_holes, despeckle=False, flatten=False))
    pixels = tidy
    if colour == "colour" and picture.pixels.ndim == 3:
        painted = cv2.compare(tidy, grey, cv2.CMP_NE)
        pixels = np.where(painted[:, :, None] > 0, np.uint8(WHITE), picture.pixels)
    Image.fromarray(pixels).save(out, "JPEG", quality=JPEG_QUALITY, dpi=dpi)
    return out.getvalue()
