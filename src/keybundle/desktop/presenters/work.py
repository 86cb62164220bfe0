"""The work place: what is waiting, the sources, and today."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping, Sequence
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows import bench, rescan, worklist
from keybundle.core.workflows.bench import toggle_reading
from keybundle.core.workflows.capture import (
    Captured,
    ImportPlan,
    import_files,
    plan_import,
    scan_stack,
)
from keybundle.core.workflows.closing import close_batch
from keybundle.core.workflows.devices import Offers, Options, SimulatedScanner, find_scanners
from keybundle.core.workflows.records import Record, list_records
from keybundle.core.workflows.scan_choices import options_of, say_choices, scan_choices
from keybundle.core.workflows.worklist import Today, WorkRow
from keybundle.desktop.presenters.preview import PreviewPresenter
from keybundle.desktop.presenters.session import Session
from keybundle.desktop.presenters.texts import count
from keybundle.desktop.presenters.work_state import (
    HaltShown,
    Handed,
    MappingAsked,
    ScanChoice,
    WorkState,
    make_row,
    say_again,
    say_feeder,
    say_record,
)

Loaded = tuple[list[WorkRow], Today, list[Record]]


class WorkPresenter(QObject):
    """State and verbs of the work place."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    captured_batch = Signal(str)
    halted = Signal(object)
    mapping_asked = Signal(object)
    _step = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = session
        self.state = WorkState()
        self._rows: list[WorkRow] = []
        self._today = Today(0, 0, 0)
        self._records: list[Record] = []
        self._sheets: int | None = 0
        self._has_looked = False
        self._refused: tuple[str, ...] = ()
        self._offers = Offers()
        self._changed: dict[str, dict[str, str]] = {}
        self._given: dict[str, str] = {}
        self._chosen_for_files = ""
        self.preview = PreviewPresenter(session, self)
        self.preview.accepted.connect(self._preview_kept)
        self.preview.failed.connect(self.failed)
        self.preview.said.connect(self.said)
        self._waiting: deque[Handed] = deque()
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
        ws, devices, routine = self._s.workspace, self._s.devices, self.routine()

        def load() -> Loaded:
            return worklist.list_work(ws), worklist.count_today(ws), list_records(ws, 6)

        def ask_device() -> tuple[int | None, Offers]:
            scanner = devices.scanner_for(routine)
            return (scanner.sheets_in_feeder(), scanner.offers()) if scanner else (-1, Offers())

        self._s.runner.query(load, self._loaded, key="work", owner=self)
        self._s.runner.query(ask_device, self._device_told, key="device", owner=self, kind="devices",
                             on_error=self._device_silent)  # fmt: skip
        if not self._has_looked:
            self._has_looked = True
            self.look_for_scanners()

    def look_for_scanners(self) -> None:
        """Ask for devices again; takes seconds, off the interface thread."""
        self._s.runner.query(self._s.devices.look, lambda names: self.refresh(), key="look", owner=self, kind="devices")

    def choose_scanner(self, name: str) -> None:
        """Scan with another device from now on."""
        self._s.devices.choose(name)
        self.refresh()

    def _loaded(self, found: Loaded) -> None:
        self._rows, self._today, self._records = found
        self._publish()

    def _device_told(self, found: tuple[int | None, Offers]) -> None:
        self._sheets, self._offers = found
        self._publish()

    def _device_silent(self, told: str) -> None:
        self._sheets, self._offers = -1, Offers()
        self.failed.emit(told)
        self._publish()

    def routine(self) -> Routine | None:
        """Return the chosen routine."""
        return self._s.workspace.setup.routine(self._routine)

    def choose_routine(self, name: str) -> None:
        """Scan under another routine from now on."""
        self._routine = name
        self.refresh()

    def _publish(self) -> None:
        setup, routine = self._s.workspace.setup, self.routine()
        scanning = self._cancel is not None
        scanner = self._s.devices.scanner_for(routine)
        choices = self._choices(routine)
        options = options_of(choices) if choices else Options(duplex=False)
        sheets = min(1, max(0, self._sheets or 0)) if options.source == "glass" else max(0, self._sheets or 0)
        sided = "two-sided" if options.duplex else "one-sided"
        sides = sheets * (2 if options.duplex else 1)
        self.state = WorkState(
            rows=tuple(make_row(r, r.id in self._s.line.stopped) for r in self._rows),
            routines=tuple(r.name for r in setup.routines if r.source == "scanner"), routine=self._routine,
            file_routines=tuple(r.name for r in setup.routines if r.source == "files"),
            file_routine=files.name if (files := self._file_routine(None)) else "",
            types=tuple(k.name for k in setup.document_types),
            routine_told=routine.description if routine else "",
            routine_keys=tuple((r.key, r.name) for r in setup.routines if r.key and r.source == "scanner"),
            scanner=scanner.name if scanner else self._missing(routine), scanners=tuple(self._s.devices.names),
            feeder=say_feeder(self._sheets),
            plan=f"{count(sheets, 'sheet')}, {sided}: {count(sides, 'side')}" if sheets else "",
            destination=self._say_destination(routine),
            can_scan=(sheets > 0 or self._sheets is None) and not scanning and routine is not None,
            scanning=self._progress.what if scanning else "", scanned=self._progress.done, scan_total=self._progress.total,
            today=(
                ("sides captured", f"{self._today.sides:,}"), ("documents filed", f"{self._today.filed:,}"),
                ("in the repository", f"{self._today.in_repository:,}"),
            ),
            records=tuple((r.id, say_record(r, self._s.say_time(r.at))) for r in self._records), refused=self._refused,
            options=choices, options_told=say_choices(choices),
        )  # fmt: skip
        self.changed.emit(self.state)

    def _choices(self, routine: Routine | None) -> tuple[ScanChoice, ...]:
        return scan_choices(routine, self._offers, self._changed.get(routine.name, {})) if routine else ()

    def change_option(self, name: str, value: str) -> None:
        """Scan with another option under the chosen routine from now on."""
        self._changed.setdefault(self._routine, {})[name] = value
        self._publish()

    def clear_options(self) -> None:
        """Scan as the routine has it again."""
        self._changed.pop(self._routine, None)
        self._publish()

    def bring_along(self, values: Mapping[str, str]) -> None:
        """Let the next scan or import bring these values along, by field; none of them takes that back."""
        self._given = dict(values)
        self._publish()

    def _take_given(self) -> dict[str, str]:
        given, self._given = self._given, {}
        return given

    def scan_preview(self) -> bool:
        """Scan a page to look at first; False where there is no scanner."""
        routine = self.routine()
        scanner = self._s.devices.scanner_for(routine)
        if self._cancel is not None or self.preview.is_scanning:
            self.failed.emit("Something is coming in already; wait until it is through, or stop it with Shift+S.")
            return False
        if routine is None or scanner is None:
            self.failed.emit(f"{self._missing(routine)}. Plug it in and look for scanners again.")
            return False
        self.preview.scan(routine, scanner, options_of(self._choices(routine)), self._take_given())
        return True

    def _preview_kept(self, result: Captured) -> None:
        """A page that was looked at is captured; what comes in beside goes on."""
        self.said.emit(f"{count(result.sides, 'side')} captured and safe")
        if result.batch:
            self.captured_batch.emit(result.batch)
        self.refresh()

    def _on_step(self, step: Step) -> None:
        self._progress = step
        self._publish()

    def start(self, routine: str) -> None:
        """Scan under a routine by its start key."""
        self._routine = routine
        self.scan()

    def _say_destination(self, routine: Routine | None) -> str:
        kind = self._s.workspace.setup.document_type(routine.document_type) if routine else None
        goes = f" {kind.name}s go to the cabinet {kind.cabinet}." if kind else ""
        told = f"It becomes your work.{goes}"
        if self._given:
            values = ", ".join(f"{k} = {v}" for k, v in self._given.items())
            told += f"\nThe next stack gets {values}, to be confirmed."
        return told

    def _missing(self, routine: Routine | None) -> str:
        if routine is not None and routine.device:
            return f"{routine.device} is not there"
        return "No scanner"

    def scan(self, into: str | None = None) -> None:
        """Scan what lies in the feeder, as a new batch or into an open one."""
        routine, s = self.routine(), self._s
        if into is not None:
            row = next((r for r in self._rows if r.id == into), None)
            routine = s.workspace.setup.routine(row.routine) if row else routine
        scanner = s.devices.scanner_for(routine)
        if routine is None:
            return
        if self._cancel is not None or self.preview.is_scanning:
            self.failed.emit("Something is coming in already; wait until it is through, or stop it with Shift+S.")
            return
        if scanner is None:
            self.failed.emit(
                f"{self._missing(routine)}. Plug it in and look for scanners again, or choose another one."
            )
            return
        cancel = self._cancel = CancelToken()
        self._progress = Step(0, 0, "Starting the scanner")
        options, given = options_of(self._choices(routine)), self._take_given()
        s.runner.long(
            lambda: scan_stack(s.workspace, s.line, routine, scanner, s.who, options=options, into=into, given=given,
                               progress=self._step.emit, cancel=cancel),
            self._captured, on_error=self._scan_failed,
        )  # fmt: skip
        self._publish()

    def go_on(self, halt: HaltShown, way: str) -> None:
        """Go on after a halt: as it is, with its sheets scanned again, or with its sheet left out."""
        s = self._s
        row = next((r for r in self._rows if r.id == halt.batch), None)
        scanner = s.devices.scanner_for(s.workspace.setup.routine(row.routine) if row else self.routine())

        def prepare() -> None:
            if way != "go on" and halt.sheet:
                only = way == "leave out"
                s.bus.tell(rescan.leave_out_from(s.workspace, s.line, halt.batch, halt.sheet, s.who, only=only))
                if not only and isinstance(scanner, SimulatedScanner):
                    scanner.put_back(halt.sheets_after + 1)

        s.runner.change(
            prepare, lambda _: self.scan(halt.batch), lane=f"batch {halt.batch}", owner=self, on_error=self.failed.emit
        )

    def stop(self) -> None:
        """Stop the feeder; what came in is kept."""
        if self._cancel is not None:
            self._cancel.cancel()

    def _file_routine(self, into: str | None) -> Routine | None:
        setup = self._s.workspace.setup
        row = next((r for r in self._rows if r.id == into), None)
        routine = setup.routine(row.routine) if row else None
        chosen = setup.routine(self._chosen_for_files)
        of_files = [r for r in setup.routines if r.source == "files"]
        return routine or (chosen if chosen in of_files else next(iter(of_files), None))

    def choose_file_routine(self, name: str) -> None:
        """Bring files in under another routine from now on."""
        self._chosen_for_files = name
        self._publish()

    def save_sheets(self, path: Path, type_name: str) -> None:
        """Write a separator sheet to print; with a type the document that follows is of it."""

        def work() -> None:
            from keybundle.core.workflows.sheets import write_separators  # draws, and the window starts without that

            write_separators(path, type_name)

        self._s.runner.long(
            work, lambda _: self.said.emit(f"Written: {path.name}"), owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def import_files(self, files: list[Path], into: str | None = None, given: Mapping[str, str] | None = None) -> None:
        """Bring files in under the routine for files, or into an open batch; folders are asked about first."""
        s, routine = self._s, self._file_routine(into)
        if routine is None:
            self.failed.emit("There is no routine for files yet; add one under Prepare.")
            return
        given = {**self._take_given(), **(given or {})}
        if not any(f.is_dir() for f in files):
            self.take_in(files, into, given, {})
            return

        def planned(plan: ImportPlan) -> None:
            if not plan.files:
                self.failed.emit("There is no picture or PDF in that folder; nothing was taken in.")
            elif plan.levels:
                self.mapping_asked.emit(MappingAsked(tuple(files), into, given, plan))
            else:
                self.take_in(files, into, given, {})

        s.runner.query(lambda: plan_import(s.workspace, routine, files), planned, key="plan", on_error=self.failed.emit)

    def take_in(
        self, files: Sequence[Path], into: str | None, given: Mapping[str, str], levels: Mapping[int, str]
    ) -> None:
        """Bring files in, levels of their folders mapped to fields; it can be stopped."""
        s, routine = self._s, self._file_routine(into)
        if routine is None:
            return
        if self._cancel is not None:
            self._waiting.append(Handed(tuple(files), into, dict(given), dict(levels)))
            self.said.emit(f"{count(len(files), 'file')} wait; they come in after what is coming in now")
            self._publish()
            return
        cancel = self._cancel = CancelToken()
        self._progress = Step(0, 0, "Looking at the files")
        s.runner.long(
            lambda: import_files(s.workspace, s.line, s.pool, routine, files, s.who, into=into, given=given, levels=levels,
                                 progress=self._step.emit, cancel=cancel),
            self._captured, on_error=self._scan_failed,
        )  # fmt: skip
        self._publish()

    def _take_next(self) -> None:
        """Bring in what was handed over while something else came in."""
        if self._cancel is None and self._waiting:
            handed = self._waiting.popleft()
            self.take_in(handed.files, handed.into, handed.given, handed.levels)

    def leave_mapping(self, asked: MappingAsked) -> None:
        """Bring nothing in; values that were to come along wait for the next stack."""
        self.bring_along(asked.given)

    def _captured(self, result: Captured) -> None:
        self._cancel = None
        self._refused = tuple(r.why for r in result.refused)
        safe = f"{count(result.sides, 'side')} captured and safe"
        if result.halt:
            self.failed.emit(result.halt)
            self._tell_halt(result)
        elif result.refused:
            self.failed.emit(
                f"{safe}; {count(len(result.refused), 'file')} not taken in, the reasons stand under Files"
            )
        elif result.batch:
            self.said.emit(safe)
        if result.batch:
            self.captured_batch.emit(result.batch)
        self.refresh()
        self._take_next()

    def _tell_halt(self, result: Captured) -> None:
        """Show two pictures with what to feed again."""
        s, batch_id, halted = self._s, result.batch, result.halted
        if batch_id is None or halted is None:
            return

        def load() -> HaltShown:
            pages = sorted(s.workspace.batches.load(batch_id).pages, key=lambda p: p.captured)
            last = pages[-1].sheet if pages else 0
            upto = next((i for i, p in enumerate(pages, 1) if halted.sheet and p.sheet == halted.sheet), len(pages))
            pictures = tuple(
                (str(bench.preview(s.workspace, s.pool, p.id, p.picture, p.frame)),
                 f"Sheet {p.sheet}, {p.side}")
                for p in pages[max(0, upto - 2) : upto] if p.facts is not None
            )  # fmt: skip
            after = last - halted.sheet if halted.sheet else 0
            return HaltShown(result.halt, batch_id, halted.sheet, after, say_again(halted.sheet, last), pictures)

        s.runner.query(load, self.halted.emit, key="halt")

    def _scan_failed(self, text: str) -> None:
        self._cancel = None
        self.failed.emit(text)
        self.refresh()
        self._take_next()

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
        s = self._s
        s.runner.change(
            lambda: close_batch(s.workspace, batch_id, s.who),
            lambda _: s.bus.tell(Changes(frozenset([batch_id]), text="Batch closed")), lane=f"batch {batch_id}",
            owner=self, on_error=self.failed.emit,
        )  # fmt: skip

    def record(self, record_id: str) -> Record | None:
        """Return a filing record that is shown."""
        return next((r for r in self._records if r.id == record_id), None)
