"""Making the demo world in a data directory: set-up at once, filed documents and the feeder's stack behind it.

Each part can be interrupted and goes on where it stopped: documents are filed under fixed keys, pictures are made
where they are missing.
"""

from __future__ import annotations

import random
from collections import deque
from concurrent.futures import Future
from typing import Any

from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText, Word
from keybundle.core.repository.model import NewDocument
from keybundle.core.setup.model import Setup
from keybundle.core.store.files import FolderStore
from keybundle.core.workflows.propose.known import KnownPage, file_known, prepare_known
from keybundle.core.workflows.session.opening import repository_of
from keybundle.core.workflows.session.session import MACHINE
from keybundle.core.workflows.session.signing_in import let_in_importer
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, Scan, scan
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import make_stack_file, plan_stack, write_stack_list

FILED_DOCUMENTS = 300
FILED_AT_ONCE = 40
STACK_SHEETS = 40
STACK_SEED = 40
DEMO_PRIORITY = 9
OPERATOR = "person-3"  # who has filed and confirmed all that is there already
_WORKER_SETUP: list[Setup] = []


def begin(workspace: Workspace) -> None:
    """Put the demo set-up in force where there is none yet, and tell the scanner its stack."""
    if not workspace.has_setup:
        workspace.put_setup(let_in_importer(workspace, make_setup(make_world())), MACHINE)
    feeder = workspace.place.root / "feeder"
    if not (feeder / "stack.json").exists():
        write_stack_list(feeder, plan_stack(STACK_SHEETS, STACK_SEED))


def true_text(scanned: Scan) -> PageText:
    """Return the known words of a drawn page as if they had been read: a line for each height on the page."""
    words = []
    line, last = -1, None
    for placed in scanned.words:
        base = placed.box[3]
        if last is None or abs(base - last) > (placed.box[3] - placed.box[1]):
            line += 1
        last = base
        words.append(Word(placed.text, placed.box, 1.0, 0, line))
    return PageText(tuple(words), scanned.frame)


def prepare_filed(files_root: str, number: int) -> NewDocument:
    """Draw, scan and prepare filed document ``number``; runs in a worker. Every tenth is a 300 dpi scan."""
    from pathlib import Path

    if not _WORKER_SETUP:
        _WORKER_SETUP.append(make_setup(make_world()))
    rng = random.Random(f"filed/{number}")
    type_name = TYPES[number % len(TYPES)]
    record = make_record(type_name, make_world(), rng)
    fine = number % 10 == 0
    dpi = 300 if fine else 150
    effects = Effects(
        mode=rng.choice(("grey", "colour")) if fine else "1-bit", skew_degrees=round(rng.uniform(-1, 1), 2)
    )
    pages = []
    layout = fixed_layout(type_name, rng.choice((1, 2, 3)))
    for i, page in enumerate(draw_document(record, layout, rng, dpi=dpi, colour=effects.mode == "colour")):
        scanned = scan(page.sheet.image, page.words, dpi, effects, number * 10 + i)
        pages.append(KnownPage(scanned.encode(), dpi, true_text(scanned).to_bytes()))
    values = {
        name: FieldValue(items, 1.0, Origin.TYPED, True, confirmed_by=OPERATOR) for name, items in record.values.items()
    }
    made_at = "2026-01-01T00:00:00+00:00"
    return prepare_known(
        _WORKER_SETUP[0], FolderStore(Path(files_root)), f"demo:{number}", type_name, values, pages, made_at
    )


def file_documents(
    workspace: Workspace, pool: Pool, count: int, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> int:
    """File the first ``count`` documents that are not there yet; return how many were filed now."""
    cancel = cancel or CancelToken()
    missing = [n for n in range(count) if repository_of(workspace).find_key(f"demo:{n}") is None]
    root = str(workspace.place.files.root)
    waiting: deque[Future[Any]] = deque()
    done = 0
    for number in missing:
        waiting.append(pool.submit("keybundle.demo.seed:prepare_filed", root, number, priority=DEMO_PRIORITY))
        if len(waiting) >= 6:
            done += _file_next(workspace, waiting, progress, done, len(missing))
        if cancel.cancelled:
            break
    while waiting:
        done += _file_next(workspace, waiting, progress, done, len(missing))
    return done


def _file_next(workspace: Workspace, waiting: deque[Future[Any]], progress: Progress, done: int, total: int) -> int:
    file_known(workspace, waiting.popleft().result(), OPERATOR)
    progress(Step(done + 1, total, "Filing demo documents"))
    return 1


def make_feeder(
    workspace: Workspace, pool: Pool, *, sheets: int = STACK_SHEETS, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> None:  # fmt: skip
    """Make the pictures of the feeder's stack ahead, in workers, in feed order."""
    cancel = cancel or CancelToken()
    feeder = workspace.place.root / "feeder"
    plan = plan_stack(sheets, STACK_SEED)
    if sheets != STACK_SHEETS:
        write_stack_list(feeder, plan)
    wanted = [
        (number, which)
        for number, sheet in enumerate(plan.sheets, 1)
        for which in ("front", "back")
        if not (feeder / f"{number:04d}-{which}.{getattr(sheet, which).suffix}").exists()
    ]
    waiting: deque[Future[Any]] = deque()
    name = f"{make_stack_file.__module__}:{make_stack_file.__name__}"
    for done, (number, which) in enumerate(wanted):
        if cancel.cancelled:
            return
        waiting.append(pool.submit(name, str(feeder), sheets, STACK_SEED, number, which, priority=DEMO_PRIORITY))
        if len(waiting) >= 4:
            waiting.popleft().result()
            progress(Step(done, len(wanted), "Preparing the demo stack"))
    while waiting:
        waiting.popleft().result()
