"""The large picture of a page: loaded off the interface thread, its neighbours fetched ahead, full resolution at zoom."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from keybundle.core.base.boxes import Box
from keybundle.core.base.ids import PageId
from keybundle.core.batches.model import Page
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.arrange import bench
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.picture_cache import Fetched, Key
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.sharp import Sharp, load_sharp, with_sharp


class PagePictures(QObject):
    """Shows one page of a batch; ``shown`` is what it shows now, ``text`` the text of that page in its present turn.

    ``fetched`` are the pages that lie in the cache for it.
    """

    changed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._cache = seat.pictures
        self.fetched: set[str] = set()
        self._page: Page | None = None
        self._told = ""
        self._frame: Box | None = None
        self.shown: PageShown | None = None
        self.text: PageText | None = None

    def show_page(self, page: Page, told: str, frame: Box | None, near: Sequence[Page]) -> None:
        """Show a page, or what keeps its text away (``told``); ``near`` are fetched ahead."""
        self._page, self._told, self._frame = page, told, frame
        kept = self._cache.find(_key(page))
        if kept is not None:
            self._show(kept)
        else:
            self._fetch(page, "page", then_show=True)
        for other in near:
            if self._cache.find(_key(other)) is None:
                self._fetch(other, f"ahead {other.id}", then_show=False)

    def show_nothing(self, page: Page, told: str) -> None:
        """Show that a page has no picture, and why: never the page before in its stead."""
        self._page, self._told, self._frame, self.text = page, told, None, None
        self.shown = PageShown(page.id, "", 1, 1, (), told=told)
        self.changed.emit(self.shown)

    def end(self) -> None:
        """Let go of all pictures."""
        self._cache.drop_pages(self.fetched)
        self.fetched.clear()
        self.shown, self.text = None, None

    def frame(self, box: Box | None) -> None:
        """Frame a place on the shown page."""
        self._frame = box
        if self.shown is not None:
            self.shown = replace(self.shown, frame=box)
            self.changed.emit(self.shown)

    def forget(self, page_id: str) -> None:
        """Fetch a page anew when it is shown next: its text has changed."""
        self._cache.drop_pages([page_id])

    def sharpen(self) -> None:
        """Fetch the shown page in full resolution."""
        page, s = self._page, self._s
        if page is None or self.shown is None or self.shown.is_full:
            return

        def load() -> tuple[Key, Sharp]:
            return _key(page), load_sharp(bench.sharp(s.session, s.pool, PageId(page.id), page.picture, page.frame))

        def done(found: tuple[Key, Sharp]) -> None:
            if self._page is not None and self.shown is not None and found[0] == _key(self._page):
                self.shown = with_sharp(self.shown, found[1])
                self.changed.emit(self.shown)

        s.runner.query(load, done, key="full", owner=self, kind="page")

    def _fetch(self, page: Page, key: str, *, then_show: bool) -> None:
        s = self._s

        def load() -> tuple[Key, Fetched]:
            path = str(bench.preview(s.session, s.pool, page.id, page.picture, page.frame))
            return _key(page), Fetched(path, QImage(path), bench.page_text(s.session, PageId(page.id)))

        def done(found: tuple[Key, Fetched]) -> None:
            self._cache.keep(*found)
            self.fetched.add(page.id)
            if then_show and self._page is not None and _key(self._page) == found[0]:
                self._show(found[1])

        s.runner.query(load, done, key=key, owner=self, kind="page" if then_show else "pages ahead")

    def _show(self, found: Fetched) -> None:
        page = self._page
        if page is None:
            return
        width, height = page.frame.upright_size
        self.text = found.text if found.text is not None and found.text.frame == page.frame else None
        words = self.text.words if self.text else ()
        told = page.trouble or ("" if self.text else self._told)
        before = self.shown
        is_sharp = before is not None and before.is_full and (before.page, before.picture) == (page.id, found.path)
        image = before.image if before is not None and is_sharp else found.image
        tiles = before.tiles if before is not None and is_sharp else None
        self.shown = PageShown(
            page.id,
            found.path,
            width,
            height,
            words,
            frame=self._frame,
            told=told,
            image=image,
            is_full=is_sharp,
            tiles=tiles,
        )
        self.changed.emit(self.shown)


def _key(page: Page) -> Key:
    return page.id, page.frame.rotation, page.text_rotation, page.text_origin, page.quality
