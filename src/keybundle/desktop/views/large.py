"""One key gives the page nearly all the room of a place and lets it go again; the list beside it keeps the keyboard."""

from __future__ import annotations

from PySide6.QtWidgets import QSplitter

from keybundle.desktop.presenters.remembered import Remembered


class Large:
    """Switches a splitter between its usual sizes, as they were left, and those with the page large."""

    def __init__(self, split: QSplitter, usual: list[int], large: list[int]) -> None:
        self._split, self._usual, self._large = split, usual, large
        self.is_on = False

    def remember(self, remembered: Remembered, name: str) -> None:
        """Let the usual sizes come back as they were left."""
        kept = remembered.get(name)
        if kept is not None:
            self._split.restoreState(kept)

        def moved() -> None:
            if not self.is_on:
                remembered.put(name, self._split.saveState())

        self._split.splitterMoved.connect(lambda *_: moved())

    def toggle(self) -> bool:
        """Make the page large or let it go; return whether it is large now."""
        if not self.is_on:
            self._usual = self._split.sizes()
        self.is_on = not self.is_on
        self._split.setSizes(self._large if self.is_on else self._usual)
        return self.is_on
