"""Bringing pages in: from the scanner or from files, each durable before it counts."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.batches.model import Page
from keybundle.core.intake.files import Refused, expand, read_input
from keybundle.core.intake.scanner import Halt, Options, Scanner
from keybundle.core.jobs.pool import Pool
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.line import EXAMINE, WORK, Line
from keybundle.core.workflows.workspace import Workspace, may_work


@dataclass
class Captured:
    """What a capture brought: the batch (None when nothing came), its sides, what was refused, why it halted."""

    batch: str | None = None
    sides: int = 0
    refused: list[Refused] = field(default_factory=list)
    halt: str = ""


def find_routine(workspace: Workspace, name: str) -> Routine:
    """Return a routine; raises InputProblem that lists the known ones."""
    routine = workspace.setup.routine(name)
    if routine is None:
        known = ", ".join(r.name for r in workspace.setup.routines)
        raise InputProblem(f"There is no routine “{name}”; known are: {known}.")
    return routine


def scan_stack(
    workspace: Workspace, line: Line, routine: Routine, scanner: Scanner, who: str, *, options: Options | None = None,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Scan what lies in the feeder as one batch. A halt ends the capture; what came before it is kept."""
    may_work(workspace.person(who))
    cancel = cancel or CancelToken()
    options = options or Options(duplex=routine.duplex, resolution_dpi=routine.resolution_dpi)
    per_sheet = 2 if options.duplex else 1
    total = scanner.sheets_in_feeder() * per_sheet
    result = Captured()
    try:
        for side in scanner.scan(options, cancel):
            if result.batch is None:
                result.batch = workspace.batches.create(routine.name, scanner.name, who)
                line.begin(result.batch, routine, two_sided=options.duplex)
            sha = workspace.place.files.put(side.data)
            page = Page(workspace.clock.new_id(), result.sides, side.name, 0, side.sheet, side.side, sha, False)
            workspace.batches.add_page(result.batch, page)
            line.captured(result.batch, page)
            result.sides += 1
            progress(Step(result.sides, total, f"Scanning sheet {side.sheet}, {side.side}"))
    except Halt as halt:
        result.halt = str(halt)
    finally:
        if result.batch is not None:
            line.ended(result.batch)
    return result


def import_files(
    workspace: Workspace, line: Line, pool: Pool, routine: Routine, inputs: Sequence[Path], who: str, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Bring files in as one batch. A file that cannot be used is refused with its reason; the others go on.

    Raises EnvironmentProblem when the store cannot take more; what was stored before is kept and goes on.
    """
    may_work(workspace.person(who))
    cancel = cancel or CancelToken()
    result = Captured()
    files = list(expand(inputs))
    try:
        for number, (path, name) in enumerate(files, 1):
            cancel.check()
            try:
                kind, pages = _look_at(pool, path, name)
                data = read_input(path, name)
            except InputProblem as error:
                result.refused.append(Refused(name, str(error)))
                continue
            if result.batch is None:
                origin = name if len(files) == 1 else f"{name} and {len(files) - 1} more"
                result.batch = workspace.batches.create(routine.name, origin, who)
                line.begin(result.batch, routine, two_sided=False)
            sha = workspace.place.files.put(data)
            for index in range(pages):
                sheet = result.sides + 1
                page = Page(workspace.clock.new_id(), result.sides, name, index, sheet, "front", sha, kind == "PDF")
                workspace.batches.add_page(result.batch, page)
                line.captured(result.batch, page)
                result.sides += 1
            progress(Step(number, len(files), f"Taking in {name}"))
    finally:
        if result.batch is not None:
            line.ended(result.batch)
    return result


def _look_at(pool: Pool, path: Path, name: str) -> tuple[str, int]:
    if not path.exists():
        raise InputProblem(f"“{name}” is not there. Check the name; nothing was taken in for it.")
    found: tuple[str, int] = pool.submit(
        f"{WORK}:look_at", str(path), name, priority=EXAMINE, limit_seconds=60
    ).result()
    return found


def damaged_pages(workspace: Workspace, batch_id: str) -> Iterable[Refused]:
    """Return the pages of a batch that could not be decoded, with the reason; their bytes are kept."""
    for page in workspace.batches.load(batch_id).pages:
        if page.facts is None and page.trouble:
            yield Refused(page.source, page.trouble)
