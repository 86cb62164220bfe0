"""Light print on dark bands, as heads of tables and banners have it: turned dark on light before a page is read."""

from __future__ import annotations

import cv2
import numpy as np

from keybundle.core.base.boxes import Box
from keybundle.core.imaging.picture import Pixels
from keybundle.core.imaging.scale import scale_by

WHITE = 255
LOOK_DPI, DARK = 100.0, 128
STROKE_MM, LEAST_WIDE_MM, LEAST_HIGH_MM = 1.2, 6.0, 2.6
FILLED, DARK_SHARE = 0.8, 0.85


def turn_light_on_dark(grey: Pixels, dpi: float) -> Pixels:
    """Return an upright, straight page, ``(H, W) uint8``, with its dark bands turned; the same array where there are none.

    A band is a dark rectangle, light strokes in it bridged. Its ground becomes white and its print black.
    """
    look = scale_by(grey, LOOK_DPI / dpi)
    mm = LOOK_DPI / 25.4
    dark = (look < DARK).astype(np.uint8)
    side = np.ones((round(STROKE_MM * mm), round(STROKE_MM * mm)), np.uint8)
    least = np.ones((round(LEAST_HIGH_MM * mm), round(LEAST_WIDE_MM * mm)), np.uint8)
    bands = cv2.morphologyEx(cv2.morphologyEx(dark, cv2.MORPH_CLOSE, side), cv2.MORPH_OPEN, least)
    if not bands.any():
        return grey
    out, by = grey.copy(), grey.shape[1] / look.shape[1]
    _, _, stats, _ = cv2.connectedComponentsWithStats(bands)
    for left, top, width, height, area in (tuple(int(v) for v in row) for row in stats[1:]):
        if area < FILLED * width * height or not _has_dark_borders(dark[top : top + height, left : left + width]):
            continue
        box = (round(left * by), round(top * by), round((left + width) * by), round((top + height) * by))
        _turn(out, box, round(by) + 1)
    return out


def _has_dark_borders(band: Pixels) -> bool:
    """Whether all four sides of a part are dark along their whole length, as no word in bold is."""
    inner = band[1:-1, 1:-1]
    return bool(min(inner[0].mean(), inner[-1].mean(), inner[:, 0].mean(), inner[:, -1].mean()) >= DARK_SHARE)


def _turn(out: Pixels, box: Box, edge: int) -> None:
    """Turn a band in place; what is within ``edge`` px of its border on either side becomes paper."""
    left, top, right, bottom = box
    inner = WHITE - out[top + edge : bottom - edge, left + edge : right - edge]
    if inner.size == 0:
        return
    darkest, ground = np.percentile(inner, 1), np.percentile(inner, 60)
    stretched = (inner.astype(np.float32) - darkest) * (WHITE / max(1.0, ground - darkest))
    out[max(0, top - edge) : bottom + edge, max(0, left - edge) : right + edge] = WHITE
    out[top + edge : bottom - edge, left + edge : right - edge] = np.clip(stretched, 0, WHITE).astype(np.uint8)
