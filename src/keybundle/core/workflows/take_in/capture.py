"""Bringing pages in: from the scanner or from files, each durable before it counts."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Batch
from keybundle.core.intake.files import InputFile, Refused, expand
from keybundle.core.intake.halts import Halted
from keybundle.core.intake.paths import WHOLE, Level, list_levels, map_path
from keybundle.core.intake.scanner import PAPERS_MM, Halt, Options, Scanner
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import called
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.taking import Captured, TakingIn, from_file
from keybundle.core.workflows.take_in.waiting import Waiting, forget_waiting, note_order, note_taken

LAST_LOOK_SECONDS = 10.0
__all__ = [
    "WHOLE", "Captured", "ImportPlan", "damaged_pages", "find_routine", "import_files", "map_path", "plan_import", "routine_of",
    "scan_options", "scan_stack",
]  # fmt: skip


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
    into: BatchId | None = None, given: Mapping[str, str] | None = None, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Scan what lies in the feeder as one batch, or (``into``) as more pages of an open one.

    ``given`` are values that the pages bring along, by field; they stay unsure until somebody confirms them.

    A halt of the device or of the routine ends the capture; what came before it is kept, and the batch can be gone on
    with. A feeder that is stopped ends with the sheet it is at.
    """
    session.require_use(routine)
    cancel, stop = cancel or CancelToken(), CancelToken()
    options = options or scan_options(routine)
    total = (scanner.sheets_in_feeder() or 0) * (2 if options.duplex else 1)
    taking = TakingIn(
        session, line, None, routine, into, origin=scanner.name, two_sided=options.duplex,
        paper_mm=PAPERS_MM[options.paper],
    )  # fmt: skip
    result = taking.result
    try:
        for side in scanner.scan(options, stop):
            taking.take_side(side, given)
            progress(Step(result.sides, total, message("progress.scanning", sheet=side.sheet, side=side.side)))
            if cancel.cancelled or line.halted(str(result.batch)):
                stop.cancel()
    except Halt as halt:
        result.halt = str(halt)
        result.halted = Halted(halt.code, 0, str(halt)) if result.batch else None
    finally:
        taking.end()
    if result.batch is not None and routine.halts and not result.halt:
        line.wait_looked_at(result.batch, LAST_LOOK_SECONDS)
        result.halted = line.halted(result.batch)
        result.halt = result.halted.words if result.halted else ""
    if result.batch is not None and result.halt:
        _note_halt(session, result)
    return result


def _note_halt(session: Session, result: Captured) -> None:
    """Leave a row in the audit trail: what stopped the feeder, and after how many sides."""
    workspace = session.workspace
    what = result.halted.on if result.halted is not None else ""
    with workspace.place.database.atomic() as c:
        told = {"why": what, "said": result.halt, "sides": result.sides}
        audit.append(c, workspace.clock.stamp(), session.person, "feeder halted", str(result.batch), told)


def scan_options(routine: Routine) -> Options:
    """Return how a routine scans."""
    return Options(
        source=routine.feed, duplex=routine.duplex, resolution_dpi=routine.resolution_dpi, mode=routine.mode,
        paper=routine.paper,
    )  # fmt: skip


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
    into: BatchId | None = None, given: Mapping[str, str] | None = None, levels: Mapping[int, str] | None = None,
    each: Mapping[Path, Mapping[str, str]] | None = None, progress: Progress = silent, cancel: CancelToken | None = None,
    waiting: Waiting | None = None,
) -> Captured:  # fmt: skip
    """Bring files in as one batch, or (``into``) as more pages of an open one.

    Under a two-sided routine for files the pages of each file are fronts and backs in turn, and two of them are one sheet.
    ``given`` are values that all pages bring along, by field, ``each`` those of one file; ``levels`` maps levels of folders
    to fields (see ``map_path``). A file that cannot be used is refused with its reason; the others go on. Raises
    EnvironmentProblem when the store cannot take more; what was stored before is kept and goes on. Where the files are noted
    as ``waiting``, each is struck off as it is taken in, and none is taken in twice.
    """
    session.require_use(routine)
    cancel = cancel or CancelToken()
    found = expand(inputs)
    files = [f for f in found.files if waiting is None or f.path not in waiting.done]
    if waiting is not None:
        note_order(session, waiting, [f.path for f in files])
    taking = TakingIn(
        session, line, pool, routine, into, origin=_origin(found.files),
        two_sided=routine.duplex and routine.source == "files", progress=progress, cancel=cancel,
    )  # fmt: skip
    taking.expected = len(files)

    def values_of(file: InputFile) -> Callable[[str], Mapping[str, str]]:
        own = (each or {}).get(file.path, {})
        return lambda tree: {**(given or {}), **map_path(tree, levels or {}), **own}

    try:
        for told in found.passed_over:
            taking.pass_over(told)
        for number, file in enumerate(files, 1):
            cancel.check()
            taking.take_file(from_file(file, values_of(file)))
            if waiting is not None:
                note_taken(session, waiting.id, waiting.taken + number, taking.result.batch)
    finally:
        taking.end()
    if waiting is not None:
        forget_waiting(session, waiting.id)
    return taking.result


def _origin(files: Sequence[InputFile]) -> str:
    """Return what a batch of files is said to come from."""
    if not files:
        return ""
    return files[0].name if len(files) == 1 else message("capture.and-more", name=files[0].name, n=len(files) - 1)


@needs(Right.LOOK)
def damaged_pages(session: Session, batch_id: BatchId) -> Iterable[Refused]:
    """Return the pages of a batch that could not be decoded, with the reason; their bytes are kept."""
    for page in session.batch(batch_id).load().pages:
        if page.facts is None and page.trouble:
            yield Refused(page.source, page.trouble)
