"""The work place: what is waiting, the sources, and today."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.batches.model import State
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows import filing, worklist
from keybundle.core.workflows.bench import toggle_reading
from keybundle.core.workflows.capture import Captured, import_files, scan_stack
from keybundle.core.workflows.devices import Options, find_scanners
from keybundle.core.workflows.filing import Record
from keybundle.core.workflows.worklist import Today, WorkRow
from keybundle.desktop.presenters.session import Session
from keybundle.desktop.presenters.texts import count, join_words, say_age


@dataclass(frozen=True)
class BatchRow:
    """A row of the work list, ready to draw: the band's pieces are (state, pages)."""

    id: str
    sign: str
    title: str
    told: str
    counts: str
    band: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class WorkState:
    """All that the work place shows."""

    rows: tuple[BatchRow, ...] = ()
    routines: tuple[str, ...] = ()
    routine: str = ""
    routine_told: str = ""
    scanner: str = ""
    feeder: str = ""
    plan: str = ""
    destination: str = ""
    can_scan: bool = False
    scanning: str = ""
    scanned: int = 0
    scan_total: int = 0
    today: tuple[tuple[str, str], ...] = ()
    records: tuple[tuple[str, str], ...] = ()
    refused: tuple[str, ...] = ()


class WorkPresenter(QObject):
    """State and verbs of the work place."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    captured_batch = Signal(str)
    _step = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = session
        self.state = WorkState()
        self._rows: list[WorkRow] = []
        self._today = Today(0, 0, 0)
        self._records: list[Record] = []
        self._sheets = 0
        self._refused: tuple[str, ...] = ()
        self._cancel: CancelToken | None = None
        self._progress = Step(0, 0, "")
        self._routine = next((r.name for r in session.workspace.setup.routines if r.source == "scanner"), "")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(250)
        self._timer.timeout.connect(self.refresh)
        self._step.connect(self._on_step)
        session.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if not self._timer.isActive():
            self._timer.start()

    def refresh(self) -> None:
        """Ask for everything again."""
        ws = self._s.workspace

        def load() -> tuple[list[WorkRow], Today, list[Record], int]:
            scanners = find_scanners(ws)
            sheets = scanners[0].sheets_in_feeder() if scanners else -1
            return worklist.list_work(ws), worklist.count_today(ws), filing.list_records(ws, 6), sheets

        self._s.runner.query(load, self._loaded, key="work")

    def _loaded(self, found: tuple[list[WorkRow], Today, list[Record], int]) -> None:
        self._rows, self._today, self._records, self._sheets = found
        self._publish()

    def routine(self) -> Routine | None:
        """Return the chosen routine."""
        return self._s.workspace.setup.routine(self._routine)

    def choose_routine(self, name: str) -> None:
        """Scan under another routine from now on."""
        self._routine = name
        self._publish()

    def _publish(self) -> None:
        setup, routine = self._s.workspace.setup, self.routine()
        scanning = self._cancel is not None
        sheets = max(0, self._sheets)
        sided = "two-sided" if routine and routine.duplex else "one-sided"
        sides = sheets * (2 if routine and routine.duplex else 1)
        self.state = WorkState(
            rows=tuple(_row(r, r.id in self._s.line.stopped) for r in self._rows),
            routines=tuple(r.name for r in setup.routines if r.source == "scanner"), routine=self._routine,
            routine_told=routine.description if routine else "",
            scanner="Simulated scanner" if self._sheets >= 0 else "No scanner",
            feeder=f"{count(sheets, 'sheet')} in the feeder" if sheets else "The feeder is empty",
            plan=f"{count(sheets, 'sheet')}, {sided}: {count(sides, 'side')}" if sheets else "",
            destination=f"Work of {self._s.who}", can_scan=sheets > 0 and not scanning and routine is not None,
            scanning=self._progress.what if scanning else "", scanned=self._progress.done, scan_total=self._progress.total,
            today=(
                ("sides captured", f"{self._today.sides:,}"), ("documents filed", f"{self._today.filed:,}"),
                ("in the repository", f"{self._today.in_repository:,}"),
            ),
            records=tuple((r.id, _record_line(r)) for r in self._records), refused=self._refused,
        )  # fmt: skip
        self.changed.emit(self.state)

    def _on_step(self, step: Step) -> None:
        self._progress = step
        self._publish()

    def scan(self) -> None:
        """Scan what lies in the feeder."""
        routine, s = self.routine(), self._s
        scanners = find_scanners(s.workspace)
        if routine is None or not scanners or self._cancel is not None:
            return
        cancel = self._cancel = CancelToken()
        self._progress = Step(0, 0, "Starting the scanner")
        options = Options(duplex=routine.duplex, resolution_dpi=routine.resolution_dpi)
        s.runner.long(
            lambda: scan_stack(s.workspace, s.line, routine, scanners[0], s.who, options=options,
                               progress=self._step.emit, cancel=cancel),
            self._captured, on_error=self._scan_failed,
        )  # fmt: skip
        self._publish()

    def stop(self) -> None:
        """Stop the feeder; what came in is kept."""
        if self._cancel is not None:
            self._cancel.cancel()

    def import_files(self, files: list[Path]) -> None:
        """Bring files in under the routine for files."""
        s = self._s
        routine = next((r for r in s.workspace.setup.routines if r.source == "files"), None)
        if routine is None:
            self.failed.emit("There is no routine for files yet; add one under Prepare.")
            return
        s.runner.long(
            lambda: import_files(s.workspace, s.line, s.pool, routine, files, s.who, progress=self._step.emit),
            self._captured, on_error=self._scan_failed,
        )  # fmt: skip

    def _captured(self, result: Captured) -> None:
        self._cancel = None
        self._refused = tuple(r.why for r in result.refused)
        safe = f"{count(result.sides, 'side')} captured and safe"
        if result.halt:
            self.failed.emit(result.halt)
        elif result.refused:
            self.failed.emit(
                f"{safe}; {count(len(result.refused), 'file')} not taken in, the reasons stand under Files"
            )
        elif result.batch:
            self.said.emit(safe)
        if result.batch:
            self.captured_batch.emit(result.batch)
        self.refresh()

    def _scan_failed(self, text: str) -> None:
        self._cancel = None
        self.failed.emit(text)
        self.refresh()

    def refill(self) -> None:
        """Put the demo stack into the simulated feeder again."""
        for scanner in find_scanners(self._s.workspace):
            scanner.refill()
        self.refresh()

    def toggle_reading(self, batch_id: str) -> None:
        """Stop the reading of a batch, or read on where it was stopped."""
        s = self._s
        s.runner.change(lambda: toggle_reading(s.workspace, s.line, batch_id, s.who), on_error=self.failed.emit)

    def close_batch(self, batch_id: str) -> None:
        """Close a batch whose every document is filed."""
        ws = self._s.workspace
        self._s.runner.change(lambda: ws.batches.close(batch_id), lambda _: self.refresh(), on_error=self.failed.emit)

    def record(self, record_id: str) -> Record | None:
        """Return a filing record that is shown."""
        return next((r for r in self._records if r.id == record_id), None)


def _row(row: WorkRow, reading_stopped: bool) -> BatchRow:
    parts = [f"{row.count(s)} {s.value}" for s in (State.READING, State.TO_CHECK, State.READY, State.SET_ASIDE, State.FILED)
             if row.count(s)]  # fmt: skip
    if row.unplaced:
        parts.insert(0, count(row.unplaced, "side") + " being separated")
    band = [(s.value, pages) for s, pages in row.pieces]
    if row.unplaced:
        band.append(("reading", row.unplaced))
    told = f"{row.owner}, {say_age(row.age)}" + (", coming in" if row.is_capturing else "")
    if reading_stopped and row.count(State.READING):
        told = f"reading stopped (R reads on), {told}"
    title = f"{row.routine}: {row.origin}"
    return BatchRow(row.id, row.sign, title, told, join_words(parts) or "nothing placed yet", tuple(band))


def _record_line(record: Record) -> str:
    return f"{record.at[5:16].replace('T', ' ')}   {count(len(record.entries), 'document')}"
