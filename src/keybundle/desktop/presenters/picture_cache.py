"""The one cache of large page pictures, for all benches: bounded in bytes, for colour pages are four times as heavy."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Collection

from PySide6.QtGui import QImage

from keybundle.core.base.records import dataclass
from keybundle.core.reading.text import PageText

MOST_BYTES = 48 * 1024 * 1024
Key = tuple[str, int, int | None, str, float | None]


@dataclass(frozen=True)
class Fetched:
    """A page as fetched: its picture and its text."""

    path: str
    image: QImage
    text: PageText | None


class PictureCache:
    """Fetched pages of all benches, the ones shown last longest; together they take at most ``most_bytes``."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._kept: OrderedDict[Key, Fetched] = OrderedDict()
        self.size_bytes = 0

    def find(self, key: Key) -> Fetched | None:
        """Return a page that is kept; it was used last then."""
        if key in self._kept:
            self._kept.move_to_end(key)
        return self._kept.get(key)

    def keep(self, key: Key, found: Fetched) -> None:
        """Keep a page, and let go of those that were not used for longest; one that is too large alone is kept alone."""
        self.drop(key)
        self._kept[key] = found
        self.size_bytes += found.image.sizeInBytes()
        while self.size_bytes > self._most_bytes and len(self._kept) > 1:
            self.drop(next(iter(self._kept)))

    def drop(self, key: Key) -> None:
        """Let go of a page."""
        found = self._kept.pop(key, None)
        if found is not None:
            self.size_bytes -= found.image.sizeInBytes()

    def drop_pages(self, page_ids: Collection[str]) -> None:
        """Let go of all that is kept of these pages."""
        for key in [k for k in self._kept if k[0] in page_ids]:
            self.drop(key)
