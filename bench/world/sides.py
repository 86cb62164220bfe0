"""Sides with nothing on them but what paper and scanners leave there, and sides with one small mark among the same dirt."""

from __future__ import annotations

import functools
import math
import random
from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
import numpy.typing as npt

from bench.world.families import FAMILIES
from bench.world.papers import DPI, Job, draw
from keybundle.core.imaging.picture import Picture
from keybundle.demo.paper import A4_MM, Sheet

Light = npt.NDArray[np.float32]
DIRT = ("clean", "dust", "fibres", "crescents", "shows through in shade", "slanting on black", "all of it")
MARKS = ("three characters", "tick", "dash", "pencil note", "faint stamp", "signature", "line of print")
MODES = ("grey", "1-bit", "grey", "colour")
FINE = 4
CUT = 165.0


@dataclass(frozen=True)
class Side:
    """A captured side: how it was made dirty, and which mark stands on it (none: it is blank)."""

    picture: Picture
    dirt: str
    mark: str | None
    mode: str


@dataclass
class _Making:
    """A side on its way: its light from 0 to 255 (px of ``DPI``), and the source of chance."""

    rng: random.Random
    mode: str
    light: Light = field(default_factory=lambda: np.full(_shape(), 255, dtype=np.float32))

    def curve(self, points_mm: npt.NDArray[np.float64], width_mm: float, level: float) -> None:
        """Draw a line through ``(N, 2)`` points in mm, soft at its borders by the px it half covers."""
        px = DPI / 25.4
        pad = width_mm + 1
        low = np.maximum(0, np.floor((points_mm.min(axis=0) - pad) * px)).astype(int)
        high = np.ceil((points_mm.max(axis=0) + pad) * px).astype(int)
        part = self.light[low[1] : high[1], low[0] : high[0]]
        if part.size == 0:
            return
        fine = np.zeros((part.shape[0] * FINE, part.shape[1] * FINE), dtype=np.uint8)
        at = np.round((points_mm * px - low) * FINE).astype(np.int32)
        cv2.polylines(fine, [at], False, 255, max(1, round(width_mm * px * FINE)))
        cover = cv2.resize(fine, part.shape[::-1], interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        part[:] = np.minimum(part, 255 - cover * (255 - level))


def _shape() -> tuple[int, int]:
    return round(A4_MM[1] / 25.4 * DPI), round(A4_MM[0] / 25.4 * DPI)


# -- dirt ----------------------------------------------------------------------------------------------------------


def _fibre(making: _Making) -> None:
    """Lay a textile or paper fibre: 2 to 9 mm long, 0.05 to 0.18 mm thick, curled a little or much."""
    rng = making.rng
    length, bend = rng.uniform(2, 9), rng.uniform(-0.9, 0.9)
    angle, steps = rng.uniform(0, 2 * math.pi), 40
    x, y = rng.uniform(8, A4_MM[0] - 8), rng.uniform(8, A4_MM[1] - 8)
    points, turn = [(x, y)], bend + rng.uniform(-0.4, 0.4)
    for _ in range(steps):
        angle += turn * length / steps * 0.5
        turn += rng.uniform(-0.12, 0.12)
        x, y = x + math.cos(angle) * length / steps, y + math.sin(angle) * length / steps
        points.append((x, y))
    making.curve(np.array(points), rng.uniform(0.05, 0.18), rng.uniform(30, 150))


def _speck(making: _Making) -> None:
    """Lay a speck of dust of 0.1 to 0.8 mm, of no particular shape."""
    rng, size = making.rng, making.rng.uniform(0.1, 0.8)
    x, y = rng.uniform(4, A4_MM[0] - 4), rng.uniform(4, A4_MM[1] - 4)
    turns = np.sort(np.array([rng.uniform(0, 2 * math.pi) for _ in range(7)]))
    far = np.array([rng.uniform(0.25, 0.5) * size for _ in range(7)])
    px = DPI / 25.4
    outline = np.stack([(x + far * np.cos(turns)) * px, (y + far * np.sin(turns)) * px], axis=1)
    cv2.fillPoly(making.light, [np.round(outline * 16).astype(np.int32)], (rng.uniform(20, 120),), cv2.LINE_4, 4)


def _dust(making: _Making) -> None:
    for _ in range(making.rng.randrange(4, 40)):
        _speck(making)


def _fibres(making: _Making) -> None:
    for _ in range(making.rng.randrange(1, 9)):
        _fibre(making)


def _crescents(making: _Making) -> None:
    """Punch two or four holes: before a white lid nothing shows of them but the shadow on one side."""
    rng = making.rng
    at_top, distance = rng.random() < 0.2, 80.0
    middle = (A4_MM[0] if at_top else A4_MM[1]) / 2
    holes = [middle - distance / 2, middle + distance / 2]
    if rng.random() < 0.4:
        holes = [middle - 1.5 * distance, *holes, middle + 1.5 * distance] if not at_top else holes
    radius, start, span = rng.uniform(2.6, 3.2), rng.uniform(0, 2 * math.pi), rng.uniform(1.2, 4.5)
    level, thick = rng.uniform(30, 150), rng.uniform(0.2, 0.9)
    for along in holes:
        x, y = (along, 11.5) if at_top else (11.5, along)
        angles = np.linspace(start, start + span, 40)
        making.curve(np.stack([x + radius * np.cos(angles), y + radius * np.sin(angles)], axis=1), thick, level)


@functools.lru_cache(maxsize=24)
def _other_side(seed: int, number: int) -> Light:
    family = FAMILIES[number % (len(FAMILIES) - 3)]
    image = draw(Job(seed, family.name, number))[0].image.convert("L")
    page = np.full(_shape(), 255, dtype=np.float32)
    found = np.array(image, dtype=np.float32)[: page.shape[0], : page.shape[1]]
    page[: found.shape[0], : found.shape[1]] = found
    return np.ascontiguousarray(page[:, ::-1])


def _shows_through(making: _Making, seed: int) -> None:
    """Let the print of the other side through, scattered by the paper, and the light fall off to one corner."""
    rng = making.rng
    strength, spread = rng.uniform(0.06, 0.32), rng.uniform(2.0, 4.0)
    veil = cv2.GaussianBlur(_other_side(seed, rng.randrange(20)), (0, 0), spread * DPI / 300)
    making.light = np.minimum(making.light, 255 - strength * (255 - veil)).astype(np.float32)


def _shade(making: _Making) -> None:
    rng = making.rng
    most = 0.22 if making.mode == "1-bit" else 0.5
    rows, columns = (np.linspace(0, rng.uniform(0, most / 2), n, dtype=np.float32) for n in making.light.shape)
    making.light *= 1 - (rows[:, None] + columns[None, :])


def _slant(making: _Making) -> None:
    """Lay the sheet aslant before a dark or grey background, with the shadow of its edge."""
    rng = making.rng
    height, width = making.light.shape
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), rng.choice((-1, 1)) * rng.uniform(0.4, 3.0), 1.0)
    turn[:, 2] += (rng.uniform(-1.5, 1.5) * DPI / 25.4, rng.uniform(-1.5, 1.5) * DPI / 25.4)
    ground = rng.uniform(10, 130)
    sheet = cv2.warpAffine(np.full_like(making.light, 1.0), turn, (width, height), flags=cv2.INTER_LINEAR)
    turned = cv2.warpAffine(making.light, turn, (width, height), flags=cv2.INTER_LINEAR, borderValue=(255,))
    shadow = 1 - 0.35 * (1 - cv2.GaussianBlur(sheet, (0, 0), rng.uniform(1, 6)))
    making.light = np.asarray(np.where(sheet > 0.5, turned * shadow, ground), dtype=np.float32)


# -- marks ---------------------------------------------------------------------------------------------------------


def _place(rng: random.Random) -> tuple[float, float]:
    return rng.uniform(25, 150), rng.uniform(25, 270)


def _print(making: _Making, text: str, size_pt: float, level: float) -> None:
    sheet, (x, y) = Sheet(DPI), _place(making.rng)
    sheet.put(text, x, y, making.rng.choice(("plain", "serif", "typewriter", "firm")), size_pt, ink=(round(level),) * 3)
    making.light = np.minimum(making.light, np.array(sheet.image.convert("L"), dtype=np.float32))


def _characters(making: _Making) -> None:
    text = making.rng.choice(("p.3", "No.", "A 4", "127", "See", "N/A", "2/7"))
    _print(making, text, making.rng.uniform(8, 12), making.rng.uniform(20, 100))


def _tick(making: _Making) -> None:
    rng, (x, y) = making.rng, _place(making.rng)
    size = rng.uniform(3, 7)
    points = np.array([(x, y), (x + 0.35 * size, y + 0.5 * size), (x + size, y - 0.6 * size)])
    making.curve(points, rng.uniform(0.3, 0.7), _pen(making))


def _dash(making: _Making) -> None:
    rng, (x, y) = making.rng, _place(making.rng)
    length, tilt = rng.uniform(3, 15), rng.uniform(-0.4, 0.4)
    making.curve(np.array([(x, y), (x + length, y + tilt * length)]), rng.uniform(0.35, 0.7), _pen(making))


def _pen(making: _Making) -> float:
    return making.rng.uniform(20, 90) if making.mode == "1-bit" else making.rng.uniform(20, 175)


def _note(making: _Making) -> None:
    """Write a word or two in pencil."""
    rng, (x, y) = making.rng, _place(making.rng)
    px, text = DPI / 25.4, rng.choice(("ok", "AB", "14/3", "see B", "file", "Ref 8"))
    layer = np.full(_shape(), 255, dtype=np.uint8)
    level = rng.uniform(40, 110) if making.mode == "1-bit" else rng.uniform(110, 175)
    cv2.putText(layer, text, (round(x * px), round(y * px)), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX, rng.uniform(1.1, 2.0), level,
                rng.choice((3, 4, 6)), cv2.LINE_AA)  # fmt: skip
    making.light = np.minimum(making.light, layer.astype(np.float32))


def _stamp(making: _Making) -> None:
    rng, (x, y) = making.rng, _place(making.rng)
    wide, high = rng.uniform(25, 45), rng.uniform(9, 15)
    level = rng.uniform(40, 120) if making.mode == "1-bit" else rng.uniform(90, 190)
    box = np.array([(x, y), (x + wide, y), (x + wide, y + high), (x, y + high), (x, y)])
    making.curve(box, rng.uniform(0.3, 0.8), level)
    sheet = Sheet(DPI)
    sheet.put(
        rng.choice(("PAID", "RECEIVED", "COPY")), x + 4, y + high * 0.7, "firm", 11, bold=True, ink=(round(level),) * 3
    )
    making.light = np.minimum(making.light, np.array(sheet.image.convert("L"), dtype=np.float32))


def _signature(making: _Making) -> None:
    rng, (x, y) = making.rng, _place(making.rng)
    t = np.linspace(0, 1, 200)
    wave = np.sin(t * rng.uniform(18, 40)) * rng.uniform(2, 5) * (1 - 0.6 * t)
    making.curve(np.stack([x + t * rng.uniform(22, 45), y + wave], axis=1), rng.uniform(0.25, 0.6), _pen(making))


def _line(making: _Making) -> None:
    text = making.rng.choice(("Paid in full", "See over", "This page was left empty", "cc the committee"))
    _print(making, text, making.rng.uniform(7, 12), making.rng.uniform(20, 120))


DRAW_MARK: dict[str, Callable[[_Making], None]] = dict(
    zip(MARKS, (_characters, _tick, _dash, _note, _stamp, _signature, _line), strict=True)
)


def make_side(seed: int, number: int, *, marked: bool) -> Side:
    """Make a side by seed and number: the kinds of dirt come in turn, on marked sides the marks as well."""
    rng = random.Random(f"side/{seed}/{number}/{marked}")
    dirt, mode = DIRT[number % len(DIRT)], MODES[(number // len(DIRT)) % len(MODES)]
    mark = MARKS[(number // 3) % len(MARKS)] if marked else None
    making = _Making(rng, mode)
    if mark is not None:
        DRAW_MARK[mark](making)
    has = lambda kind: dirt in (kind, "all of it")  # noqa: E731
    if has("shows through in shade"):
        _shows_through(making, seed)
    for kind, lay in (("dust", _dust), ("fibres", _fibres), ("crescents", _crescents)):
        if has(kind):
            lay(making)
    making.light *= rng.choice((236, 244, 250)) / 255
    if has("slanting on black"):
        _slant(making)
    if has("shows through in shade"):
        _shade(making)
    return Side(_capture(making), dirt, mark, mode)


def _capture(making: _Making) -> Picture:
    """Return what the scanner hands over: softened a little, with its noise, in its mode."""
    rng = making.rng
    noise = np.random.default_rng(rng.randrange(2**32))
    light = cv2.GaussianBlur(making.light, (0, 0), rng.uniform(0.4, 1.0))
    light += rng.uniform(1, 4) * noise.standard_normal(light.shape, dtype=np.float32)
    if making.mode == "1-bit":
        return Picture(np.where(light > CUT, 255, 0).astype(np.uint8), DPI, "1-bit")
    grey = np.clip(light, 0, 255).astype(np.uint8)
    if making.mode == "grey":
        return Picture(grey, DPI, "grey")
    tint = np.array([rng.uniform(0.96, 1.0) for _ in range(3)], dtype=np.float32)
    return Picture((grey[:, :, None] * tint).astype(np.uint8), DPI, "colour")
