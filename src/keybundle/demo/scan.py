"""The scan simulation: a drawn page becomes what a scanner would have delivered, and its truth is known."""

from __future__ import annotations

import io

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from keybundle.core.base.boxes import Box, Frame, transform_box
from keybundle.core.base.records import dataclass
from keybundle.demo.paper import PlacedWord

Array = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Effects:
    """What happens to a page on its way through the scanner.

    ``rotation`` is the clockwise turn in degrees that would make the captured picture upright again;
    ``skew_degrees`` is positive when the text runs down to the right; ``faint`` lightens the toner (0 to 1);
    ``speckle`` is specks per square centimetre; ``show_through`` is the strength of the other side (0 to 1);
    ``shade`` is how much light is lost from one corner to the other (0 to 1).
    """

    mode: str = "grey"
    skew_degrees: float = 0.0
    rotation: int = 0
    blur_px: float = 0.0
    noise: float = 3.0
    speckle: float = 0.0
    faint: float = 0.0
    dark_edges: bool = False
    punch_holes: bool = False
    show_through: float = 0.0
    paper: int = 248
    shade: float = 0.0


@dataclass(frozen=True)
class Scan:
    """A captured picture with its resolution and truth: the frame that makes it upright and its true words."""

    image: Image.Image
    dpi: int
    frame: Frame
    words: tuple[PlacedWord, ...]

    def captured_box(self, box: Box) -> Box:
        """Return a true box in px of the captured picture."""
        return transform_box(self.frame.to_captured(), box)

    def encode(self) -> bytes:
        """Return the bytes a scanner would hand over: TIFF group 4 for 1-bit, PNG for grey, JPEG for colour."""
        out = io.BytesIO()
        if self.image.mode == "1":
            self.image.save(out, "TIFF", compression="group4", dpi=(self.dpi, self.dpi))
        elif self.image.mode == "L":
            self.image.save(out, "PNG", compress_level=1, dpi=(self.dpi, self.dpi))
        else:
            self.image.save(out, "JPEG", quality=88, dpi=(self.dpi, self.dpi))
        return out.getvalue()


def scan(
    page: Image.Image, words: list[PlacedWord], dpi: int, effects: Effects, seed: int, back: Image.Image | None = None
) -> Scan:
    """Pass a drawn page (and the picture on its other side) through the simulation; the seed decides the noise."""
    rng = np.random.default_rng(seed)
    pixels = np.array(page.convert("RGB") if effects.mode == "colour" else page.convert("L"), dtype=np.uint8)
    if effects.show_through and back is not None:
        other = np.array(back.convert("L"), dtype=np.float32)[:, ::-1]
        veil = (1 - effects.show_through * (1 - cv2.GaussianBlur(other, (0, 0), dpi / 130) / 255)) * 255
        pixels = np.minimum(pixels, (veil if pixels.ndim == 2 else veil[:, :, None]).astype(np.uint8))
    scale = effects.paper / 255
    value = pixels.astype(np.float32)
    if effects.faint:
        value = 255 - (255 - value) * (1 - effects.faint)
    value *= scale
    if effects.blur_px:
        value = cv2.GaussianBlur(value, (0, 0), effects.blur_px)
    pixels = np.clip(value, 0, 255).astype(np.uint8)
    pixels = _add_holes(pixels, dpi) if effects.punch_holes else pixels
    pixels, frame = _turn(pixels, effects)
    pixels = _add_dirt(pixels, dpi, effects, rng)
    if effects.shade:
        fall = 1 - effects.shade * np.add.outer(
            np.linspace(0, 0.3, pixels.shape[0]), np.linspace(0, 0.7, pixels.shape[1])
        )
        shaded = pixels * (fall if pixels.ndim == 2 else fall[:, :, None])
        pixels = np.asarray(shaded, dtype=np.uint8)
    image = Image.fromarray(pixels)
    if effects.mode == "1-bit":
        image = image.convert("L").point(lambda v: 255 if v > 165 else 0).convert("1", dither=Image.Dither.NONE)
    return Scan(image, dpi, frame, tuple(words))


def _add_holes(pixels: Array, dpi: int) -> Array:
    mm = dpi / 25.4
    out = pixels.copy()
    for y_mm in (108.5, 188.5):
        cv2.circle(out, (round(11 * mm), round(y_mm * mm)), round(3 * mm), (40,) * 3, -1, cv2.LINE_AA)
    return out


def _turn(pixels: Array, effects: Effects) -> tuple[Array, Frame]:
    height, width = pixels.shape[:2]
    sideways = effects.rotation in (90, 270)
    captured = (height, width) if sideways else (width, height)
    frame = Frame(captured[0], captured[1], effects.rotation, effects.skew_degrees)
    if not effects.skew_degrees:
        return np.ascontiguousarray(np.rot90(pixels, effects.rotation // 90)), frame
    matrix = np.array(frame.to_captured(), dtype=np.float64).reshape(2, 3)
    paper = (effects.paper,) * 3
    out = cv2.warpAffine(pixels, matrix, captured, flags=cv2.INTER_LINEAR, borderValue=paper)
    return np.asarray(out, dtype=np.uint8), frame


def _add_dirt(pixels: Array, dpi: int, effects: Effects, rng: np.random.Generator) -> Array:
    height, width = pixels.shape[:2]
    out = pixels.astype(np.int16)
    if effects.noise and effects.mode != "1-bit":
        noise = rng.normal(0, effects.noise, (height // 2 + 1, width // 2 + 1)).astype(np.float32)
        fine = cv2.resize(noise, (width, height), interpolation=cv2.INTER_NEAREST).astype(np.int16)
        out += fine if out.ndim == 2 else fine[:, :, None]
    out = np.clip(out, 0, 255)
    if effects.speckle:
        area_cm2 = width * height / (dpi / 2.54) ** 2
        for _ in range(int(rng.poisson(effects.speckle * area_cm2))):
            x, y = int(rng.integers(width)), int(rng.integers(height))
            side = int(rng.integers(1, max(2, round(dpi / 110))))
            out[y : y + side, x : x + side] = 30
    if effects.dark_edges:
        left = int(rng.integers(1, 3) * dpi / 25.4)
        bottom = int(rng.integers(1, 4) * dpi / 25.4 * 0.7) + 1
        out[:, :left] = 20
        out[-bottom:] = 25
    return out.astype(np.uint8)
