"""Separating an open batch again, and trying a routine on one: what would break, what would be left out, and why."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import Future
from dataclasses import replace
from typing import Any

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.batches.again import cut_batch, separate_again
from keybundle.core.batches.model import Batch, Facts, Page
from keybundle.core.jobs.pool import Pool
from keybundle.core.marks.model import Mark, Wanted
from keybundle.core.reading.text import PageText, weighed
from keybundle.core.rights.model import Right
from keybundle.core.separation.facts import Placing, SideFacts
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.line.line import FIRST_PAGE, ON_SCREEN, Line
from keybundle.core.workflows.line.readings import keep_reading
from keybundle.core.workflows.pages.page_facts import side_facts, with_type
from keybundle.core.workflows.pages.page_jobs import WORK, page_job, wanted_marks
from keybundle.core.workflows.propose.indexing import known_first_pages
from keybundle.core.workflows.session.handles import OpenBatch
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import routine_of


@dataclass(frozen=True)
class Separated:
    """What separating again did: the change, and where rules and operators disagree."""

    changes: Changes
    conflicts: tuple[str, ...]


@dataclass(frozen=True)
class Rehearsal:
    """What a routine would do with the sides of a batch, in order, and how that compares with the batch as it is.

    ``right``, ``missed`` and ``false`` count breaks against the present ones; they are worth something where an
    operator has confirmed the batch (``is_confirmed``).
    """

    placings: tuple[Placing, ...]
    right: int
    missed: int
    false: int
    is_confirmed: bool

    @property
    def documents(self) -> int:
        """How many documents there would be."""
        return sum(p.starts for p in self.placings)

    @property
    def left_out(self) -> int:
        """How many sides would be left out."""
        return sum(not p.kept for p in self.placings)


@needs(Right.INDEX, under="page edits")
def separate_batch_again(
    session: Session, line: Line, pool: Pool, batch_id: BatchId, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Separated:  # fmt: skip
    """Cut an open batch by its routine's present rules, as one step that can be undone; hand-made work stays."""
    workspace, own = session.workspace, session.batch(batch_id)
    batch = own.load()
    if batch.captured_at is None or any(p.facts is None and not p.trouble for p in batch.pages):
        raise InputProblem(message("separating.pages-batch-still-coming-or"))
    routine = routine_of(workspace, batch)
    sides = gather_facts(own, pool, batch, routine, keep=True, progress=progress, cancel=cancel)
    conflicts: tuple[str, ...] = ()

    def command(now: Batch) -> Batch:
        nonlocal conflicts
        again = separate_again(now, routine, sides, workspace.clock.new_id)
        conflicts = again.conflicts
        return again.batch

    own.apply(message("step.separate-again"), command, by_hand=False)
    line.revise(batch_id)
    return Separated(Changes(frozenset([batch_id]), text=message("separating.separated-again")), conflicts)


@needs(Right.LOOK)
def rehearse(
    session: Session, pool: Pool, batch_id: BatchId, routine: Routine, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Rehearsal:  # fmt: skip
    """Try a routine (perhaps one not saved yet) on a batch without changing it."""
    own = session.batch(batch_id)
    batch = own.load()
    sides = gather_facts(own, pool, batch, routine, keep=False, progress=progress, cancel=cancel)
    placings = cut_batch(batch, routine, sides)
    kept = {p.id for p in batch.pages if p.kept}
    truth = {pages[0].id for pages in batch.pages_by_document().values()}
    breaks = {key for key, p in placings.items() if p.starts}
    confirmed = bool(batch.documents) and all(
        d.filed_id or any(v.confirmed_by for v in d.values.values()) for d in batch.documents.values()
    )
    return Rehearsal(
        tuple(placings[p.id] for p in batch.pages), len(breaks & truth), len(truth - breaks), len((breaks - truth) & kept),
        confirmed,
    )  # fmt: skip


def gather_facts(
    own: OpenBatch, pool: Pool, batch: Batch, routine: Routine, *, keep: bool,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> dict[str, SideFacts]:  # fmt: skip
    """Return what the routine's rules need to know of each measured page, looking and reading where it is missing.

    With ``keep`` what was found is stored with the pages.
    """
    workspace, cancel = own.session.workspace, cancel or CancelToken()
    pages = [p for p in batch.pages if p.facts is not None]
    wanted = wanted_marks(workspace.setup, routine)
    marks = _look(workspace, pool, [p for p in pages if not _covers(p, wanted)], routine, progress, cancel)
    looked = [replace(p, facts=marks[p.id]) if p.id in marks else p for p in pages]
    if keep:
        for page in (p for p in looked if p.id in marks):
            own.set_facts(PageId(page.id), page.facts, page.trouble)
    texts: Mapping[str, PageText] = {}
    if routine.separation.needs_text:
        texts = _texts(own, pool, looked, routine, keep, progress, cancel)
    known = known_first_pages(workspace, routine, batch.owner)
    sides = {p.id: side_facts(p, texts.get(p.id), known(texts[p.id]) if p.id in texts else "") for p in looked}
    return {key: with_type(side, workspace.setup) for key, side in sides.items()}


def _covers(page: Page, wanted: Wanted) -> bool:
    return page.facts is not None and set(wanted.names) <= set(page.facts.looked_for)


def _look(
    workspace: Workspace, pool: Pool, pages: list[Page], routine: Routine, progress: Progress, cancel: CancelToken
) -> dict[str, Facts]:
    wanted = wanted_marks(workspace.setup, routine)
    jobs = [page_job(workspace.place.files, p, routine) for p in pages]
    asked = [pool.submit(f"{WORK}:look_for_marks", job, wanted, priority=ON_SCREEN) for job in jobs]
    found = _collect(asked, "separating.looking-for-marks", progress, cancel)
    return {p.id: replace(p.facts, **_revive(data)) for p, data in zip(pages, found, strict=True) if p.facts}


def _revive(data: dict[str, Any]) -> dict[str, Any]:
    return {**data, "marks": tuple(Mark.from_json(m) for m in data["marks"]), "looked_for": tuple(data["looked_for"])}


def _texts(
    own: OpenBatch, pool: Pool, pages: list[Page], routine: Routine, keep: bool, progress: Progress,
    cancel: CancelToken,
) -> dict[str, PageText]:  # fmt: skip
    asked_of = [p for p in pages if p.facts and not (p.facts.is_blank or p.facts.separator) and not p.trouble]
    known = {k: weighed(d) for k, d in own.texts([p.id for p in asked_of]).items()}
    missing = [p for p in asked_of if p.id not in known]
    jobs = [page_job(own.session.workspace.place.files, p, routine) for p in missing]
    asked = [pool.submit(f"{WORK}:read", job, priority=FIRST_PAGE) for job in jobs]
    for page, (data, _) in zip(missing, _collect(asked, "separating.reading-page", progress, cancel), strict=True):
        known[page.id] = weighed(data)
        if keep:
            keep_reading(own.session.workspace, page, data)
    return known


def _collect(asked: list[Future[Any]], what: str, progress: Progress, cancel: CancelToken) -> list[Any]:
    found = []
    try:
        for number, future in enumerate(asked, 1):
            while not future.done():
                cancel.check()
                cancel.wait(0.05)
            found.append(future.result())
            progress(Step(number, len(asked), message(what, n=number)))
    finally:
        for future in asked[len(found) :]:
            future.cancel()
    return found
