"""Boxes ``(left, top, right, bottom)`` in pixels, and the frame that ties a captured picture to its upright one."""

from __future__ import annotations

import math

from keybundle.core.base.records import dataclass

Box = tuple[int, int, int, int]
Affine = tuple[float, float, float, float, float, float]


def _undo_growth(box: tuple[float, float, float, float], degrees: float) -> Box:
    """Return the level box whose turned corners fill ``box``: W = w cos + h sin and H = w sin + h cos, solved."""
    cos, sin = math.cos(math.radians(abs(degrees))), math.sin(math.radians(abs(degrees)))
    width, height = box[2] - box[0], box[3] - box[1]
    level_width = (width * cos - height * sin) / (cos * cos - sin * sin)
    level_height = (height * cos - width * sin) / (cos * cos - sin * sin)
    x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    half_width, half_height = max(1.0, level_width / 2), max(1.0, level_height / 2)
    return round(x - half_width), round(y - half_height), round(x + half_width), round(y + half_height)


def union(boxes: list[Box]) -> Box:
    """Return the smallest box around all boxes; raises ValueError when there is none."""
    if not boxes:
        raise ValueError("no boxes to join")
    return (
        min(b[0] for b in boxes),
        min(b[1] for b in boxes),
        max(b[2] for b in boxes),
        max(b[3] for b in boxes),
    )


def centre(box: Box) -> tuple[float, float]:
    """Return the middle of the box."""
    return (box[0] + box[2]) / 2, (box[1] + box[3]) / 2


@dataclass(frozen=True)
class Frame:
    """How a captured picture becomes upright and straight.

    ``width`` and ``height`` are those of the captured picture in px; ``rotation`` is the clockwise turn (0, 90,
    180, 270 degrees) that makes it upright; ``skew_degrees`` is measured after that turn, positive when the text
    runs down to the right, and is taken away by turning about the middle. The upright picture keeps all sizes.
    """

    width: int
    height: int
    rotation: int = 0
    skew_degrees: float = 0.0

    @property
    def upright_size(self) -> tuple[int, int]:
        """Width and height of the upright picture in px."""
        return (self.height, self.width) if self.rotation in (90, 270) else (self.width, self.height)

    def to_upright(self) -> Affine:
        """Return ``(a, b, c, d, e, f)`` with x' = a x + b y + c and y' = d x + e y + f."""
        w, h = self.width, self.height
        turn: Affine = {
            0: (1.0, 0.0, 0.0, 0.0, 1.0, 0.0),
            90: (0.0, -1.0, float(h), 1.0, 0.0, 0.0),
            180: (-1.0, 0.0, float(w), 0.0, -1.0, float(h)),
            270: (0.0, 1.0, 0.0, -1.0, 0.0, float(w)),
        }[self.rotation]
        uw, uh = self.upright_size
        angle = -math.radians(self.skew_degrees)
        cos, sin = math.cos(angle), math.sin(angle)
        cx, cy = uw / 2, uh / 2
        skew: Affine = (cos, -sin, cx - cos * cx + sin * cy, sin, cos, cy - sin * cx - cos * cy)
        return compose(skew, turn)

    def to_captured(self) -> Affine:
        """Return the inverse of ``to_upright``."""
        return invert(self.to_upright())

    def captured_box(self, upright_box: Box) -> Box:
        """Return the smallest box in the captured picture around the corners of a box in the upright one.

        What lies beside the picture (further sheets of a native file) comes to its edge.
        """
        left, top, right, bottom = transform_box(self.to_captured(), upright_box)
        w, h = self.width, self.height
        return min(w, max(0, left)), min(h, max(0, top)), max(0, min(w, right)), max(0, min(h, bottom))


def upright_box(frame: Frame, captured_box: Box) -> Box:
    """Return the level box in the upright picture that ``Frame.captured_box`` was made from, to a px or two."""
    m = frame.to_upright()
    x, y = centre(captured_box)
    ux, uy = m[0] * x + m[1] * y + m[2], m[3] * x + m[4] * y + m[5]
    width, height = captured_box[2] - captured_box[0], captured_box[3] - captured_box[1]
    if frame.rotation in (90, 270):
        width, height = height, width
    return _undo_growth((ux - width / 2, uy - height / 2, ux + width / 2, uy + height / 2), frame.skew_degrees)


def compose(outer: Affine, inner: Affine) -> Affine:
    """Return the map that first does ``inner``, then ``outer``."""
    a, b, c, d, e, f = outer
    g, h, i, j, k, m = inner
    return a * g + b * j, a * h + b * k, a * i + b * m + c, d * g + e * j, d * h + e * k, d * i + e * m + f


def invert(m: Affine) -> Affine:
    """Return the inverse map; raises ZeroDivisionError for one without inverse."""
    a, b, c, d, e, f = m
    det = a * e - b * d
    return e / det, -b / det, (b * f - c * e) / det, -d / det, a / det, (c * d - a * f) / det


def transform_box(m: Affine, box: Box) -> Box:
    """Return the smallest upright box around the mapped corners, rounded outwards to whole px."""
    left, top, right, bottom = box
    corners = ((left, top), (right, top), (right, bottom), (left, bottom))
    xs = [m[0] * x + m[1] * y + m[2] for x, y in corners]
    ys = [m[3] * x + m[4] * y + m[5] for x, y in corners]
    return round(min(xs)), round(min(ys)), round(max(xs)), round(max(ys))
