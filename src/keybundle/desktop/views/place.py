"""What a place of the window is, besides what it shows: it comes to the front and goes, and what was done there is undone."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtWidgets import QWidget

from keybundle.desktop.views.side_sheet import SheetEdge


class Place(QWidget):
    """A place of the window. What it has no use for it leaves as it is here."""

    @cached_property
    def edge(self) -> SheetEdge:
        """Where the sheets of the place stand."""
        return SheetEdge(self, self)

    def refresh(self) -> None:
        """Look again: it comes to the front."""

    def focus_first(self) -> None:
        """Give what the place begins with the keyboard; it is in front."""

    def rest(self) -> None:
        """Keep what is typed and ask for nothing more: another place comes to the front."""

    def flush(self) -> None:
        """Keep what stands in an open editor: the window is closed or locked."""

    @property
    def undo_told(self) -> str:
        """What ``undo`` would take back, in words; empty where there is nothing, or the place itself says it."""
        return ""

    @property
    def can_undo(self) -> bool:
        """Whether there is something to take back, or will be once what is under way is through."""
        return bool(self.undo_told)

    @property
    def can_redo(self) -> bool:
        """Whether there is something that was taken back and can be done again."""
        return False

    def undo(self) -> None:
        """Take back what was done last here."""

    def redo(self) -> None:
        """Do again what was taken back last here."""
