"""Where something is kept to somebody, as a tree in words."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import RIGHTS_OF_PLACE, SHOWN
from keybundle.core.workflows.session.access import Entry, Spot, say_grantee
from keybundle.core.workflows.session.kept_tree import KeptPlace, list_kept
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, worded

__all__ = ["KeptPlace", "KeptPresenter", "Spot"]


class KeptPresenter(QObject):
    """Loads the tree, and again when something in it changes."""

    shown = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._is_shown = False
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if self._is_shown and (changes.repository or changes.setup):
            self.refresh()

    def refresh(self) -> None:
        """Ask for the tree."""
        self._is_shown = True
        self._s.runner.query(
            lambda: list_kept(self._s.session), self.shown.emit, key="kept", owner=self, on_error=self.failed.emit
        )

    def rest(self) -> None:
        """Ask for nothing more until it is shown again."""
        self._is_shown = False


def say_entry(entry: Entry) -> str:
    """Return whom an entry means and what they may."""
    rights = (
        tr("everything")
        if set(RIGHTS_OF_PLACE) <= entry.rights
        else ", ".join(tr(r.value) for r in SHOWN if r in entry.rights)
    )
    return tr("{who}: {rights}", who=worded(say_grantee(entry.grantee, entry.name)), rights=rights)
