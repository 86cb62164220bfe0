"""Batches that were thrown away, in the window: what lies there, brought back or erased for good."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import Right
from keybundle.core.workflows.file import throwing_away
from keybundle.core.workflows.file.throwing_away import Thrown
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.trash import TrashState
from keybundle.desktop.words import tr, trn, worded


class ThrownPresenter(QObject):
    """State and verbs of what was thrown away; shown as the trash is."""

    changed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = TrashState(may_empty=seat.may(Right.EMPTY_TRASH))
        self.refresh()

    def refresh(self, problem: str = "") -> None:
        """Ask again."""
        s = self._s

        def row(found: Thrown) -> tuple[str, str, str]:
            sides = trn("{n:,} side", "{n:,} sides", found.sides)
            why = tr("thrown away {at} by {who}", at=s.say_time(found.at), who=found.who)
            return found.id, f"{found.routine}: {worded(found.origin)}   ({sides})", why

        def done(found: list[Thrown]) -> None:
            told = trn("{n:,} batch", "{n:,} batches", len(found)) if found else tr("No batch was thrown away.")
            self._show(TrashState(tuple(map(row, found)), told, self.state.may_empty, problem))

        s.runner.query(
            lambda: throwing_away.list_thrown(s.session), done, key="thrown", owner=self, on_error=self.refresh
        )

    def restore(self, ids: Sequence[str]) -> None:
        """Bring batches back, each as it was."""
        s = self._s

        def work() -> Changes:
            changes = Changes()
            for batch_id in ids:
                changes |= throwing_away.bring_batch_back(s.session, s.line, batch_id)
            return changes

        def done(changes: Changes) -> None:
            s.bus.tell(changes)
            self.refresh()

        s.runner.change(work, done, lane="trash", owner=self, on_error=self.refresh)

    def empty(self, ids: Sequence[str]) -> None:
        """Erase what batches hold for good."""
        s = self._s

        def done(due: int) -> None:
            left = tr("{n:,} files are erased at a later start: they were only just brought in.", n=due) if due else ""
            s.bus.tell(Changes(frozenset(ids)))
            self.refresh(left)

        s.runner.change(
            lambda: throwing_away.erase_thrown(s.session, ids), done, lane="trash", owner=self, on_error=self.refresh
        )

    def _show(self, state: TrashState) -> None:
        self.state = state
        self.changed.emit(state)
