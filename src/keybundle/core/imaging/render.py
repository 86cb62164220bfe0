"""Derived pictures of a page: upright and straight for reading, small for showing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from keybundle.core.base.boxes import Affine, Box, Frame, compose
from keybundle.core.imaging.picture import Picture, Pixels, to_grey
from keybundle.core.imaging.scale import scale_by

STRAIGHT_DEGREES = 0.08
AROUND_PX = 4


def straighten(picture: Picture, frame: Frame, *, scale: float = 1.0, grey: bool = True) -> Pixels:
    """Return the upright, straight picture at ``scale`` of its captured size, paper where nothing was captured.

    One affine warp from the captured pixels, area-averaged first where ``scale`` is under 1.
    """
    pixels = to_grey(picture) if grey else picture.pixels
    if scale < 1:
        size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
        pixels = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    elif scale > 1:
        pixels = np.asarray(cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC), dtype=np.uint8)
    if abs(frame.skew_degrees) < STRAIGHT_DEGREES:
        return np.ascontiguousarray(np.rot90(pixels, -(frame.rotation // 90)))
    small = Frame(pixels.shape[1], pixels.shape[0], frame.rotation, frame.skew_degrees)
    return _warp(pixels, small.to_upright(), small.upright_size)


def straighten_part(picture: Picture, frame: Frame, box: Box) -> Pixels:
    """Return ``(H, W) uint8``: what ``straighten`` shows within a box (in px upright), without straightening the rest.

    What of the box lies outside of the upright picture is left out; nothing may be left.
    """
    width, height = frame.upright_size
    left, top, right, bottom = max(0, box[0]), max(0, box[1]), min(width, box[2]), min(height, box[3])
    if right <= left or bottom <= top:
        return np.zeros((0, 0), dtype=np.uint8)
    if abs(frame.skew_degrees) < STRAIGHT_DEGREES:
        part = np.rot90(picture.pixels, -(frame.rotation // 90))[top:bottom, left:right]
        return np.ascontiguousarray(to_grey(replace(picture, pixels=np.ascontiguousarray(part))))
    x0, y0, x1, y1 = frame.captured_box((left, top, right, bottom))
    x0, y0 = max(0, x0 - AROUND_PX), max(0, y0 - AROUND_PX)
    near = np.ascontiguousarray(picture.pixels[y0 : y1 + AROUND_PX, x0 : x1 + AROUND_PX])
    to_part = compose((1, 0, -left, 0, 1, -top), compose(frame.to_upright(), (1, 0, x0, 0, 1, y0)))
    return _warp(to_grey(replace(picture, pixels=near)), to_part, (right - left, bottom - top))


def _warp(pixels: Pixels, to: Affine, size: tuple[int, int]) -> Pixels:
    matrix = np.array(to, dtype=np.float64).reshape(2, 3)
    paper = 255 if pixels.ndim == 2 else (255, 255, 255)
    return np.asarray(cv2.warpAffine(pixels, matrix, size, flags=cv2.INTER_LINEAR, borderValue=paper), dtype=np.uint8)


def encode_previews(picture: Picture, frame: Frame, sizes_px: Sequence[int], quality: int = 80) -> list[bytes]:
    """Return JPEGs of the upright, straight page, the longer side of each as given, the largest first.

    The page is straightened once, at the largest size; the others are made from that.
    """
    longest = max(picture.width, picture.height)
    small = replace(picture, pixels=scale_by(picture.pixels, sizes_px[0] / longest))
    pixels = straighten(small, frame, grey=picture.pixels.ndim == 2)
    if pixels.ndim == 3:
        pixels = np.ascontiguousarray(pixels[:, :, ::-1])
    found = []
    for size in sizes_px:
        pixels = scale_by(pixels, size / max(pixels.shape[:2]))
        done, data = cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, quality])
        if not done:
            raise ValueError(f"a picture of shape {pixels.shape} could not be encoded")
        found.append(bytes(data.tobytes()))
    return found
