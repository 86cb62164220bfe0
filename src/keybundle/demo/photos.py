"""Photographs of paper with their truth: a sheet on a desk, seen by a hand-held camera under uneven light."""

from __future__ import annotations

import io
import random

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from keybundle.core.base.records import dataclass
from keybundle.core.imaging.picture import Pixels
from keybundle.demo.trials import draw_page

SHEET_MM = (210.0, 297.0)
DESKS = ((92, 64, 44), (58, 60, 66), (150, 118, 84), (120, 128, 132), (44, 70, 62), (176, 160, 140))


@dataclass(frozen=True)
class Photo:
    """A photograph: ``(H, W, 3) uint8`` RGB, the sheet's true corners ``(4, 2)`` px, clockwise, and its true words."""

    pixels: Pixels
    corners: npt.NDArray[np.float64]
    words: tuple[str, ...]

    @property
    def px_per_mm(self) -> float:
        """How large the sheet is in the picture, on average."""
        around = np.linalg.norm(np.roll(self.corners, -1, axis=0) - self.corners, axis=1).sum()
        return float(around) / (2 * sum(SHEET_MM))

    def encode(self) -> bytes:
        """Return a JPEG as a camera writes it, without a resolution that means anything."""
        out = io.BytesIO()
        Image.fromarray(self.pixels).save(out, "JPEG", quality=88, dpi=(72, 72))
        return out.getvalue()


def take_photo(seed: int, size: tuple[int, int] = (2400, 3200)) -> Photo:
    """Photograph some page; desk, tilt, turn (to 15 degrees), light, shadow, blur and noise follow the seed."""
    rng = random.Random(seed + 31000)
    noise = np.random.default_rng(seed)
    page = draw_page(seed, 250)
    sheet = np.array(page.sheet.image.convert("RGB"), dtype=np.uint8)
    corners = _corners(rng, size)
    width, height = size
    source = np.array(
        [[0, 0], [sheet.shape[1], 0], [sheet.shape[1], sheet.shape[0]], [0, sheet.shape[0]]], dtype=np.float32
    )
    matrix = cv2.getPerspectiveTransform(source - 0.5, corners.astype(np.float32))
    out = _desk(rng, noise, size)
    mask = cv2.warpPerspective(np.full(sheet.shape[:2], 255, np.uint8), matrix, size, flags=cv2.INTER_AREA)
    shadow = cv2.GaussianBlur(np.roll(mask, (rng.randint(6, 18), rng.randint(-14, 14)), (0, 1)), (0, 0), 14)
    out *= (1 - 0.45 * (shadow / 255.0))[:, :, None]
    tint = np.array([rng.uniform(0.9, 1), rng.uniform(0.88, 0.97), rng.uniform(0.78, 0.95)]) * rng.uniform(0.85, 0.97)
    laid = cv2.warpPerspective(sheet, matrix, size, flags=cv2.INTER_AREA) * tint
    cover = (mask / 255.0)[:, :, None]
    out = out * (1 - cover) + laid * cover
    out *= _light(rng, size)[:, :, None]
    out = cv2.GaussianBlur(out, (0, 0), rng.uniform(0.6, 1.4)) + noise.normal(0, rng.uniform(1, 5), (height, width, 1))
    return Photo(np.clip(out, 0, 255).astype(np.uint8), corners, tuple(w.text for w in page.words))


def _corners(rng: random.Random, size: tuple[int, int]) -> npt.NDArray[np.float64]:
    """Project a sheet through a pinhole camera that looks down on it, tilted by up to 22 degrees each way."""
    half = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * np.array(SHEET_MM) / 2
    points = np.c_[half, np.zeros(4)]
    turn, tilt, lean = (np.radians(rng.uniform(-a, a)) for a in (15, 22, 18))
    about_z = [[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]]
    about_x = [[1, 0, 0], [0, np.cos(tilt), -np.sin(tilt)], [0, np.sin(tilt), np.cos(tilt)]]
    about_y = [[np.cos(lean), 0, np.sin(lean)], [0, 1, 0], [-np.sin(lean), 0, np.cos(lean)]]
    seen = points @ (np.array(about_y) @ np.array(about_x) @ np.array(about_z)).T
    focal = rng.uniform(0.85, 1.2) * max(size)
    seen[:, 2] += focal * 297.0 / (rng.uniform(0.68, 0.84) * size[1])
    flat = seen[:, :2] / seen[:, 2:] * focal
    low, high = flat.min(axis=0), flat.max(axis=0)
    flat *= min(1.0, *(0.94 * np.array(size) / (high - low)))
    low, high = flat.min(axis=0), flat.max(axis=0)
    room = np.array(size) - (high - low)
    return np.asarray(flat - low + room * [rng.uniform(0.3, 0.7), rng.uniform(0.3, 0.7)], dtype=np.float64)


def _desk(rng: random.Random, noise: np.random.Generator, size: tuple[int, int]) -> npt.NDArray[np.float64]:
    width, height = size
    grain = cv2.resize(noise.normal(0, 1, (height // 40, width // 4)).astype(np.float32), size)
    spots = cv2.resize(noise.normal(0, 1, (height // 60, width // 60)).astype(np.float32), size)
    desk = np.array(rng.choice(DESKS), dtype=np.float64) + (grain * rng.uniform(2, 9) + spots * 5)[:, :, None]
    if rng.random() < 0.4:
        x, y = rng.choice((rng.randint(0, 200), width - rng.randint(0, 200))), rng.randint(0, height)
        cv2.line(desk, (x, y), (x + rng.randint(-80, 80), y + 900), (30.0, 40.0, 160.0), 24)
    return desk


def _light(rng: random.Random, size: tuple[int, int]) -> npt.NDArray[np.float32]:
    """Return the light on each place: a slope, a lamp, and at times the shadow of a hand."""
    width, height = size
    y, x = np.mgrid[0:height:8, 0:width:8].astype(np.float32)
    x, y = x / width - rng.uniform(0.2, 0.8), y / height - rng.uniform(0.2, 0.8)
    light = 1 - rng.uniform(0.1, 0.4) * (x * rng.uniform(-1, 1) + y * rng.uniform(-1, 1)) - 0.35 * (x**2 + y**2)
    if rng.random() < 0.5:
        edge = x * np.cos(rng.uniform(0, 6.3)) + y * np.sin(rng.uniform(0, 6.3)) - rng.uniform(0.1, 0.35)
        light *= 1 - rng.uniform(0.15, 0.4) / (1 + np.exp(-edge * rng.uniform(12, 40)))
    return np.asarray(cv2.resize(light.astype(np.float32), (width, height)), dtype=np.float32)
