"""Lets a table's columns, splitters, windows and the zoom of pages come back as somebody left them."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QHeaderView, QSplitter, QWidget

from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.views.page_view import PageView


def remember_splitter(splitter: QSplitter, remembered: Remembered, name: str) -> None:
    """Give a splitter the sizes that it was left with, and remember those it gets by hand."""
    kept = remembered.get(name)
    if kept is not None:
        splitter.restoreState(kept)
    splitter.splitterMoved.connect(lambda *_: remembered.put(name, splitter.saveState()))


def remember_zoom(page: PageView, remembered: Remembered, name: str) -> None:
    """Show pages at the zoom that somebody left, and remember the one they choose."""
    kept = remembered.get(name)
    if kept is not None:
        page.set_zoom(float(kept))
    page.zoomed.connect(lambda zoom: remembered.put(name, zoom))


def restore_window(window: QWidget, remembered: Remembered, name: str) -> None:
    """Put a window where it was left, as large as it was."""
    if (kept := remembered.get(name)) is not None:
        window.restoreGeometry(kept)


class RememberedColumns:
    """Order and widths of a table's columns, for each thing that it shows (``of``)."""

    def __init__(self, header: QHeaderView, remembered: Remembered, name: str) -> None:
        self._header, self._remembered, self._name = header, remembered, name
        self._of, self.is_own = "", False
        header.setSectionsMovable(True)
        header.sectionMoved.connect(lambda *_: self._moved())
        header.sectionResized.connect(lambda *_: self._moved())

    def show_of(self, of: str) -> None:
        """Bring the columns to how they were left for something else; ``is_own`` is False where nobody has changed them."""
        if of == self._of:
            return
        self._of = of
        kept = self._remembered.get(self._name, of)
        with QSignalBlocker(self._header):
            self.is_own = kept is not None and bool(self._header.restoreState(kept))

    def _moved(self) -> None:
        # Only what a hand does counts: widths that are set while something is shown come without the pointer.
        if self._of and self._header.underMouse():
            self.keep()

    def keep(self) -> None:
        """Remember how the columns are now: somebody has just changed them."""
        self.is_own = True
        self._remembered.put(self._name, self._header.saveState(), self._of)
