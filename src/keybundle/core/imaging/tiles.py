"""Very large pages as tiles: the upright page at full size, half, a quarter and so on, cut into squares made once.

Who shows the page reads the few squares in sight, and nobody holds all of it but the worker that cuts it.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass

EDGE_PX = 1024
SMALLEST_PX = 2048  # no level smaller than this is cut: the screen picture serves there
LARGE_PX = 40_000_000  # pages with more pixels are shown by tiles; 35 million are A4 at 600 dpi


@dataclass(frozen=True)
class Tiles:
    """Where the tiles of a page lie; ``width`` and ``height`` are px of the upright page, level k is smaller by 2 ** k."""

    folder: str
    width: int
    height: int

    @property
    def levels(self) -> int:
        """How many levels there are, the full size among them."""
        count, longest = 1, max(self.width, self.height)
        while longest >> count >= SMALLEST_PX:
            count += 1
        return count

    def level_for(self, scale: float) -> int:
        """Return the smallest level that is still as sharp as a screen that shows ``scale`` px for a px of the page."""
        level = 0
        while level + 1 < self.levels and scale * 2 ** (level + 1) <= 1:
            level += 1
        return level

    def path(self, level: int, column: int, row: int) -> Path:
        """Return where a tile lies."""
        return Path(self.folder) / str(level) / f"{column}-{row}.jpg"

    def within(self, level: int, box: Box) -> Iterator[tuple[Path, Box]]:
        """Yield the tiles of a level that touch a box of the page: their files and the boxes of the page they show."""
        edge = EDGE_PX << level
        left, top = max(0, box[0]) // edge, max(0, box[1]) // edge
        for row in range(top, -(-min(box[3], self.height) // edge)):
            for column in range(left, -(-min(box[2], self.width) // edge)):
                x, y = column * edge, row * edge
                yield self.path(level, column, row), (x, y, min(x + edge, self.width), min(y + edge, self.height))


def is_large(width: int, height: int) -> bool:
    """Whether a page of so many px is shown by tiles."""
    return width * height > LARGE_PX
