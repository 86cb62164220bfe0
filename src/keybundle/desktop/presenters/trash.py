"""What was put away and can be brought back: documents in the trash, batches that were thrown away; or erased for good."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId, FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.workflows.file import throwing_away
from keybundle.core.workflows.file.throwing_away import Thrown
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.keep.trash.deleting import Deleted
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded

Row = tuple[str, str, str]


@dataclass(frozen=True)
class PutAwayState:
    """All that is shown: (id, what and where, who did it when and why) of each, how many, and what is in the way."""

    rows: tuple[Row, ...] = ()
    told: str = ""
    may_empty: bool = False
    problem: str = ""


class PutAway(QObject):
    """State and verbs; each kind says how it is listed, brought back and erased."""

    changed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = PutAwayState(may_empty=seat.may(Right.EMPTY_TRASH))
        self.refresh()

    # -- what each kind says of itself -----------------------------------------------------------------------------

    def list(self) -> Sequence[Any]:
        """Return what lies there; asks the store."""
        raise NotImplementedError

    def row(self, found: Any) -> Row:
        """Return how one thing is shown."""
        raise NotImplementedError

    def say(self, number: int) -> str:
        """Return how much lies there, in words."""
        raise NotImplementedError

    def bring_back(self, ids: Sequence[str]) -> Changes:
        """Bring things back."""
        raise NotImplementedError

    def erase(self, ids: Sequence[str]) -> str:
        """Erase things for good and return what is left to say."""
        raise NotImplementedError

    # -- verbs -------------------------------------------------------------------------------------------------------

    def refresh(self, problem: str = "") -> None:
        """Ask again."""

        def done(found: Sequence[Any]) -> None:
            self.state = PutAwayState(tuple(map(self.row, found)), self.say(len(found)), self.state.may_empty, problem)
            self.changed.emit(self.state)

        self._s.runner.query(self.list, done, key="put away", owner=self, on_error=self.refresh)

    def restore(self, ids: Sequence[str]) -> None:
        """Bring things back."""

        def done(changes: Changes) -> None:
            self._s.bus.tell(changes)
            self.refresh()

        self._s.runner.change(lambda: self.bring_back(ids), done, lane="trash", owner=self, on_error=self.refresh)

    def empty(self, ids: Sequence[str]) -> None:
        """Erase things for good."""

        def done(told: str) -> None:
            self._s.bus.tell(Changes(frozenset(ids)))
            self.refresh(told)

        self._s.runner.change(lambda: self.erase(ids), done, lane="trash", owner=self, on_error=self.refresh)


class TrashPresenter(PutAway):
    """Documents that were deleted."""

    def list(self) -> Sequence[Deleted]:
        """Return what lies in the trash."""
        return deleting.list_trash(self._s.session)

    def row(self, found: Deleted) -> Row:
        """Return a document with who deleted it, when and why."""
        why = tr("deleted {at} by {who}: {why}", at=self._s.say_time(found.at), who=found.who, why=found.why)
        return found.id, f"{found.caption}   ({found.type}, {found.cabinet})", why

    def say(self, number: int) -> str:
        """Return how many documents there are."""
        return trn("{n:,} document", "{n:,} documents", number) if number else tr("Nothing lies in the trash.")

    def bring_back(self, ids: Sequence[str]) -> Changes:
        """Bring documents back."""
        return deleting.restore_documents(self._s.session, [FiledId(i) for i in ids])

    def erase(self, ids: Sequence[str]) -> str:
        """Erase documents."""
        erased = deleting.empty_trash(self._s.session, [FiledId(i) for i in ids])
        left = [f"{caption}: {worded(why)}" for caption, why in erased.left]
        if erased.kept_files:
            left.append(tr("{n:,} files stay, because other documents need them.", n=erased.kept_files))
        if erased.due:
            left.append(
                tr(
                    "{n:,} files are erased at a later start: their disk is away, or they were only just brought in.",
                    n=erased.due,
                )
            )
        return "\n".join(left)


class ThrownPresenter(PutAway):
    """Batches that were thrown away."""

    def list(self) -> Sequence[Thrown]:
        """Return what was thrown away and lies there still."""
        return throwing_away.list_thrown(self._s.session)

    def row(self, found: Thrown) -> Row:
        """Return a batch with who threw it away, and when."""
        sides = trn("{n:,} side", "{n:,} sides", found.sides)
        why = tr("thrown away {at} by {who}", at=self._s.say_time(found.at), who=found.who)
        return found.id, f"{found.routine}: {worded(found.origin)}   ({sides})", why

    def say(self, number: int) -> str:
        """Return how many batches there are."""
        return trn("{n:,} batch", "{n:,} batches", number) if number else tr("No batch was thrown away.")

    def bring_back(self, ids: Sequence[str]) -> Changes:
        """Bring batches back, each as it was."""
        changes = Changes()
        for batch_id in ids:
            changes |= throwing_away.bring_batch_back(self._s.session, self._s.line, BatchId(batch_id))
        return changes

    def erase(self, ids: Sequence[str]) -> str:
        """Erase what batches hold."""
        due = throwing_away.erase_thrown(self._s.session, [BatchId(i) for i in ids])
        return tr("{n:,} files are erased at a later start: they were only just brought in.", n=due) if due else ""
