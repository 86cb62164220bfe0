"""Photographs of paper: the sheet's outline is found, then the sheet is laid flat and its light evened out."""

from __future__ import annotations

import io

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from keybundle.core.imaging.paper import estimate_paper
from keybundle.core.imaging.picture import Picture, Pixels
from keybundle.core.imaging.scale import scale_down

Corners = npt.NDArray[np.float64]
LOOK_PX = 900
INK_PX = 13
LEVELS = (0.25, 0.35, 0.45, 0.55, 0.65, 0.75)
SMALLEST_SHARE = 0.25
STEEP_ENOUGH = 7.5
SQUARE_ENOUGH = 0.45
FAR_HUE = 0.12
SAMPLES, REACH_PX = 80, 14
FLAT_DPI = 300.0
PAPERS_MM = ((210.0, 297.0), (215.9, 279.4))
WHITE = 250
JPEG_QUALITY = 92


def find_outline(picture: Picture) -> Corners | None:
    """Return the sheet's corners, ``(4, 2) float64`` px of the picture, clockwise from the top left; None if unclear.

    A sheet is a bright, pale four-sided region clearly set off from what it lies on, all corners inside the picture.
    Regions come from several thresholds; the one with the steepest sides wins; each side is then fitted to the
    steepest places across it.
    """
    factor = min(1.0, LOOK_PX / max(picture.width, picture.height))
    size = max(1, round(picture.width * factor)), max(1, round(picture.height * factor))
    small = scale_down(picture.pixels, *size)
    views = [_paleness(small), *([_likeness(small)] if small.ndim == 3 else [])]
    best, steepness = None, STEEP_ENOUGH
    for view in views:
        for level in LEVELS:
            found = _four_sides(view, level)
            if found is not None and (weakest := _weakest_side(view, found)) > steepness:
                best, steepness = found, weakest
    if best is None:
        return None
    clear = (_fit(v, best) for v in views if _weakest_side(v, best) > STEEP_ENOUGH)
    fitted = next((f for f in clear if f is not None), None)
    scale = np.array([picture.width / size[0], picture.height / size[1]])
    return None if fitted is None else (fitted + 0.5) * scale - 0.5


def _paleness(small: Pixels) -> Pixels:
    """Return how bright and free of colour each place is, ink taken away, ``(H, W) uint8``."""
    if small.ndim == 3:
        low = small.min(axis=2)
        grey = cv2.addWeighted(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), 0.5, low, 0.5, 0)
    else:
        grey = small
    return _without_ink(np.asarray(grey, dtype=np.uint8))


def _likeness(small: Pixels) -> Pixels:
    """Return how like each place's hue is to that in the middle, whatever light falls on it, ``(H, W) uint8``."""
    soft = cv2.GaussianBlur(small, (0, 0), 2).astype(np.float32) + 1
    share = soft / soft.sum(axis=2, keepdims=True)
    h, w = small.shape[:2]
    middle = np.median(share[h // 3 : -h // 3, w // 3 : -w // 3].reshape(-1, 3), axis=0)
    away = np.sqrt(((share - middle) ** 2).sum(axis=2))
    return _without_ink(np.asarray(255 * np.clip(1 - away / FAR_HUE, 0, 1), dtype=np.uint8))


def _without_ink(pale: Pixels) -> Pixels:
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (INK_PX, INK_PX))
    return np.asarray(cv2.GaussianBlur(cv2.morphologyEx(pale, cv2.MORPH_CLOSE, kernel), (0, 0), 1.2), dtype=np.uint8)


def _four_sides(paleness: Pixels, level: float) -> Corners | None:
    """Return the four-sided outline of the largest region over a level between the darkest and the palest place."""
    low, high = np.percentile(paleness[::4, ::4], (2, 98))
    mask = (paleness > low + level * (high - low)).astype(np.uint8)
    mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8))
    outlines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not outlines:
        return None
    hull = cv2.convexHull(max(outlines, key=cv2.contourArea))
    for tolerance in (0.01, 0.02, 0.03, 0.05):
        corners = cv2.approxPolyDP(hull, tolerance * cv2.arcLength(hull, True), True)
        if len(corners) == 4:
            ordered = _clockwise(corners.reshape(4, 2).astype(np.float64))
            return ordered if _is_sheet(ordered, paleness.shape) else None
    return None


def _clockwise(corners: Corners) -> Corners:
    middle = corners.mean(axis=0)
    angles = np.arctan2(corners[:, 1] - middle[1], corners[:, 0] - middle[0])
    ordered = corners[np.argsort(angles)]
    return np.roll(ordered, -int(np.argmin(ordered.sum(axis=1))), axis=0)


def _is_sheet(corners: Corners, shape: tuple[int, ...]) -> bool:
    """Whether the outline is large, lies inside the picture, and its angles are those of a sheet seen from above."""
    area = float(cv2.contourArea(corners.astype(np.float32)))
    inside = (corners > 2).all() and (corners[:, 0] < shape[1] - 3).all() and (corners[:, 1] < shape[0] - 3).all()
    ahead = np.roll(corners, -1, axis=0) - corners
    back = np.roll(corners, 1, axis=0) - corners
    lengths = np.linalg.norm(ahead, axis=1) * np.linalg.norm(back, axis=1)
    cosines = np.abs((ahead * back).sum(axis=1) / np.maximum(lengths, 1e-9))
    return bool(inside and area > SMALLEST_SHARE * shape[0] * shape[1] and cosines.max() < SQUARE_ENOUGH)


def _sides(corners: Corners) -> list[tuple[Corners, Corners]]:
    return [(corners[i], corners[(i + 1) % 4]) for i in range(4)]


def _across(paleness: Pixels, start: Corners, end: Corners) -> tuple[Corners, Corners, npt.NDArray[np.float32]]:
    """Return points along a side, its outward direction, and the fall of paleness across it, ``(SAMPLES, 2 REACH)``."""
    direction = (end - start) / np.linalg.norm(end - start)
    outward = np.array([direction[1], -direction[0]])
    along = start + np.linspace(0.06, 0.94, SAMPLES)[:, None] * (end - start)
    reach = np.arange(-REACH_PX, REACH_PX + 1)
    places = along[:, None, :] + reach[None, :, None] * outward
    profile = cv2.remap(
        paleness, places[:, :, 0].astype(np.float32), places[:, :, 1].astype(np.float32), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    ).astype(np.float32)  # fmt: skip
    return along, outward, profile[:, :-1] - profile[:, 1:]


def _weakest_side(paleness: Pixels, corners: Corners) -> float:
    return min(_steepness(paleness, *side) for side in _sides(corners))


def _steepness(paleness: Pixels, start: Corners, end: Corners) -> float:
    """Return how steeply paleness falls across most of a side."""
    _, _, fall = _across(paleness, start, end)
    return float(np.percentile(fall.max(axis=1), 30))


def _fit(paleness: Pixels, corners: Corners) -> Corners | None:
    """Return the corners where straight lines through the steepest places of each side meet."""
    lines = []
    for start, end in _sides(corners):
        along, outward, fall = _across(paleness, start, end)
        steepest = np.argmax(fall, axis=1)
        strong = fall[np.arange(SAMPLES), steepest] > 0.4 * np.median(fall.max(axis=1))
        places = along + (steepest - REACH_PX + 0.5)[:, None] * outward
        kept = places[strong].astype(np.float32)
        for _ in range(3):
            vx, vy, x, y = (float(v) for v in cv2.fitLine(kept, cv2.DIST_HUBER, 0, 0.01, 0.01).ravel())
            away = np.abs((kept[:, 0] - x) * vy - (kept[:, 1] - y) * vx)
            near = away <= max(1.0, 2.5 * float(np.median(away)))
            if near.sum() < SAMPLES // 4:
                return None
            kept = kept[near]
        lines.append(np.cross([x, y, 1.0], [x + vx, y + vy, 1.0]))
    points = [np.cross(lines[i - 1], lines[i]) for i in range(4)]
    if any(abs(p[2]) < 1e-9 for p in points):
        return None
    return np.array([p[:2] / p[2] for p in points])


def flatten_sheet(picture: Picture, corners: Corners) -> Picture:
    """Return the sheet alone, flat, evenly lit and at about the resolution it was photographed in, 300 dpi at most.

    Its size is that of the paper whose proportions come nearest; A4 stands for all of its series.
    """
    across_mm, down_mm = _paper_of(corners, picture.width, picture.height)
    lengths = [float(np.linalg.norm(b - a)) for a, b in _sides(corners)]
    seen = max(max(lengths[0], lengths[2]) / across_mm, max(lengths[1], lengths[3]) / down_mm) * 25.4
    dpi = float(round(min(FLAT_DPI, seen)))
    width, height = round(across_mm / 25.4 * dpi), round(down_mm / 25.4 * dpi)
    target = np.array([[0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]], dtype=np.float32)
    matrix = cv2.getPerspectiveTransform(corners.astype(np.float32), target)
    flat = cv2.warpPerspective(picture.pixels, matrix, (width, height), flags=cv2.INTER_CUBIC)
    return Picture(_even_light(np.asarray(flat, dtype=np.uint8), dpi), dpi, picture.mode)


def flatten_photograph(picture: Picture) -> Picture | None:
    """Return the flat sheet of what looks like a photograph of paper, None for any other picture.

    Photographs have colours and tell no resolution that means anything.
    """
    if picture.is_dpi_told or picture.mode != "colour":
        return None
    corners = find_outline(picture)
    return None if corners is None else flatten_sheet(picture, corners)


def encode_flat(flat: Picture) -> bytes:
    """Return a flat picture as a JPEG that tells its resolution."""
    out = io.BytesIO()
    Image.fromarray(flat.pixels).save(out, "JPEG", quality=JPEG_QUALITY, dpi=(flat.dpi, flat.dpi))
    return out.getvalue()


def _paper_of(corners: Corners, width: int, height: int) -> tuple[float, float]:
    """Return the size in mm, across and down, of the paper whose proportions fit best."""
    ratio = measure_ratio(corners, width, height)
    sizes = [size for paper in PAPERS_MM for size in (paper, paper[::-1])]
    return min(sizes, key=lambda s: abs(np.log(s[0] / s[1] / ratio)))


def measure_ratio(corners: Corners, width: int, height: int) -> float:
    """Return the sheet's width over its height, seen through a pinhole camera with the picture's middle on its axis.

    Z. Zhang, L. He, Whiteboard scanning and image enhancement, Digital Signal Processing 17 (2007), section 3.
    Where the view is straight from above the lengths of the sides tell.
    """
    m1, m2, m4, m3 = (np.array([x - width / 2, y - height / 2, 1.0]) for x, y in corners)
    lengths = [float(np.linalg.norm(b - a)) for a, b in _sides(corners)]
    plain = (lengths[0] + lengths[2]) / (lengths[1] + lengths[3])
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    if abs(n2[2] * n3[2]) < 1e-6:
        return plain
    focal2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    if focal2 < (0.4 * max(width, height)) ** 2 or focal2 > (6.0 * max(width, height)) ** 2:
        return plain
    across = (n2[0] ** 2 + n2[1] ** 2) / focal2 + n2[2] ** 2
    down = (n3[0] ** 2 + n3[1] ** 2) / focal2 + n3[2] ** 2
    return float(np.sqrt(across / down))


def _even_light(pixels: Pixels, dpi: float) -> Pixels:
    """Return the picture with its paper white all over; colours keep their hue against the paper's."""
    planes = [pixels] if pixels.ndim == 2 else list(cv2.split(pixels))
    even = [cv2.divide(p, estimate_paper(p, dpi), scale=WHITE) for p in planes]
    return np.asarray(even[0] if pixels.ndim == 2 else cv2.merge(even), dtype=np.uint8)
