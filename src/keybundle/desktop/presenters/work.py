"""The work place: what is waiting, the sources beside it, and today."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.file import throwing_away
from keybundle.core.workflows.file.closing import KEPT_DAYS as KEPT_DAYS
from keybundle.core.workflows.file.closing import close_batch
from keybundle.core.workflows.file.records import Record, list_records
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.oversee.worklist import Today, WorkRow
from keybundle.core.workflows.take_in.capture import Captured
from keybundle.desktop.presenters.files_in import FilesIn
from keybundle.desktop.presenters.incoming import Incoming
from keybundle.desktop.presenters.scanning import Scanning
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.trash import ThrownPresenter
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.presenters.work_state import BatchRow, WorkState, make_row, say_record
from keybundle.desktop.words import tr, worded

REFRESH_MS = 250
SHOWN_RECORDS = 6
Loaded = tuple[list[WorkRow], Today, list[Record], int]


class WorkPresenter(QObject):
    """The work list and today; ``scanning`` and ``files`` hold the verbs of the sources, ``incoming`` what they bring."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, incoming: Incoming, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = WorkState()
        self._rows: list[WorkRow] = []
        self._made: dict[tuple[str, bool], BatchRow] = {}  # of these rows: much else is told while they stay
        self._today = Today(0, 0, 0)
        self._records: list[Record] = []
        self._refused: tuple[str, ...] = ()
        self._thrown = 0
        self._undoing = Undoing(self._bring_back)
        self._throwing: set[str] = set()
        self._thrown_away: dict[str, Undo] = {}
        self.incoming = incoming
        self.scanning = Scanning(seat, self.incoming, self._routine_of, self)
        self.files = FilesIn(seat, self.incoming, self._routine_of, self)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)
        self.incoming.came_in.connect(self._came_in)
        self.incoming.changed.connect(self._publish)
        for source in (self.scanning, self.files):
            source.changed.connect(self._publish)
            source.failed.connect(self.failed)
            source.said.connect(self.said)
        seat.bus.changed.connect(self._on_changes)

    def may(self, right: Right) -> bool:
        """Whether who is at work here has a right."""
        return self._s.may(right)

    @property
    def may_work(self) -> bool:
        """Whether who is at work here may change anything."""
        return self._s.may_work

    def _on_changes(self, changes: Changes) -> None:
        if not self._timer.isActive():
            self._timer.start()

    def refresh(self) -> None:
        """Ask for everything again."""

        def load() -> Loaded:
            return (
                worklist.list_work(self._s.session),
                worklist.count_today(self._s.session),
                list_records(self._s.session, SHOWN_RECORDS),
                len(throwing_away.list_thrown(self._s.session)) if self._s.may(Right.FILE) else 0,
            )

        self._s.runner.query(load, self._loaded, key="work", owner=self)
        self.scanning.refresh()

    def _loaded(self, found: Loaded) -> None:
        self._rows, self._today, self._records, self._thrown = found
        self._made.clear()
        for row in self._rows:
            if row.id in self._thrown_away and row.id not in self._throwing:  # it is back, whoever brought it
                self._undoing.drop(self._thrown_away.pop(row.id))
        self._publish()

    def _routine_of(self, batch_id: BatchId | None) -> Routine | None:
        row = next((r for r in self._rows if r.id == batch_id), None)
        return self._s.workspace.setup.routine(row.routine) if row is not None else None

    def _row(self, row: WorkRow) -> BatchRow:
        key = (row.id, row.id in self._s.line.stopped)
        if key not in self._made:
            self._made[key] = make_row(row, key[1])
        return self._made[key]

    def _publish(self) -> None:
        today = self._today
        self.state = WorkState(
            rows=tuple(map(self._row, self._rows)),
            today=(
                (tr("sides captured"), f"{today.sides:,}"), (tr("documents filed"), f"{today.filed:,}"),
                (tr("in the repository"), f"{today.in_repository:,}"),
            ),
            records=tuple((r.id, say_record(r, self._s.say_time(r.at))) for r in self._records), refused=self._refused,
            thrown=self._thrown,
            may_work=self._s.may(Right.BRING_IN), **self.scanning.parts(), **self.files.parts(), **self.incoming.parts(),
        )  # fmt: skip
        self.changed.emit(self.state)

    def _came_in(self, result: Captured) -> None:
        self._refused = tuple(r.why for r in (*result.refused, *result.noted))
        if result.halt:
            self.scanning.tell_halt(result)
        self.refresh()

    def toggle_reading(self, batch_id: BatchId) -> None:
        """Stop the reading of a batch, or read on where it was stopped."""
        s = self._s

        def toggle() -> None:
            from keybundle.core.workflows.arrange.bench import toggle_reading

            toggle_reading(s.session, s.line, batch_id)

        s.runner.change(toggle, on_error=self.failed.emit)

    def close_batch(self, batch_id: BatchId) -> None:
        """Close a batch whose every document is filed."""
        s = self._s
        s.runner.change(
            lambda: close_batch(s.session, batch_id),
            lambda _: s.bus.tell(Changes(frozenset([batch_id]), text=tr("Batch closed"))), lane=f"batch {batch_id}",
            owner=self, on_error=self.failed.emit,
        )  # fmt: skip

    def throw_away(self, batch_id: BatchId) -> None:
        """Take a batch off the list with all its sides that are not filed; undo brings it back."""
        s, row = self._s, next((r for r in self._rows if r.id == batch_id), None)
        if row is None or batch_id in self._throwing:
            return  # pressed again before the list has heard of it

        def done(changes: Changes) -> None:
            self._throwing.discard(batch_id)
            undo = self._thrown_away[batch_id] = Undo(
                tr("throw away {origin}", origin=worded(row.origin)),
                lambda: throwing_away.bring_batch_back(s.session, s.line, batch_id),
            )
            self._undoing.note(undo)
            self._undoing.end()
            s.bus.tell(changes)
            self.refresh()

        def refused(told: str) -> None:
            self._throwing.discard(batch_id)
            self._undoing.end(came_to_nothing=True)
            self.failed.emit(told)
            self._publish()

        self._throwing.add(batch_id)
        self._undoing.begin()
        s.runner.change(
            lambda: throwing_away.throw_batch_away(s.session, batch_id), done, lane=f"batch {batch_id}", owner=self,
            on_error=refused,
        )  # fmt: skip

    @property
    def undo_told(self) -> str:
        """What ``undo`` would bring back."""
        return self._undoing.told

    @property
    def can_undo(self) -> bool:
        """Whether something was thrown away here that can be brought back, or is being thrown away."""
        return self._undoing.can_undo

    def undo(self) -> None:
        """Bring the batch back that was thrown away last."""
        self._undoing.undo()
        self._publish()

    def _bring_back(self, last: Undo) -> None:
        s = self._s
        s.runner.change(last.put_back, s.bus.tell, lane="batches brought back", owner=self, on_error=self.failed.emit)

    def make_thrown(self) -> ThrownPresenter:
        """Return what was thrown away, to look through."""
        return ThrownPresenter(self._s)
