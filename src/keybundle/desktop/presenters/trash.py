"""The trash in the window: what lies in it, brought back or erased for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import Right
from keybundle.core.workflows.keep import trash
from keybundle.core.workflows.keep.trash import Deleted, Erased
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded


@dataclass(frozen=True)
class TrashState:
    """All that is shown: (id, what and where, who deleted it when and why) of each, and what is under way or in the way."""

    rows: tuple[tuple[str, str, str], ...] = ()
    told: str = ""
    may_empty: bool = False
    problem: str = ""


class TrashPresenter(QObject):
    """State and verbs of the trash."""

    changed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = TrashState(may_empty=seat.may(Right.EMPTY_TRASH))
        self.refresh()

    def refresh(self, problem: str = "") -> None:
        """Ask again."""
        s = self._s

        def row(found: Deleted) -> tuple[str, str, str]:
            why = tr("deleted {at} by {who}: {why}", at=s.say_time(found.at), who=found.who, why=found.why)
            return found.id, f"{found.caption}   ({found.type}, {found.cabinet})", why

        def done(found: list[Deleted]) -> None:
            told = trn("{n:,} document", "{n:,} documents", len(found)) if found else tr("Nothing lies in the trash.")
            self._show(TrashState(tuple(map(row, found)), told, self.state.may_empty, problem))

        s.runner.query(lambda: trash.list_trash(s.session), done, key="trash", owner=self, on_error=self._refuse)

    def restore(self, ids: Sequence[str]) -> None:
        """Bring documents back."""
        s = self._s

        def done(changes: Changes) -> None:
            s.bus.tell(changes)
            self.refresh()

        s.runner.change(
            lambda: trash.restore_documents(s.session, ids), done, lane="trash", owner=self, on_error=self._refuse
        )

    def empty(self, ids: Sequence[str]) -> None:
        """Erase documents for good."""
        s = self._s

        def done(erased: Erased) -> None:
            left = "\n".join(f"{caption}: {worded(why)}" for caption, why in erased.left)
            kept = (
                tr("{n:,} files stay, because other documents need them.", n=erased.kept_files)
                if erased.kept_files
                else ""
            )
            due = (
                tr(
                    "{n:,} files are erased at a later start: their disk is away, or they were only just brought in.",
                    n=erased.due,
                )
                if erased.due
                else ""
            )
            self.refresh("\n".join(filter(None, (left, kept, due))))

        s.runner.change(
            lambda: trash.empty_trash(s.session, ids), done, lane="trash", owner=self, on_error=self._refuse
        )

    def _refuse(self, told: str) -> None:
        self.refresh(told)

    def _show(self, state: TrashState) -> None:
        self.state = state
        self.changed.emit(state)
