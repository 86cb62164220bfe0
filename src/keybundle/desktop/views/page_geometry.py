"""Where a page lies on a surface: fitted, enlarged, moved and turned for looking. Plain numbers, without Qt.

``Rect`` is (left, top, width, height) in px of the surface; boxes and points of the page are in px of the upright page.
"""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass

Rect = tuple[float, float, float, float]
Point = tuple[float, float]
WHOLE, WIDTH = 0.0, 1.0
WIDEST_PX, MARGIN_PX = 900.0, 12.0
SMALLEST, LARGEST = 0.5, 6.0
USUAL_STEP_FROM = 0.6


@dataclass(frozen=True)
class Geometry:
    """``zoom`` is a factor of the page's width on the surface, ``WHOLE`` for all of it; ``centre`` in shares of the turned page.

    ``turn`` is the clockwise turn for looking: 0, 90, 180 or 270 degrees.
    """

    page: tuple[int, int] = (1, 1)
    surface: tuple[float, float] = (1.0, 1.0)
    zoom: float = WIDTH
    centre: Point = (0.5, 0.0)
    turn: int = 0

    @property
    def turned(self) -> tuple[int, int]:
        """The page's size as it is turned."""
        width, height = self.page
        return (height, width) if self.turn in (90, 270) else (width, height)

    @property
    def area(self) -> Rect:
        """What of the surface a page is shown in."""
        width, height = self.surface
        return MARGIN_PX, MARGIN_PX, width - 2 * MARGIN_PX, height - 2 * MARGIN_PX

    @property
    def scale(self) -> float:
        """Px of the surface for a px of the page."""
        _, _, width, height = self.area
        wide, high = self.turned
        whole = min(width / wide, height / high)
        return max(1e-6, whole if self.zoom == WHOLE else min(width, WIDEST_PX) / wide * self.zoom)

    @property
    def target(self) -> Rect:
        """Where the whole turned page lies; parts of it may lie outside the surface."""
        left, top, room_x, room_y = self.area
        width, height = (v * self.scale for v in self.turned)
        return (_start(left, room_x, width, self.centre[0]), _start(top, room_y, height, self.centre[1]), width, height)

    def zoomed(self, factor: float) -> Geometry:
        """Return it larger or smaller; 0 changes between the page's width and the whole page."""
        if factor == 0:
            return replace(self, zoom=WIDTH if self.zoom == WHOLE else WHOLE)
        return replace(self, zoom=max(SMALLEST, min(self.largest, (self.zoom or USUAL_STEP_FROM) * factor)))

    @property
    def largest(self) -> float:
        """The largest zoom: so much, or of a very large page a px of it for each px of the surface."""
        return max(LARGEST, self.turned[0] / min(self.area[2], WIDEST_PX))

    def moved(self, x_px: float, y_px: float) -> Geometry:
        """Return it with the page drawn along by some px of the surface, as far as it goes beyond that."""
        left, top, width, height = self.target
        _, _, room_x, room_y = self.area
        seen_x = (self.area[0] + room_x / 2 - left) / width if width > room_x else self.centre[0]
        seen_y = (self.area[1] + room_y / 2 - top) / height if height > room_y else self.centre[1]
        return replace(self, centre=(_share(seen_x - x_px / width), _share(seen_y - y_px / height)))

    def on(self, box: Box) -> Geometry:
        """Return it with the middle of a box in the middle, as far as the page's edges allow."""
        x, y = self._turn((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
        wide, high = self.turned
        return replace(self, centre=(x / wide, y / high))

    def rect_of(self, box: Box) -> Rect:
        """Return where a box of the page lies on the surface."""
        (x0, y0), (x1, y1) = self._turn(box[0], box[1]), self._turn(box[2], box[3])
        left, top, _, _ = self.target
        s = self.scale
        return left + min(x0, x1) * s, top + min(y0, y1) * s, abs(x1 - x0) * s, abs(y1 - y0) * s

    def point_at(self, x: float, y: float) -> Point:
        """Return the point of the page under a point of the surface; it may lie outside the page."""
        left, top, _, _ = self.target
        return self._turn_back((x - left) / self.scale, (y - top) / self.scale)

    def box_at(self, rect: Rect) -> Box | None:
        """Return an area of the surface as a box of the page; None for one too small or too far off to mean anything."""
        left, top, width, height = rect
        (x0, y0), (x1, y1) = self.point_at(left, top), self.point_at(left + width, top + height)
        wide, high = self.page
        box = (max(0.0, min(x0, x1)), max(0.0, min(y0, y1)), min(wide, max(x0, x1)), min(high, max(y0, y1)))
        if (box[2] - box[0]) * self.scale < 4 or (box[3] - box[1]) * self.scale < 4:
            return None
        return round(box[0]), round(box[1]), round(box[2]), round(box[3])

    def is_in_sight(self, box: Box) -> bool:
        """Whether all of a box lies on the surface."""
        left, top, width, height = self.rect_of(box)
        edge = MARGIN_PX - 4
        return (
            left >= edge
            and top >= edge
            and left + width <= self.surface[0] - edge
            and top + height <= self.surface[1] - edge
        )

    @property
    def seen(self) -> Box:
        """The box of the page that lies on the surface."""
        (x0, y0), (x1, y1) = self.point_at(0, 0), self.point_at(*self.surface)
        wide, high = self.page
        left, top, right, bottom = min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)
        return max(0, int(left)), max(0, int(top)), min(wide, int(right) + 1), min(high, int(bottom) + 1)

    @property
    def is_higher(self) -> bool:
        """Whether the page goes beyond the surface at the top or the bottom."""
        return self.target[3] > self.area[3] + 0.5

    def at_end(self, down: bool) -> bool:
        """Whether the page cannot be moved on, down or up."""
        _, top, _, height = self.target
        if not self.is_higher:
            return True
        return top + height <= self.area[1] + self.area[3] + 0.5 if down else top >= self.area[1] - 0.5

    def _turn(self, x: float, y: float) -> Point:
        wide, high = self.page
        return {0: (x, y), 90: (high - y, x), 180: (wide - x, high - y), 270: (y, wide - x)}[self.turn]

    def _turn_back(self, x: float, y: float) -> Point:
        wide, high = self.page
        return {0: (x, y), 90: (y, high - x), 180: (wide - x, high - y), 270: (wide - y, x)}[self.turn]


def _share(value: float) -> float:
    return min(1.0, max(0.0, value))


def _start(edge: float, room: float, length: float, centre: float) -> float:
    """Return where a page begins along one way: in the middle if it is smaller, else such that no room is left empty."""
    if length <= room:
        return edge + (room - length) / 2
    return min(edge, max(edge + room - length, edge + room / 2 - centre * length))
