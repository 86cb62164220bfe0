"""The line: what happens by itself to captured pages - examine, separate, read, propose - in the background.

The database says where each page is; ``next_steps`` says what follows from that; the line does it and remembers only
what is in flight. Worker processes do the page work; one thread, the line's own, writes what they found, each time as
one guarded write that counts only if what it was made from is still so. A page that fails has its trouble in words and
stops no other. A full disk or a locked store halts the line visibly, and it tries again by itself.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections import deque
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import Future
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import A_BUG, AppError, Passing
from keybundle.core.base.loading import Later
from keybundle.core.base.messages import message
from keybundle.core.batches.model import TYPED, Batch, Document, Facts, Page, Stage
from keybundle.core.batches.next_steps import Look, Place, Propose, Read, next_steps
from keybundle.core.jobs.pool import Pool
from keybundle.core.setup.routines import Routine
from keybundle.core.store import work
from keybundle.core.workflows.line.clockwork import Clockwork
from keybundle.core.workflows.line.outcomes import outcome_of
from keybundle.core.workflows.line.running import Running
from keybundle.core.workflows.pages.page_jobs import WORK, PageJob, page_job, wanted_marks
from keybundle.core.workflows.session.opening import batches_of
from keybundle.core.workflows.session.workspace import Workspace

if TYPE_CHECKING:
    from keybundle.core.batches.store import BatchStore
    from keybundle.core.intake.halts import Halted
    from keybundle.core.workflows.line import hands
    from keybundle.core.workflows.line.second_look import Spot
else:
    hands = Later("keybundle.core.workflows.line.hands")

log = logging.getLogger(__name__)
ON_SCREEN, EXAMINE, ZONES, FIRST_PAGE, AGAIN, OTHER_PAGE = 0, 1, 2, 3, 4, 5
READ_LIMIT_SECONDS = 180.0
PACE_PAGES = 12
TRIES = 4
ALL = ""  # stands for all batches, before it is known which there are
READ_SECONDS = 86400.0  # a batch is in a line's hands until it is closed, or the line is


class Line(Clockwork):
    """The background work over all open batches. ``notify`` is called from the line's thread after each change.

    With ``threaded`` False nothing happens by itself: ``run_waiting`` does what has come up, in the caller's thread.
    """

    def __init__(
        self, workspace: Workspace, pool: Pool, notify: Callable[[Changes], None] | None = None, *,
        threaded: bool = True,
    ) -> None:  # fmt: skip
        self._ws = workspace
        self._pool = pool
        self._running: dict[str, Running] = {}
        self._flying: dict[tuple[Any, ...], Future[Any]] = {}
        self._on_screen: frozenset[str] = frozenset()
        self._stopped: frozenset[str] = frozenset()
        self._read_times: deque[float] = deque(maxlen=PACE_PAGES)
        self.break_times: dict[str, float] = {}
        super().__init__(notify, threaded=threaded)

    @property
    def _batches(self) -> BatchStore:
        return batches_of(self._ws)

    # -- called from any thread -------------------------------------------------------------------------------

    def begin(self, batch_id: str, routine: Routine, *, paper_mm: tuple[float, float] = (210.0, 297.0)) -> None:
        """Expect pages of a new batch, which are handled as this routine says."""

        def expect() -> None:
            self._running[batch_id] = Running(routine, paper_mm=paper_mm)
            self._guarded(batch_id, lambda: self._note_in_hand(batch_id))

        self._put(expect)

    def go_on(self, batch_id: str) -> None:
        """Expect more pages of a batch; what halted it is over."""
        self._put(lambda: self._go_on(batch_id))

    def halted(self, batch_id: str) -> Halted | None:
        """Return what of the sides looked at so far is to stop the feeder."""
        running = self._running.get(batch_id)
        return running.halted if running else None

    def wait_looked_at(self, batch_id: str, timeout_seconds: float) -> bool:
        """Wait until every captured side of a batch was looked at; False when the time is over first."""
        with self._idle:
            return self._idle.wait_for(lambda: self._is_looked_through(batch_id), timeout_seconds)

    def wait_placed(self, batch_id: str, timeout_seconds: float) -> bool:
        """Wait until every captured side of a batch has its place; False when the time is over first."""
        with self._idle:
            return self._idle.wait_for(
                lambda: self._is_looked_through(batch_id) and not self._batches.work(batch_id, ()).waiting,
                timeout_seconds,
            )

    def _is_looked_through(self, batch_id: str) -> bool:
        running = self._running.get(batch_id)
        return running is not None and running.ended and running.looking == 0

    def captured(self, batch_id: str, page: Page) -> None:
        """Take on a page that is safely in the store."""
        self._put(lambda: self._guarded(batch_id, lambda: self._take(batch_id, page)))

    def ended(self, batch_id: str) -> None:
        """Know that no more pages of the batch will come."""
        self._put(lambda: self._guarded(batch_id, lambda: self._end(batch_id)))

    def revise(self, batch_id: str) -> None:
        """Look over a batch after an operator's command: read turned pages, propose for new documents."""
        self._put(lambda: self._guarded(batch_id, lambda: self._look_over(batch_id)))

    def resume(self) -> None:
        """Take up every open batch where it stopped, but for those that another program has in hand."""
        self._put(lambda: self._guarded(ALL, self._resume_all))

    def look_at(self, page_ids: Iterable[str]) -> None:
        """Let the pages on screen go before all others."""
        self._on_screen = frozenset(page_ids)
        self._pool.reprioritise(lambda key: ON_SCREEN if key in self._on_screen else None)

    def stop_reading(self, batch_id: str) -> None:
        """Stop the reading of a batch. Pages read so far stay read; the page a worker has in hand is finished.

        It lasts until ``read_on`` or the next start.
        """
        self._put(lambda: self._stop_reading(batch_id))

    def read_on(self, batch_id: str) -> None:
        """Go on with the reading of a batch where it was stopped."""
        self._put(lambda: self._guarded(batch_id, lambda: self._read_on(batch_id)))

    @property
    def stopped(self) -> frozenset[str]:
        """The batches whose reading was stopped."""
        return self._stopped

    @property
    def pages_to_read(self) -> int:
        """How many pages are waiting for a worker or being read."""
        return sum(key[0] == "read" for key in list(self._flying))

    @property
    def seconds_to_read(self) -> float | None:
        """About how long the reading will take at the pace of the last pages; None before there is a pace."""
        times, left = list(self._read_times), self.pages_to_read
        if len(times) < 2 or not left:
            return None
        return left * (times[-1] - times[0]) / (len(times) - 1)

    def _take_in_hand(self, batch_id: str) -> bool:
        """Note that this line reads a batch, for as long as that is open; False where another one does."""
        place = self._ws.place
        with place.database.atomic() as c:
            mine = work.list_work(c, work.READING, refs=[batch_id])
            if mine and mine[0].holder == place.holder:
                return work.keep(c, place.clock, mine[0].token, READ_SECONDS)
            return (
                work.begin(c, place.clock, work.READING, batch_id, place.holder, lease_seconds=READ_SECONDS) is not None
            )

    def _note_in_hand(self, batch_id: str) -> None:
        self._take_in_hand(batch_id)

    def _note_waiting(self, batch_id: str, trouble: str) -> None:
        """Note what lets a batch wait, as far as that can be written: a full disk takes no note of itself."""
        with contextlib.suppress(AppError), self._ws.place.database.atomic() as c:
            work.note_trouble(c, work.READING, batch_id, trouble)

    def close(self) -> None:
        """Stop after the present step; what waits for a worker is called off, what is in the store stays for ``resume``."""
        super().close()
        with contextlib.suppress(AppError), self._ws.place.database.atomic() as c:
            for taken in work.list_work(c, work.READING):
                if taken.holder == self._ws.place.holder:
                    work.let_go(c, self._ws.clock, taken.token)
        for future in list(self._flying.values()):
            future.cancel()

    def seconds(self, batch_id: str) -> dict[str, float]:
        """Return the worker seconds spent on a batch by stage."""
        running = self._running.get(batch_id)
        return dict(running.seconds) if running else {}

    # -- what follows ------------------------------------------------------------------------------------------

    def _submit(
        self, flight: tuple[Any, ...], batch_id: str, work: str, *args: Any, then: Callable[[Future[Any]], None],
        priority: int, key: str,
    ) -> None:  # fmt: skip
        """Let a worker do something that is not in flight yet; its end comes back as one event."""
        if flight in self._flying:
            return
        with self._idle:
            self._pending += 1

        def landed(future: Future[Any]) -> None:
            if self._flying.get(flight) is future:
                del self._flying[flight]
            self._guarded(batch_id, lambda: then(future))

        def finished(future: Future[Any]) -> None:
            self._put(lambda: landed(future))
            self._done()

        future = self._pool.submit(
            f"{WORK}:{work}", *args, priority=priority, limit_seconds=READ_LIMIT_SECONDS, key=key
        )
        self._flying[flight] = future
        future.add_done_callback(finished)

    def _tell(self, batch_id: str, *documents: str) -> None:
        self._notify(Changes(frozenset([batch_id]), frozenset(documents)))

    def _advance(self, batch_id: str, only: Sequence[str] | None = None) -> None:
        """Do what follows from the present state of a batch, or of these of its pages and what is placed next."""
        running = self._ensure_running(batch_id)
        needs_text = running.routine.separation.needs_text
        while True:
            placed: tuple[str, ...] = ()
            for step in next_steps(self._batches.work(batch_id, only), needs_text=needs_text):
                match step:
                    case Look(page):
                        self._look(batch_id, running, page)
                    case Read(page, is_first):
                        self._read(batch_id, running, page, FIRST_PAGE if is_first else OTHER_PAGE)
                    case Propose(document):
                        self._propose(batch_id, running, document)
                    case Place(pages):
                        self._place(batch_id, running, pages)
                        placed = pages
            if not placed:
                return
            only = placed

    def _ensure_running(self, batch_id: str, batch: Batch | None = None) -> Running:
        if batch_id not in self._running:
            batch = batch or self._batches.load(batch_id)
            routine = self._ws.setup.routine(batch.routine) or Routine(name=batch.routine or "none", sign="??")
            self._running[batch_id] = Running(routine, routine, batch.captured_at is not None, batch.paper_mm)
            self._take_in_hand(batch_id)
        running = self._running[batch_id]
        now = self._ws.setup.routine(running.routine.id)
        if now is not None and now != running.as_set_up:
            # What was changed in the set-up counts for what is still to come, also of a batch that is under way.
            running.routine = now if running.as_set_up is not None else running.routine
            running.as_set_up = now
        return running

    # -- the course of a batch ---------------------------------------------------------------------------------

    def _take(self, batch_id: str, page: Page) -> None:
        self._advance(batch_id, [page.id])
        self._tell(batch_id)

    def _go_on(self, batch_id: str) -> None:
        running = self._ensure_running(batch_id)
        running.ended, running.halted = False, None

    def _end(self, batch_id: str) -> None:
        self._ensure_running(batch_id).ended = True
        self._batches.end_capture(batch_id)
        self._advance(batch_id, ())
        self._batches.settle(batch_id)
        self._tell(batch_id)

    def _look_over(self, batch_id: str) -> None:
        self._advance(batch_id)
        self._tell(batch_id)

    def _take_up(self, batch_id: str) -> None:
        """Go on with a batch that had to wait."""
        if batch_id == ALL:
            self._resume_all()
            return
        if self._ensure_running(batch_id).ended and self._batches.work(batch_id, ()).is_capturing:
            self._end(batch_id)
        self._look_over(batch_id)

    def _resume_all(self) -> None:
        self._resume_next(deque(self._batches.ids()))

    def _resume_next(self, left: deque[str]) -> None:
        """Take up one batch, and the others after what has come up meanwhile: whoever scans now waits for one of them."""
        if left:
            batch_id = left.popleft()
            self._put(lambda: self._resume_next(left))
            self._guarded(batch_id, lambda: self._resume(batch_id))

    def _resume(self, batch_id: str) -> None:
        if not self._take_in_hand(batch_id):
            return
        self._running.pop(batch_id, None)
        if self._batches.work(batch_id, ()).is_capturing:
            self._end(batch_id)
        batch = self._batches.settle(batch_id)
        self._ensure_running(batch_id, batch)
        self._look_over(batch_id)
        self._read_all_again(batch_id, batch)

    # -- looking at a side -------------------------------------------------------------------------------------

    def _look(self, batch_id: str, running: Running, page: Page) -> None:
        place, flight = self._ws.place, ("examine", batch_id, page.id)
        if flight in self._flying:
            return
        job = page_job(place.files, page, running.routine)
        running.looking += 1
        self._submit(
            flight, batch_id, "examine", job, wanted_marks(self._ws.setup, running.routine), str(place.cache),
            str(place.files.root), then=lambda f: self._looked_at(batch_id, page, f), priority=EXAMINE, key="",
        )  # fmt: skip

    def _looked_at(self, batch_id: str, page: Page, future: Future[Any]) -> None:
        running = self._running[batch_id]
        running.looking -= 1
        outcome = outcome_of(future)
        if outcome is None:
            return
        facts = None
        if not isinstance(outcome, str):
            plain, seconds = outcome
            running.seconds["clean"] += seconds
            facts = Facts.from_json(plain)
        self._batches.set_facts(page.id, facts, outcome if isinstance(outcome, str) else "")
        if facts is not None and running.halted is None and running.routine.halts:
            seen = hands.measured(replace(page, facts=facts), running.paper_mm, running.sheets)
            running.halted = hands.find_halt(running.routine.halts, seen)
        self._advance(batch_id, [page.id])

    # -- separating --------------------------------------------------------------------------------------------

    def _place(self, batch_id: str, running: Running, page_ids: Sequence[str]) -> None:
        start = time.perf_counter()
        try:
            placed = self._batches.place(
                batch_id, page_ids, hands.decide_by(self._ws, running.routine, self._batches.owner(batch_id))
            )
        except Passing:
            raise
        except Exception:
            log.exception("a sheet could not be separated")
            placed = self._batches.place(batch_id, page_ids, hands.keep_as_it_is)
        running.sheets = placed.state.sheets_in_document
        if any(p.reason == "separator" for p in placed.placings) and running.current is not None:
            self.break_times.setdefault(running.current, time.monotonic())
        running.current = placed.documents[-1] if placed.documents else running.current
        for document_id in placed.begun:
            self._read_zones(batch_id, running, document_id)
        running.seconds["separate"] += time.perf_counter() - start
        self._tell(batch_id, *placed.documents)

    # -- reading -----------------------------------------------------------------------------------------------

    def _read(self, batch_id: str, running: Running, page: Page, priority: int) -> None:
        flight = ("read", batch_id, page.id, page.frame.rotation, page.language)
        if batch_id in self._stopped or flight in self._flying:
            return
        if page.text_origin == TYPED:
            hands.lay_typed_anew(self._ws, page)
            self._put(lambda: self._guarded(batch_id, lambda: self._advance(batch_id, [page.id])))
            return
        if not self.pages_to_read:
            self._read_times.clear()
            self._read_times.append(time.monotonic())
        first = ON_SCREEN if page.id in self._on_screen else priority
        job = page_job(self._ws.place.files, page, running.routine)
        self._submit(
            flight, batch_id, "read", job, str(self._ws.place.cache), priority=first, key=page.id,
            then=lambda f: self._was_read(batch_id, page, job, f),
        )  # fmt: skip

    def _was_read(self, batch_id: str, page: Page, job: PageJob, future: Future[Any]) -> None:
        outcome = outcome_of(future)
        if outcome is None:
            return
        if isinstance(outcome, str):
            trouble = message("line.type-values-hand", outcome=outcome)
            hands.give_up_reading(self._ws, page, trouble)
        else:
            text, seconds = outcome
            self._read_times.append(time.monotonic())
            self._running[batch_id].seconds["read"] += seconds
            if not hands.keep_reading(self._ws, page, text):
                hands.drop_cleaned(str(self._ws.place.cache), job)
        self._advance(batch_id, [page.id])
        self._tell_of(batch_id, page.id)

    def _tell_of(self, batch_id: str, page_id: str) -> None:
        batch = self._batches.load_around(page_id)
        self._tell(batch_id, *(batch.documents if batch else ()))

    def _stop_reading(self, batch_id: str) -> None:
        self._stopped |= {batch_id}
        for flight, future in list(self._flying.items()):
            if flight[0] in ("read", "again") and flight[1] == batch_id and future.cancel():
                self._flying.pop(flight, None)
        self._tell(batch_id)

    def _read_on(self, batch_id: str) -> None:
        self._stopped -= {batch_id}
        self._look_over(batch_id)
        self._read_all_again(batch_id, self._batches.load(batch_id))

    # -- proposing ---------------------------------------------------------------------------------------------

    def _read_zones(self, batch_id: str, running: Running, document_id: str) -> None:
        """Read the zones of a first page before all of it, where its type is known and has some."""
        if batch_id in self._stopped:
            return
        batch = self._batches.load_document(document_id)
        document, page = batch.document(document_id), batch.pages_of(document_id)[0]
        kind = hands.known_type(self._ws, batch, document)
        zones = [(z.left, z.top, z.right, z.bottom) for f in (kind.fields if kind else ()) if (z := f.zone)]
        if not zones or page.is_read or page.facts is None:
            return
        job = page_job(self._ws.place.files, page, running.routine)
        self._submit(
            ("zones", batch_id, page.id), batch_id, "read_zones", job, zones,
            then=lambda f: self._zones_read(batch_id, document_id, page.id, f), priority=ZONES, key=page.id,
        )  # fmt: skip

    def _zones_read(self, batch_id: str, document_id: str, page_id: str, future: Future[Any]) -> None:
        """Show what the zones tell; a page that cannot be read says so when all of it is read."""
        batch = self._batches.load_around(page_id)
        outcome = outcome_of(future)
        is_so = batch is not None and document_id in batch.documents and batch.pages[0].stage is Stage.PLACED
        if batch is None or not is_so or outcome is None or isinstance(outcome, str):
            return
        document = batch.document(document_id)
        found = hands.index_zones(self._ws, batch, document, page_id, hands.PageText.from_bytes(outcome))
        self._keep_proposal(batch_id, document, found)

    def _propose(self, batch_id: str, running: Running, document_id: str) -> None:
        start = time.perf_counter()
        try:
            for _ in range(TRIES):
                batch = self._batches.load_document(document_id)
                document = batch.document(document_id)
                found = hands.hear_again(
                    self._ws, batch, hands.index_document(self._ws, batch, document), running.heard
                )
                if self._keep_proposal(batch_id, document, found):
                    self._read_again(batch_id, running, document_id)
                    break
        except AppError as error:
            if isinstance(error, Passing):
                raise
            self._batches.give_up_proposing(document_id, str(error))
        except Exception:
            log.exception("nothing could be proposed for a document")
            self._batches.give_up_proposing(document_id, message("line.values-could-not-proposed", A_BUG=A_BUG))
        running.seconds["index"] += time.perf_counter() - start

    def _read_again(self, batch_id: str, running: Running, document_id: str, batch: Batch | None = None) -> None:
        """Let second readers look at the places of the values that are not clear yet."""
        if batch_id in self._stopped:
            return
        batch = batch or self._batches.load_document(document_id)
        for page_id, asks in hands.list_unheard(self._ws, batch, batch.document(document_id), running.heard).items():
            page = batch.page(page_id)
            spots = [hands.spot_of(a, page) for a in asks]
            self._submit(
                ("again", batch_id, *spots), batch_id, "read_lines_again", page_job(self._ws.place.files, page, running.routine),
                hands.upright_boxes(page, asks), [a.reader for a in asks], priority=AGAIN, key=page_id,
                then=lambda f, spots=spots: self._heard(batch_id, running, spots, f),  # type: ignore[misc]
            )  # fmt: skip

    def _read_all_again(self, batch_id: str, batch: Batch) -> None:
        """Take up the second look at the documents of a batch where it was stopped, or where the work ended before it."""
        running = self._ensure_running(batch_id)
        for document in batch.documents.values():
            if document.proposed and not document.is_shut:
                self._read_again(batch_id, running, document.id, batch)

    def _heard(self, batch_id: str, running: Running, spots: Sequence[Spot], future: Future[Any]) -> None:
        """Weigh the values with what was heard. Where a reader cannot run, they stay as the first one left them."""
        try:
            outcome = outcome_of(future)
        except Passing as trouble:
            outcome = str(trouble)
        if isinstance(outcome, str):
            log.warning("values were read once only: %s", outcome)
        if outcome is None or isinstance(outcome, str):
            return
        told = {s: hands.Heard(*said) for s, said in zip(spots, outcome, strict=True) if s not in running.heard}
        running.heard |= told
        for _ in range(TRIES):
            batch = self._batches.load_around(spots[0][0])
            document = next(iter(batch.documents.values())) if batch else None
            found = hands.hear_again(self._ws, batch, document, told) if batch and document else document
            if document is None or found is None or found is document or self._keep_proposal(batch_id, document, found):
                return

    def _keep_proposal(self, batch_id: str, document: Document, found: Document) -> bool:
        def command(batch: Batch) -> Batch:
            return replace(batch, documents={found.id: hands.take_proposal(batch.documents[found.id], found)})

        if not self._batches.propose(document.id, document.revision, command):
            return False
        kind = self._ws.setup.document_type(found.type)
        if kind is not None and any(f.carry for f in kind.fields):
            self._batches.settle(batch_id)
        self._tell(batch_id, found.id)
        return True
