"""Bringing pages in: from the scanner or from files, each durable before it counts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from keybundle.core.base.errors import AppError, InputProblem, WorkerBug
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.batches.model import Batch, Page
from keybundle.core.intake.files import InputFile, Refused, expand
from keybundle.core.intake.halts import Halted
from keybundle.core.intake.naming import rename
from keybundle.core.intake.paths import WHOLE, Level, list_levels, map_path
from keybundle.core.intake.scanner import BACK, FRONT, PAPERS_MM, Halt, Options, Scanner
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import called
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.line.line import EXAMINE, Line
from keybundle.core.workflows.line.page_jobs import WORK
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

LAST_LOOK_SECONDS = 10.0
NOT_TAKEN = message("capture.something-went-wrong-inside-key")
__all__ = [
    "WHOLE", "Captured", "ImportPlan", "damaged_pages", "find_routine", "import_files", "map_path", "plan_import", "routine_of",
    "scan_options", "scan_stack",
]  # fmt: skip


@dataclass
class Captured:
    """What a capture brought: the batch (None when nothing came), its sides, what was refused, why it halted."""

    batch: str | None = None
    sides: int = 0
    refused: list[Refused] = field(default_factory=list)
    halt: str = ""
    halted: Halted | None = None
    first_sheet: int | None = None


@needs(Right.LOOK)
def find_routine(session: Session, name: str) -> Routine:
    """Return a routine; raises InputProblem that lists the known ones."""
    routine = called(session.routines(), name)
    if routine is None:
        known = ", ".join(r.name for r in session.routines())
        raise InputProblem(message("capture.no-routine-known", name=name, known=known))
    return routine


def routine_of(workspace: Workspace, batch: Batch) -> Routine:
    """Return the routine that a batch is handled by; raises InputProblem where it is gone."""
    routine = workspace.setup.routine(batch.routine)
    if routine is None:
        raise InputProblem(message("capture.routine-batch-no-longer", routine=batch.routine))
    return routine


@needs(Right.BRING_IN)
def scan_stack(
    session: Session, line: Line, routine: Routine, scanner: Scanner, *, options: Options | None = None,
    into: str | None = None, given: Mapping[str, str] | None = None, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Scan what lies in the feeder as one batch, or (``into``) as more pages of an open one.

    ``given`` are values that the pages bring along, by field; they stay unsure until somebody confirms them.

    A halt of the device or of the routine ends the capture; what came before it is kept, and the batch can be gone on
    with. A feeder that is stopped ends with the sheet it is at.
    """
    session.require_use(routine)
    workspace, who = session.workspace, session.person
    cancel = cancel or CancelToken()
    stop = CancelToken()
    options = options or scan_options(routine)
    total = (scanner.sheets_in_feeder() or 0) * (2 if options.duplex else 1)
    result = Captured(into)
    sheets = 0 if into is None else _take_up(workspace, line, into, options.duplex)
    try:
        for side in scanner.scan(options, stop):
            if result.batch is None:
                result.batch = workspace.batches.create(
                    routine.id, scanner.name, who, {"": given} if given else None, two_sided=options.duplex,
                    paper_mm=PAPERS_MM[options.paper],
                )  # fmt: skip
                line.begin(result.batch, routine, paper_mm=PAPERS_MM[options.paper])
            sha = workspace.place.files.put(side.data)
            sheet = sheets + _own_sheet(side.sheet, result)
            page = Page(workspace.clock.new_id(), 0, side.name, 0, sheet, side.side, sha, False)
            line.captured(result.batch, workspace.batches.add_page(result.batch, page))
            result.sides += 1
            progress(Step(result.sides, total, message("progress.scanning", sheet=side.sheet, side=side.side)))
            if cancel.cancelled or line.halted(result.batch):
                stop.cancel()
    except Halt as halt:
        result.halt = str(halt)
        result.halted = Halted(halt.code, 0, str(halt)) if result.batch else None
    finally:
        if result.batch is not None:
            line.ended(result.batch)
    if result.batch is not None and routine.halts and not result.halt:
        line.wait_looked_at(result.batch, LAST_LOOK_SECONDS)
        result.halted = line.halted(result.batch)
        result.halt = result.halted.words if result.halted else ""
    if result.batch is not None and result.halt:
        _note_halt(workspace, result, who)
    return result


def _note_halt(workspace: Workspace, result: Captured, who: str) -> None:
    """Leave a row in the audit trail: what stopped the feeder, and after how many sides."""
    what = result.halted.on if result.halted is not None else ""
    with workspace.place.database.atomic() as c:
        told = {"why": what, "said": result.halt, "sides": result.sides}
        audit.append(c, workspace.clock.stamp(), who, "feeder halted", str(result.batch), told)


def scan_options(routine: Routine) -> Options:
    """Return how a routine scans."""
    return Options(
        source=routine.feed, duplex=routine.duplex, resolution_dpi=routine.resolution_dpi, mode=routine.mode,
        paper=routine.paper,
    )  # fmt: skip


def _take_up(workspace: Workspace, line: Line, batch_id: str, two_sided: bool) -> int:
    """Open a batch for more pages; return how many sheets it has. Raises InputProblem for a closed one."""
    batch = workspace.batches.load(batch_id)
    workspace.batches.reopen_capture(batch_id, two_sided=two_sided)
    line.go_on(batch_id)
    return max((p.sheet for p in batch.pages), default=0)


def _own_sheet(sheet: int, result: Captured) -> int:
    """Count the sheets of this capture from 1, whatever the device counts from."""
    if result.first_sheet is None:
        result.first_sheet = sheet
    return sheet - result.first_sheet + 1


@dataclass(frozen=True)
class ImportPlan:
    """What an import would take in: the files, the levels of folders above them, fields to map these to."""

    files: tuple[InputFile, ...]
    levels: tuple[Level, ...]
    fields: tuple[str, ...]


@needs(Right.BRING_IN)
def plan_import(session: Session, routine: Routine, inputs: Sequence[Path]) -> ImportPlan:
    """Look through inputs without taking anything in; fields are those of the routine's type, else of all types."""
    workspace = session.workspace
    files = tuple(expand(inputs).files)
    kind = workspace.setup.document_type(routine.document_type)
    kinds = (kind,) if kind else workspace.setup.document_types
    return ImportPlan(
        files, list_levels([f.tree for f in files]), tuple(dict.fromkeys(f.name for k in kinds for f in k.fields))
    )


@needs(Right.BRING_IN)
def import_files(
    session: Session, line: Line, pool: Pool, routine: Routine, inputs: Sequence[Path], *,
    into: str | None = None, given: Mapping[str, str] | None = None, levels: Mapping[int, str] | None = None,
    each: Mapping[Path, Mapping[str, str]] | None = None, progress: Progress = silent, cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Bring files in as one batch, or (``into``) as more pages of an open one.

    Under a two-sided routine for files the pages of each file are fronts and backs in turn, and two of them are one sheet.
    ``given`` are values that all pages bring along, by field, ``each`` those of one file; ``levels`` maps levels of folders
    to fields (see ``map_path``). A file that cannot be used is refused with its reason; the others go on. Raises
    EnvironmentProblem when the store cannot take more; what was stored before is kept and goes on.
    """
    session.require_use(routine)
    workspace, who = session.workspace, session.person
    cancel = cancel or CancelToken()
    result = Captured(into)
    found = expand(inputs)
    two_sided = routine.duplex and routine.source == "files"
    result.refused += found.passed_over
    sheets = 0 if into is None else _take_up(workspace, line, into, two_sided=two_sided)
    today = workspace.clock.now().date()
    try:
        for done, file in enumerate(found.files, 1):
            cancel.check()
            try:
                name = rename(file.name, routine.naming, done, today)
                sha, kind, pages = _store(workspace, pool, file)
            except InputProblem as error:
                result.refused.append(Refused(file.name, str(error)))
                continue
            except WorkerBug:
                result.refused.append(
                    Refused(file.name, message("capture.could-not-looked", file_name=file.name, NOT_TAKEN=NOT_TAKEN))
                )
                continue
            if result.batch is None:
                count = len(found.files)
                origin = file.name if count == 1 else f"{file.name} and {count - 1} more"
                result.batch = workspace.batches.create(routine.id, origin, who, two_sided=two_sided)
                line.begin(result.batch, routine)
            arrival = workspace.clock.new_id()
            if values := {**(given or {}), **map_path(file.tree, levels or {}), **(each or {}).get(file.path, {})}:
                workspace.batches.give(result.batch, {arrival: values})
            for index in range(pages):
                is_back = two_sided and index % 2 == 1
                sheets += not is_back
                page = Page(
                    workspace.clock.new_id(), 0, file.name, index, sheets, BACK if is_back else FRONT, sha, kind == "PDF",
                    name=name, arrival=arrival,
                )  # fmt: skip
                line.captured(result.batch, workspace.batches.add_page(result.batch, page))
                result.sides += 1
            progress(Step(done, len(found.files), message("progress.taking-in", name=file.name)))
    finally:
        if result.batch is not None:
            line.ended(result.batch)
    return result


def _store(workspace: Workspace, pool: Pool, file: InputFile) -> tuple[str, str, int]:
    """Store a file and return (SHA-256, kind, number of pages) of just what was stored; nothing stays of a refused one."""
    files = workspace.place.files
    sha, is_new = files.put_file(file.path, file.name)
    try:
        asked = pool.submit(f"{WORK}:look_at", str(files.path(sha)), file.name, priority=EXAMINE, limit_seconds=60)
        kind, pages = asked.result()
    except AppError:
        if is_new:
            files.drop(sha)
        raise
    return sha, kind, pages


@needs(Right.LOOK)
def damaged_pages(session: Session, batch_id: str) -> Iterable[Refused]:
    """Return the pages of a batch that could not be decoded, with the reason; their bytes are kept."""
    workspace = session.workspace
    for page in workspace.batches.load(batch_id).pages:
        if page.facts is None and page.trouble:
            yield Refused(page.source, page.trouble)
