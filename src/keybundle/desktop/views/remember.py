"""Lets a table's columns and a splitter come back as somebody left them."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QHeaderView, QSplitter

from keybundle.desktop.presenters.remembered import Remembered


def remember_splitter(splitter: QSplitter, remembered: Remembered, name: str) -> None:
    """Give a splitter the sizes that it was left with, and remember those it gets by hand."""
    kept = remembered.get(name)
    if kept is not None:
        splitter.restoreState(kept)
    splitter.splitterMoved.connect(lambda *_: remembered.put(name, splitter.saveState()))


class RememberedColumns:
    """Order and widths of a table's columns, for each thing that it shows (``of``)."""

    def __init__(self, header: QHeaderView, remembered: Remembered, name: str) -> None:
        self._header, self._remembered, self._name = header, remembered, name
        self._of = ""
        header.setSectionsMovable(True)
        header.sectionMoved.connect(lambda *_: self._moved())
        header.sectionResized.connect(lambda *_: self._moved())

    def show_of(self, of: str) -> bool:
        """Bring the columns to how they were left for something else; False where nobody has changed them there."""
        if of == self._of:
            return True
        self._of = of
        kept = self._remembered.get(self._name, of)
        with QSignalBlocker(self._header):
            return kept is not None and bool(self._header.restoreState(kept))

    def _moved(self) -> None:
        # Only what a hand does counts: widths that are set while something is shown come without the pointer.
        if self._of and self._header.underMouse():
            self.keep()

    def keep(self) -> None:
        """Remember how the columns are now: somebody has just changed them."""
        self._remembered.put(self._name, self._header.saveState(), self._of)
