"""The line: what happens by itself to captured pages - examine, separate, read, propose - in the background.

Worker processes do the page work; one thread, the line's own, writes what they found and decides what comes next,
so that all of it is ordered. After a crash ``resume`` takes every open batch up where the database says it stopped.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import CancelledError, Future
from dataclasses import astuple, replace
from typing import Any

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError, Cancelled, EnvironmentProblem
from keybundle.core.batches.model import Batch, Document, Facts, Page
from keybundle.core.intake.halts import Halted, find_halt
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText
from keybundle.core.search import index
from keybundle.core.separation.cut import place_sheet
from keybundle.core.separation.facts import Placing
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.indexing import index_document, index_zones, known_first_pages, known_type, take_proposal
from keybundle.core.workflows.page_facts import (
    cleaning_steps,
    is_same_sheet,
    measured,
    replay,
    side_facts,
    wanted_marks,
)
from keybundle.core.workflows.running import Running, is_looked_at
from keybundle.core.workflows.workspace import Workspace

log = logging.getLogger(__name__)
WORK = "keybundle.core.workflows.page_work"
ON_SCREEN, EXAMINE, ZONES, FIRST_PAGE, OTHER_PAGE = 0, 1, 2, 3, 4
READ_LIMIT_SECONDS = 180.0
PACE_PAGES = 12


class Line:
    """The background work over all open batches. ``notify`` is called from the line's thread after each change."""

    def __init__(self, workspace: Workspace, pool: Pool, notify: Callable[[Changes], None] | None = None) -> None:
        self._ws = workspace
        self._pool = pool
        self._notify = notify or (lambda changes: None)
        self._events: queue.Queue[Callable[[], None] | None] = queue.Queue()
        self._running: dict[str, Running] = {}
        self._on_screen: frozenset[str] = frozenset()
        self._idle = threading.Condition()
        self._pending = 0
        self._reading: dict[tuple[str, int], tuple[str, Future[Any]]] = {}
        self._stopped: frozenset[str] = frozenset()
        self._read_times: deque[float] = deque(maxlen=PACE_PAGES)
        self.problem: str = ""
        self.break_times: dict[str, float] = {}
        self._thread = threading.Thread(target=self._loop, name="line", daemon=True)
        self._thread.start()

    # -- called from any thread -------------------------------------------------------------------------------

    def begin(
        self, batch_id: str, routine: Routine, *, two_sided: bool, paper_mm: tuple[float, float] = (210.0, 297.0)
    ) -> None:
        """Expect pages of a new batch; ``two_sided`` when the device delivers fronts and backs."""
        self._put(lambda: self._running.__setitem__(batch_id, Running(routine, two_sided, paper_mm=paper_mm)))

    def go_on(self, batch_id: str, *, two_sided: bool) -> None:
        """Expect more pages of a batch; what halted it is over."""
        self._put(lambda: self._go_on(batch_id, two_sided))

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
                lambda: self._is_looked_through(batch_id) and not self._running[batch_id].unplaced, timeout_seconds
            )

    def _is_looked_through(self, batch_id: str) -> bool:
        running = self._running.get(batch_id)
        return running is not None and running.ended and running.looking == 0

    def captured(self, batch_id: str, page: Page) -> None:
        """Take on a page that is safely in the store."""
        self._put(lambda: self._take(batch_id, page))

    def ended(self, batch_id: str) -> None:
        """Know that no more pages of the batch will come."""
        self._put(lambda: self._end(batch_id))

    def revise(self, batch_id: str) -> None:
        """Look over a batch after an operator's command: read turned pages, propose for new documents."""
        self._put(lambda: self._revise(batch_id))

    def resume(self) -> None:
        """Take up every open batch where it stopped."""
        for batch_id in self._ws.batches.ids():
            self._put(lambda b=batch_id: self._resume(b))  # type: ignore[misc]

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
        self._put(lambda: self._read_on(batch_id))

    @property
    def stopped(self) -> frozenset[str]:
        """The batches whose reading was stopped."""
        return self._stopped

    @property
    def pages_to_read(self) -> int:
        """How many pages are waiting for a worker or being read."""
        return len(self._reading)

    @property
    def seconds_to_read(self) -> float | None:
        """About how long the reading will take at the pace of the last pages; None before there is a pace."""
        times = list(self._read_times)
        if len(times) < 2 or not self._reading:
            return None
        return len(self._reading) * (times[-1] - times[0]) / (len(times) - 1)

    def wait(self, timeout_seconds: float | None = None) -> bool:
        """Wait until all is done; False when the time is over first."""
        with self._idle:
            return self._idle.wait_for(lambda: self._pending == 0, timeout_seconds)

    @property
    def busy(self) -> int:
        """How many pieces of work are waiting or running."""
        return self._pending

    def seconds(self, batch_id: str) -> dict[str, float]:
        """Return the worker seconds spent on a batch by stage."""
        running = self._running.get(batch_id)
        return dict(running.seconds) if running else {}

    def close(self) -> None:
        """Stop after the present step; what is in the store stays for ``resume``."""
        self._events.put(None)
        self._thread.join(timeout=15)

    # -- the line's own thread ---------------------------------------------------------------------------------

    def _put(self, event: Callable[[], None]) -> None:
        with self._idle:
            self._pending += 1
        self._events.put(event)

    def _done(self) -> None:
        with self._idle:
            self._pending -= 1
            self._idle.notify_all()

    def _loop(self) -> None:
        while (event := self._events.get()) is not None:
            try:
                event()
            except AppError as error:
                self.problem = str(error)
                self._notify(Changes(text=self.problem))
            except Exception:
                # The line's one door for faults: one costs its page, never the line.
                log.exception("a step of the line failed")
                self.problem = "Something went wrong inside Key Bundle with a page; it is kept. The others go on."
                self._notify(Changes(text=self.problem))
            finally:
                self._done()

    def _submit(
        self, work: str, *args: Any, then: Callable[[Future[Any]], None], priority: int, key: str
    ) -> Future[Any]:
        with self._idle:
            self._pending += 1

        def finished(future: Future[Any]) -> None:
            self._put(lambda: then(future))
            self._done()

        future = self._pool.submit(
            f"{WORK}:{work}", *args, priority=priority, limit_seconds=READ_LIMIT_SECONDS, key=key
        )
        future.add_done_callback(finished)
        return future

    def _tell(self, batch_id: str, *documents: str) -> None:
        self._notify(Changes(frozenset([batch_id]), frozenset(documents)))

    def _take(self, batch_id: str, page: Page) -> None:
        running = self._running[batch_id]
        running.unplaced.append(page.id)
        running.pages[page.id] = page
        self._examine(batch_id, page)
        self._tell(batch_id)

    def _examine(self, batch_id: str, page: Page) -> None:
        place = self._ws.place
        routine = self._running[batch_id].routine
        wanted, steps = wanted_marks(self._ws.setup, routine), routine.cleaning
        photo_into = str(place.files.root) if steps.photographs else ""
        args = (str(place.files.path(page.file_sha)), page.source_index, page.is_pdf, page.source, str(place.cache),
                page.id, astuple(wanted), steps.upright, steps.deskew, photo_into)  # fmt: skip
        self._running[batch_id].looking += 1
        self._submit("examine", *args, then=lambda f: self._examined(batch_id, page, f), priority=EXAMINE, key="")

    def _examined(self, batch_id: str, page: Page, future: Future[Any]) -> None:
        running = self._running[batch_id]
        running.looking -= 1
        try:
            plain, seconds = future.result()
        except (Cancelled, CancelledError, EnvironmentProblem) as error:
            self.problem = str(error) if isinstance(error, EnvironmentProblem) else self.problem
            return
        except AppError as error:
            trouble = str(error)
            self._ws.batches.set_facts(page.id, None, trouble)
            running.pages[page.id] = replace(page, trouble=trouble)
        else:
            running.seconds["clean"] += seconds
            facts = Facts.from_json(plain)
            self._ws.batches.set_facts(page.id, facts)
            page = running.pages[page.id] = replace(page, facts=facts)
            self._ask_to_halt(running, page)
            if running.routine.separation.needs_text and not (facts.is_blank or facts.separator):
                self._read(batch_id, page, FIRST_PAGE)
        self._place_what_can_be(batch_id)

    def _ask_to_halt(self, running: Running, page: Page) -> None:
        """Keep the first halt condition that a side meets, or the document that grows."""
        if running.halted is None and running.routine.halts:
            seen = measured(page, running.paper_mm, running.state.sheets_in_document)
            running.halted = find_halt(running.routine.halts, seen)

    def _go_on(self, batch_id: str, two_sided: bool) -> None:
        running = self._ensure_running(self._ws.batches.load(batch_id))
        running.ended, running.halted = False, None
        running.two_sided = two_sided

    def _place_what_can_be(self, batch_id: str) -> None:
        running = self._running[batch_id]
        start = time.perf_counter()
        while (sheet := self._next_sheet(running)) is not None:
            del running.unplaced[: len(sheet)]
            good = [p for p in sheet if p.facts is not None]
            placings: list[Placing] = [
                Placing(p.id, False, "damaged", note=p.trouble) for p in sheet if p.facts is None
            ]
            if good:
                known = known_first_pages(self._ws, running.routine)
                texts = running.texts
                sides = [side_facts(p, texts.get(p.id), known(texts[p.id]) if p.id in texts else "") for p in good]
                more, running.state = place_sheet(sides, running.routine, running.state)
                placings += more
            before = running.current
            running.current = self._ws.batches.place(batch_id, placings, running.current)
            if any(p.reason == "separator" for p in placings) and before is not None:
                self.break_times.setdefault(before, time.monotonic())
            for placing in placings:
                page = running.pages.pop(placing.page)
                if running.texts.pop(page.id, None) is not None or page.facts is None or page.trouble:
                    self._propose_for_page(batch_id, page.id)
                elif placing.kept:
                    if placing.starts:
                        self._read_zones(batch_id, page)
                    self._read(batch_id, page, FIRST_PAGE if placing.starts else OTHER_PAGE)
            self._tell(batch_id, *(d for d in (before, running.current) if d))
        running.seconds["separate"] += time.perf_counter() - start

    def _next_sheet(self, running: Running) -> list[Page] | None:
        """Return the sides of the next sheet once all of them were examined."""
        if not running.unplaced:
            return None
        pages = [running.pages[i] for i in running.unplaced[:2]]
        first = pages[0]
        sheet = [p for p in pages if (p.sheet, p.source) == (first.sheet, first.source) or is_same_sheet(first, p)]
        sheet = sheet if running.two_sided else pages[:1]
        complete = not running.two_sided or len(sheet) == 2 or len(pages) == 2 or running.ended
        return sheet if complete and all(is_looked_at(running, p) for p in sheet) else None

    def _end(self, batch_id: str) -> None:
        self._ws.batches.end_capture(batch_id)
        if batch_id in self._running:
            self._running[batch_id].ended = True
            self._place_what_can_be(batch_id)
        self._ws.batches.settle(batch_id)
        self._tell(batch_id)

    def _read(self, batch_id: str, page: Page, priority: int) -> None:
        place, frame = self._ws.place, page.frame
        if (page.id, frame.rotation) in self._reading or batch_id in self._stopped:
            return
        routine = self._running[batch_id].routine
        sha, index, is_pdf = page.picture
        args = (str(place.files.path(sha)), index, is_pdf, page.source, astuple(frame),
                page.language or routine.language, cleaning_steps(routine), routine.force_ocr)  # fmt: skip
        first = ON_SCREEN if page.id in self._on_screen else priority
        if not self._reading:
            self._read_times.clear()
            self._read_times.append(time.monotonic())
        future = self._submit(
            "read", *args, then=lambda f: self._was_read(batch_id, page, f), priority=first, key=page.id
        )
        self._reading[(page.id, frame.rotation)] = (batch_id, future)

    def _read_zones(self, batch_id: str, page: Page) -> None:
        """Read the zones of a first page before all of it, where its type is known and has some."""
        batch = None if batch_id in self._stopped else self._ws.batches.load_around(page.id)
        kind = known_type(self._ws, batch, next(iter(batch.documents.values()))) if batch is not None else None
        zones = [(z.left, z.top, z.right, z.bottom) for f in (kind.fields if kind else ()) if (z := f.zone)]
        if not zones:
            return
        sha, index, is_pdf = page.picture
        language = page.language or self._running[batch_id].routine.language
        args = (str(self._ws.place.files.path(sha)), index, is_pdf, page.source, astuple(page.frame), zones, language)
        self._submit(
            "read_zones", *args, then=lambda f: self._zones_read(batch_id, page.id, f), priority=ZONES, key=page.id
        )

    def _zones_read(self, batch_id: str, page_id: str, future: Future[Any]) -> None:
        """Show what the zones tell; a page that cannot be read says so when all of it is read."""
        batch = self._ws.batches.load_around(page_id)
        if future.cancelled() or future.exception() is not None or batch is None or batch.page(page_id).is_read:
            return
        document = next(iter(batch.documents.values()))
        found = index_zones(self._ws, batch, document, page_id, PageText.from_bytes(future.result()))
        self._keep_proposal(batch_id, found)

    def _keep_proposal(self, batch_id: str, found: Document) -> None:
        self._ws.batches.record(
            found.id, lambda b: replace(b, documents={found.id: take_proposal(b.documents[found.id], found)})
        )
        self._tell(batch_id, found.id)

    def _stop_reading(self, batch_id: str) -> None:
        self._stopped |= {batch_id}
        for key, (of, future) in list(self._reading.items()):
            if of == batch_id and future.cancel():
                del self._reading[key]
        self._tell(batch_id)

    def _read_on(self, batch_id: str) -> None:
        self._stopped -= {batch_id}
        self._revise(batch_id)
        running = self._running[batch_id]
        for page in (running.pages[i] for i in running.unplaced):
            if page.facts is not None and not is_looked_at(running, page):
                self._read(batch_id, page, FIRST_PAGE)

    def _was_read(self, batch_id: str, page: Page, future: Future[Any]) -> None:
        batches = self._ws.batches
        if future.cancelled():
            return
        self._reading.pop((page.id, page.frame.rotation), None)
        try:
            text, seconds = future.result()
        except (Cancelled, CancelledError):
            return
        except EnvironmentProblem as error:
            self.problem = str(error)
            self._notify(Changes(text=self.problem))
            return
        except AppError as error:
            trouble = f"{error} Type its values by hand."
            batches.set_text(page.id, None, None, trouble=trouble)
            self._know_text(batch_id, page.id, None, trouble)
        else:
            self._read_times.append(time.monotonic())
            self._running[batch_id].seconds["read"] += seconds
            with self._ws.place.database.atomic() as c:
                read = PageText.from_bytes(text)
                batches.set_text(page.id, text, page.frame.rotation, origin=page.language, quality=read.quality)
                index.put(c, index.WAITING, page.id, "", "", read.plain)
            self._know_text(batch_id, page.id, text, "")
        self._propose_for_page(batch_id, page.id)

    def _know_text(self, batch_id: str, page_id: str, text: bytes | None, trouble: str) -> None:
        """Let a page that waits for its text be placed."""
        running = self._running[batch_id]
        if page_id not in running.pages or not running.routine.separation.needs_text:
            return
        if text is not None:
            running.texts[page_id] = PageText.from_bytes(text)
        running.pages[page_id] = replace(running.pages[page_id], trouble=trouble)
        self._place_what_can_be(batch_id)

    def _propose_for_page(self, batch_id: str, page_id: str) -> None:
        batch = self._ws.batches.load_around(page_id)
        if batch is None:
            return
        document = next(iter(batch.documents.values()))
        pages = batch.pages_of(document.id)
        if pages[0].is_read:
            self._propose(batch_id, batch, document)
        else:
            self._tell(batch_id, document.id)

    def _propose(self, batch_id: str, batch: Batch, document: Document) -> None:
        start = time.perf_counter()
        self._keep_proposal(batch_id, index_document(self._ws, batch, document))
        if batch_id in self._running:
            self._running[batch_id].seconds["index"] += time.perf_counter() - start

    def _revise(self, batch_id: str) -> None:
        batch = self._ws.batches.load(batch_id)
        self._ensure_running(batch)
        for document in batch.in_order():
            pages = batch.pages_of(document.id)
            for i, page in enumerate(pages):
                if not page.is_read and page.facts is not None:
                    self._read(batch_id, page, FIRST_PAGE if i == 0 else OTHER_PAGE)
            if not document.proposed and not document.filed_id and pages and pages[0].is_read:
                self._propose(batch_id, batch, document)
        self._tell(batch_id)

    def _ensure_running(self, batch: Batch) -> Running:
        routine = self._ws.setup.routine(batch.routine) or Routine(name=batch.routine, sign="??")
        two_sided = any(p.side == "back" for p in batch.pages)
        return self._running.setdefault(batch.id, Running(routine, two_sided, ended=batch.captured_at is not None))

    def _resume(self, batch_id: str) -> None:
        batch = self._ws.batches.load(batch_id)
        running = self._ensure_running(batch)
        in_feed_order = sorted(batch.pages, key=lambda p: p.captured)
        placed = [p for p in in_feed_order if p.disposition is not None and p.facts is not None]
        needs_text = running.routine.separation.needs_text
        texts = self._ws.batches.texts([p.id for p in in_feed_order]) if needs_text else {}
        known = {key: PageText.from_bytes(data) for key, data in texts.items()}
        running.state = replay(
            placed, running.routine, running.two_sided, known, known_first_pages(self._ws, running.routine)
        )
        kept = [p.document_id for p in batch.pages if p.document_id]
        running.current = kept[-1] if kept and not batch.documents[str(kept[-1])].filed_id else None
        for page in in_feed_order:
            if page.disposition is None:
                running.unplaced.append(page.id)
                running.pages[page.id] = page
                if page.id in known:
                    running.texts[page.id] = known[page.id]
                if page.facts is None and not page.trouble:
                    self._examine(batch_id, page)
                elif needs_text and not is_looked_at(running, page):
                    self._read(batch_id, page, FIRST_PAGE)
        if batch.captured_at is None:
            self._end(batch_id)
        self._place_what_can_be(batch_id)
        self._ws.batches.settle(batch_id)
        self._revise(batch_id)
