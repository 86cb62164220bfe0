"""Every captured side is in exactly one place, whatever is done in whatever order: a state machine over store and line.

No processes and no OCR: workers are a stand-in that answers when a step says so, the line does what has come up when it
is told to. Used by the suite (some thousand steps) and by scripts/soak (as many as asked for).
"""

from __future__ import annotations

import functools
import logging
import shutil
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any
from unittest import mock

from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule
from sqlalchemy import text

from keybundle.core.base.errors import EnvironmentProblem, InputProblem, Passing, WorkerBug
from keybundle.core.base.progress import CancelToken
from keybundle.core.batches.model import Document, Page, State, balance, stage_of
from keybundle.core.setup.model import Setup
from keybundle.core.store import ledger
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.file import filing, renditions
from keybundle.core.workflows.file.closing import close_batch
from keybundle.core.workflows.file.throwing_away import bring_batch_back, erase_thrown, throw_batch_away
from keybundle.core.workflows.index import page_texts, slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.standin import FACTS, StandIn, answer
from tests.support import acting, add_page, shared_folder

WHO, OTHER = "Elspra Towpath", "Orrin Sallow"
FOLDER = Path("/dev/shm") if Path("/dev/shm").is_dir() else None
ACTIONS = (
    "break", "join up", "leave out", "take back", "turn right", "move earlier", "move later", "to document before",
    "to document after", "split each", "join documents", "reverse", "interleave", "shift breaks later",
    "shift breaks earlier",
)  # fmt: skip
# Spread out: drawn numbers are mostly small, and chosen by remainders.
NUMBERS = st.integers(0, 10**6).map(lambda n: (n * 2_654_435_761 + 97) % 1_000_003)


def make_setup() -> Setup:
    """A set-up with one type of one value, and routines of each kind of rule."""
    return Setup.model_validate({
        "repository": "Larkmere", "cabinets": [{"name": "Notes"}],
        "document_types": [{"name": "Note", "cabinet": "Notes", "caption": "{Title}", "words": ["note"],
                            "fields": [{"name": "Title", "required": True}, {"name": "Writer", "carry": True}]}],
        "routines": [
            {"name": "Sheets", "sign": "SH", "key": "S", "separation": {"rules": [{"rule": "separator sheet"}]}},
            {"name": "Words", "sign": "WO", "key": "W", "separation": {"rules": [{"rule": "words", "words": "note"}]}},
            {"name": "Twos", "sign": "TW", "key": "T",
             "separation": {"rules": [{"rule": "every n sheets", "sheets": 2}]}},
        ],
        "people": [{"name": WHO, "role": "administrator"}, {"name": OTHER, "role": "operator"}],
    })  # fmt: skip


def find_losses(workspace: Workspace, captured: set[str] | None = None) -> list[str]:
    """Return what is wrong with the account of sides: each is in one place, and the repository holds what is filed.

    ``captured`` are the sides that were told as captured.
    """
    wrong: list[str] = []
    with workspace.place.database.read() as c:
        rows = c.execute(text("SELECT p.*, d.filed_id, d.batch_id AS of_batch, d.id AS document FROM page p "
                              "LEFT JOIN batch_document d ON d.id = p.document_id")).all()  # fmt: skip
        held = dict(c.execute(text("SELECT v.page_id, v.document_id FROM version_page v JOIN document d ON "
                                   "d.id = v.document_id WHERE d.removed_at IS NULL AND d.batch_id IS NOT NULL AND "
                                   "v.version = 1")).all())  # type: ignore[arg-type] # fmt: skip
        empty = c.execute(text("SELECT id FROM batch_document WHERE id NOT IN (SELECT document_id FROM page WHERE "
                               "document_id IS NOT NULL)")).scalars().all()  # fmt: skip
        twice = c.execute(text("SELECT filed_id FROM batch_document WHERE filed_id IS NOT NULL GROUP BY filed_id "
                               "HAVING count(*) > 1")).scalars().all()  # fmt: skip
        taken = set(c.execute(text("SELECT id FROM arrival WHERE state = 'taken' AND NOT is_container")).scalars())
        pageless = taken - {p.arrival for p in rows}
        closed = set(c.execute(text("SELECT id FROM batch WHERE closed_at IS NOT NULL")).scalars())
    for p in rows:
        is_nowhere = p.disposition is None and p.document_id is None
        is_out = p.disposition == "left out" and bool(p.reason) and p.document_id is None
        is_kept = p.disposition == "kept" and p.document is not None and p.of_batch == p.batch_id
        if is_nowhere + is_out + is_kept != 1:
            wrong.append(f"page {p.id} is in no one place: {p.disposition}, {p.reason}, {p.document_id}")
        if is_nowhere and p.cut:
            wrong.append(f"page {p.id} was placed and has no place")
        if held.get(p.id) != (p.filed_id if is_kept else None):
            wrong.append(f"page {p.id}: the repository holds it as {held.get(p.id)}, its batch says {p.filed_id}")
        if p.batch_id in closed and not (is_out or p.filed_id):
            wrong.append(f"page {p.id} is open in a closed batch")
    ids = {p.id for p in rows}
    wrong += [f"arrival {i} was taken and has no page" for i in pageless]
    wrong += [f"page {p.id} came with nothing that was taken" for p in rows if p.arrival not in taken]
    wrong += [f"page {i} was captured and is gone" for i in (captured or set()) - ids]
    wrong += [f"page {i} is filed and in no batch" for i in set(held) - ids]
    wrong += [f"document {i} has no page" for i in empty]
    wrong += [f"{i} is the filing of two documents" for i in twice]
    for batch_id in workspace.batches.ids(open_only=False):
        batch = workspace.batches.load(batch_id)
        if not (balance(batch).is_even and batch.came.is_even):
            wrong.append(f"the balance of {batch_id} is uneven: {balance(batch)}")
        if (counted := workspace.batches.balance(batch_id)) != balance(batch):
            wrong.append(f"the balance of {batch_id} is counted as {counted}, should be {balance(batch)}")
        wrong += [
            f"page {p.id} is {p.stage}, should be {stage_of(p)}"
            for p in batch.pages
            if p.source and p.stage != stage_of(p)
        ]
        for document in batch.documents.values():
            if document.filed_id and document.filed_id in held.values():
                wrong += _find_stale(workspace, document, batch.pages_of(document.id))
    return wrong


def placed_in(workspace: Workspace, batch_id: str) -> dict[str, str | None]:
    """Return the document of each side that has a place (None: left out)."""
    return {p.id: p.document_id for p in workspace.batches.load(batch_id).pages if p.disposition}


def _find_stale(workspace: Workspace, document: Document, pages: Sequence[Page]) -> list[str]:
    """Return where the repository holds something else of a filed document than its batch shows."""
    filed = workspace.repository.load(str(document.filed_id))
    shown = {name: value.items for name, value in document.values.items() if value.items}
    texts = workspace.batches.texts([p.id for p in pages])
    wrong = []
    kind = workspace.setup.document_type(document.type)
    own = {f.name for f in kind.fields} if kind else set()  # folders add values of their own
    held = {n: v.items for n, v in filed.values.items() if v.items and n in own}
    if filed.type != document.type or held != shown:
        wrong.append(f"document {document.id} is filed with other values than its batch shows: {held} for {shown}")
    if [p.page_id for p in filed.pages] != [p.id for p in pages]:
        wrong.append(f"document {document.id} is filed with other pages than its batch shows")
    for kept, page in zip(filed.pages, pages, strict=False):
        if kept.frame != page.frame or (page.id in texts and kept.text != texts[page.id]):
            wrong.append(f"page {page.id} is filed in another turn or with another text than its batch shows")
    if not filed.pdf_sha:
        return wrong  # still due
    pdf = workspace.place.files.path(filed.pdf_sha).read_bytes()
    told = " ".join(f"{p.id}/{p.frame.rotation}" for p in pages)
    if b"pretended" in pdf and pdf != f"%PDF-1.4 pretended {told}".encode():
        wrong.append(f"the PDF of document {document.id} was made of something else than its batch shows")
    return wrong


@functools.cache
def _template() -> Path:
    """A repository with the set-up and two batches that are captured and read, made once."""
    folder = shared_folder() / "conservation"
    workspace = open_workspace(folder / "data")
    workspace.put_setup(make_setup(), WHO)
    workspace.close()
    world = World(folder)
    for n, two_sided in ((0, False), (4, True)):
        world.scan(n, 4, two_sided=two_sided, ends=True)
    world.make_ready(0)
    world.line.close()
    world.ws.close()
    return folder / "data"


class World:
    """A repository in memory's file system, a line that waits to be told, and what was captured so far."""

    def __init__(self, folder: Path | None = None) -> None:
        template = None if folder else _template()
        self.folder = folder or Path(tempfile.mkdtemp(prefix="keybundle-world-", dir=FOLDER))
        if template is not None:
            shutil.copytree(template, self.folder / "data")
        self.is_filing = False
        self.thrown: dict[str, dict[str, str | None]] = {}
        self._open()
        pages = [(b, p) for b in self.ws.batches.ids() for p in self.ws.batches.load(b).pages]
        self.captured = {p.id for _, p in pages}
        self.sheets = {b: max(p.sheet for other, p in pages if other == b) for b, _ in pages}

    def _open(self) -> None:
        self.ws = open_workspace(self.folder / "data", held=True)
        self.pool = StandIn(answer, hold={"examine", "read", "make_pdf"})
        self.line = Line(self.ws, self.pool, threaded=False)  # type: ignore[arg-type]

    def close(self) -> None:
        self.line.close()
        self.ws.close()
        shutil.rmtree(self.folder, ignore_errors=True)

    def crash(self) -> None:
        """Forget all that lies in memory, and start anew."""
        if self.is_filing:
            return
        self.ws.close()
        self._open()
        self.line.resume()
        self.line.run_waiting()

    def batch(self, n: int) -> str | None:
        ids = self.ws.batches.ids()
        return ids[n % len(ids)] if ids else None

    def scan(self, n: int, sheets: int, *, two_sided: bool, ends: bool) -> None:
        """Capture sheets into a batch or a new one; the capture may stay open."""
        batch_id = self.batch(n // 4) if n % 4 else None
        if batch_id is None:
            routine = self.ws.setup.routines[n % 3]
            batch_id = self.ws.batches.create(routine.name, "the feeder", WHO, two_sided=two_sided)
            self.line.begin(batch_id, routine)
        else:
            self.ws.batches.reopen_capture(batch_id, two_sided=two_sided)
            self.line.go_on(batch_id)
        for _ in range(sheets):
            sheet = self.sheets[batch_id] = self.sheets.get(batch_id, 0) + 1
            for side in ("front", "back") if two_sided else ("front",):
                page = Page(self.ws.clock.new_id(), 0, f"{sheet}-{side}", 0, sheet, side, "0" * 64)
                page = add_page(self.ws.batches, batch_id, page)
                self.captured.add(page.id)
                self.line.captured(batch_id, page)
        if ends:
            self.line.ended(batch_id)
        self.line.run_waiting()

    def let_go(self, n: int, how: int) -> None:
        """Let one worker come to its end, well or not."""
        waiting = [i for i, h in enumerate(self.pool.held) if h.what != "make_pdf"]
        if not waiting:
            return
        ends: dict[int, Callable[[str, tuple[Any, ...]], Any]] = {
            0: lambda w, a: (asdict(replace(FACTS, is_blank=True)), 0.0) if w == "examine" else answer(w, a),
            1: lambda w, a: (asdict(replace(FACTS, separator=True)), 0.0) if w == "examine" else answer(w, a, "a note"),
            2: _raising(InputProblem("It is damaged.")), 3: _raising(WorkerBug("Something went wrong.")),
            4: _raising(Passing("There is no space left.")), 5: _raising(RuntimeError("a fault")),
            6: _raising(EnvironmentProblem("It cannot be read.")),
        }  # fmt: skip
        self.pool.answer = ends.get(how % 12, lambda w, a: answer(w, a, "a note" if n % 3 else "more"))
        self.pool.let_go(waiting[n % len(waiting)])
        self.line.run_waiting()

    def retry(self) -> None:
        self.line.retry()
        self.line.run_waiting()

    def act(self, n: int, action: int, count: int, *, newest: bool = False) -> None:
        """Do something to pages of a batch, as an operator does; to its ``newest`` page, or to any."""
        batch_id = self.batch(n)
        pages = self.ws.batches.load(batch_id).pages if batch_id else ()
        if batch_id and pages:
            first = len(pages) - 1 if newest else (n // 7) % len(pages)
            chosen = [p.id for p in pages[first : first + 1 + count % 3]]
            label, command = bench.page_command(ACTIONS[action % len(ACTIONS)], chosen, self.ws.clock.new_id)
            bench.run_command(acting(self.ws, WHO), self.line, batch_id, label, command)
            self.line.run_waiting()

    def write(self, n: int, what: int) -> None:
        """Give a document its type and value, confirm, empty, set aside or bring back."""
        batch_id = self.batch(n)
        documents = self.ws.batches.load(batch_id).in_order() if batch_id else ()
        if not batch_id or not documents:
            return
        args = (acting(self.ws, WHO), self.line, batch_id, documents[(n // 5) % len(documents)].id)
        (
            lambda: slip.choose_type(*args, "Note"), lambda: slip.enter_value(*args, "Title", f"T{n % 99}"),
            lambda: slip.enter_value(*args, "Title", ""), lambda: slip.enter_value(*args, "Writer", "W"),
            lambda: slip.confirm_value(*args, "Writer"), lambda: slip.set_aside(*args, "torn"),
            lambda: slip.bring_back(*args),
        )[what % 7]()  # fmt: skip
        self.line.run_waiting()

    def let_all_go(self) -> None:
        """Let the workers of all batches end well."""
        self.pool.answer = answer
        while any(h.what != "make_pdf" for h in self.pool.held):
            self.pool.let_go(*[i for i, h in enumerate(self.pool.held) if h.what != "make_pdf"])
            self.line.run_waiting()

    def make_ready(self, n: int) -> None:
        """Let the workers end well, and give all documents of a batch their values."""
        self.let_all_go()
        batch_id = self.batch(n)
        for document in self.ws.batches.load(batch_id).in_order() if batch_id else ():
            if not document.is_shut and batch_id:
                slip.choose_type(acting(self.ws, WHO), self.line, batch_id, document.id, "Note")
                slip.enter_value(acting(self.ws, WHO), self.line, batch_id, document.id, "Title", "A title")
                slip.enter_value(acting(self.ws, WHO), self.line, batch_id, document.id, "Writer", "A writer")
        self.line.run_waiting()

    def type_words(self, n: int) -> None:
        batch_id = self.batch(n)
        pages = self.ws.batches.load(batch_id).pages if batch_id else ()
        if batch_id and pages:
            page_texts.type_words(acting(self.ws, WHO), self.line, batch_id, pages[n % len(pages)].id, "typed words")
            self.line.run_waiting()

    def undo(self, n: int, *, redo: bool) -> None:
        batch_id = self.batch(n)
        if batch_id:
            (bench.redo if redo else bench.undo)(acting(self.ws, WHO), self.line, batch_id)
            self.line.run_waiting()

    def transfer(self, n: int, m: int) -> None:
        source, target = self.batch(n), self.batch(m)
        if source and target and source != target:
            pages, others = self.ws.batches.load(source).pages, self.ws.batches.load(target).pages
            if pages and others:
                chosen = [p.id for p in pages[n % len(pages) :][:2]]
                beside = others[m % len(others)].id
                bench.move_to_batch(acting(self.ws, WHO), self.line, source, chosen, target, beside, after=bool(n % 2))
                self.line.run_waiting()

    def meddle(self, n: int, what: int) -> None:
        """Do something to a document that is being filed just now."""
        batches = [self.ws.batches.load(i) for i in self.ws.batches.ids()]
        claimed = [(b, d) for b in batches for d in b.in_order() if d.claim]
        if not claimed:
            return
        batch, document = claimed[n % len(claimed)]
        pages, args = batch.pages_of(document.id), (acting(self.ws, WHO), self.line, batch.id)
        page, others = pages[n % len(pages)].id, [b for b in batches if b is not batch and b.pages]

        def command(action: str) -> None:
            label, command = bench.page_command(action, [page], self.ws.clock.new_id)
            bench.run_command(*args, label, command)

        def move() -> None:
            if others:
                beside = others[0].pages[0].id
                bench.move_to_batch(*args[:2], batch.id, [page], others[0].id, beside, after=True)

        (
            lambda: slip.enter_value(*args, document.id, "Title", f"T{n % 99}"), lambda: command("leave out"),
            lambda: command("break"), lambda: command("turn right"), lambda: command("join up"), move,
            lambda: command("to document before"), lambda: bench.undo(*args),
            lambda: page_texts.type_words(*args, page, "typed meanwhile"),
            lambda: slip.set_aside(*args, document.id, "torn"),
        )[what % 10]()  # fmt: skip
        self.line.run_waiting()

    def file(self, n: int, meanwhile: Callable[[], None], *, cancels: bool) -> None:
        """File what is ready of a batch; while its files are brought other things happen, and it may be called off."""
        batch_id = self.batch(n)
        if batch_id is None or self.is_filing:
            return
        world = self

        token = CancelToken()

        def bring(*args: object) -> None:
            meanwhile()
            if cancels:
                token.cancel()

        self.is_filing = True
        try:
            begun = filing.begin_filing(acting(world.ws, WHO), batch_id)
            with mock.patch.object(filing, "bring_files", bring):
                filing.finish_filing(acting(world.ws, WHO), self.pool, begun, cancel=token)  # type: ignore[arg-type]
        finally:
            self.is_filing = False

    def render(self, n: int) -> None:
        """Make the PDFs that are due, well or not; a document may be taken back or be another by then."""
        ends = {0: InputProblem("It is damaged."), 1: Passing("There is no space left.")}

        def work(what: str, args: tuple[Any, ...]) -> Any:
            if what == "make_pdf" and n % 5 in ends:
                raise ends[n % 5]
            return answer(what, args)

        self.pool.answer, held = work, self.pool.hold
        self.pool.hold = held - {"make_pdf"}
        renditions.make_due(self.ws, self.pool, at_once=True)  # type: ignore[arg-type]
        self.pool.hold = held

    def take_back(self, n: int) -> None:
        batch_id = self.batch(n)
        filed = [d for d in self.ws.batches.load(batch_id).documents.values() if d.filed_id] if batch_id else []
        if batch_id and filed:
            filing.take_back(acting(self.ws, WHO), batch_id, filed[n % len(filed)].id)
            self.line.revise(batch_id)
            self.line.run_waiting()

    def close_batch(self, n: int) -> None:
        batch_id = self.batch(n)
        if batch_id:
            close_batch(acting(self.ws, WHO), batch_id)

    def throw_away(self, n: int, *, meddles: int) -> None:
        """Throw a batch away; the machine's answers that are still to come, and more sides, find it closed."""
        batch_id = self.batch(n)
        if batch_id:
            was = placed_in(self.ws, batch_id)
            throw_batch_away(acting(self.ws, WHO), batch_id)
            self.thrown[batch_id] = was
            if meddles % 2:
                self.let_go(n, meddles)
                self.line.run_waiting()

    def bring_back(self, n: int) -> None:
        if self.thrown:
            batch_id = sorted(self.thrown)[n % len(self.thrown)]
            before = self.thrown.pop(batch_id)
            bring_batch_back(acting(self.ws, WHO), self.line, batch_id)
            now = placed_in(self.ws, batch_id)
            assert {p: now.get(p, "gone") for p in before} == before
            self.line.run_waiting()

    def erase_thrown(self, n: int) -> None:
        if self.thrown:
            batch_id = sorted(self.thrown)[n % len(self.thrown)]
            del self.thrown[batch_id]
            erase_thrown(acting(self.ws, WHO), [batch_id])

    def find_losses(self) -> list[str]:
        wrong = find_losses(self.ws, self.captured)
        if not self.is_filing:
            with self.ws.place.database.read() as c:
                claimed = c.execute(text("SELECT count(*) FROM work WHERE kind = 'filing'")).scalar()
            wrong += [f"{claimed} documents are being filed by nobody"] if claimed else []
        with self.ws.place.database.read() as c:
            wrong += [f"the ledger is wrong: {' '.join(gap)}" for gap in ledger.find_gaps(c)]
        return wrong

    def find_hanging(self) -> list[str]:
        """Return what does not come to its end when all workers end well and all captures are over."""
        self.retry()
        for batch_id in self.ws.batches.ids():
            self.line.ended(batch_id)
        self.line.run_waiting()
        self.make_ready(0)
        self.retry()
        wrong = []
        for batch_id in self.ws.batches.ids():
            batch = self.ws.batches.load(batch_id)
            wrong += [f"page {p.id} never got its place" for p in batch.pages if p.disposition is None]
            wrong += [f"page {p.id} was never read" for p in batch.pages if p.kept and not p.is_read]
            wrong += [f"document {d.id} hangs" for d in batch.documents.values() if d.state is State.READING]
        return wrong


def _raising(error: Exception) -> Callable[[str, tuple[Any, ...]], Any]:
    def fail(what: str, args: tuple[Any, ...]) -> Any:
        raise error

    return fail


class Conservation(RuleBasedStateMachine):
    """Any step in any order; after each the account is right."""

    @initialize()
    def begin(self) -> None:
        logging.disable(logging.ERROR)
        self.world = World()

    def _try(self, work: Callable[[], None]) -> None:
        """Do a step; refused in words is as good as done, anything else is a fault."""
        try:
            work()
        except InputProblem as error:
            assert str(error).endswith((".", "!")), error

    @rule(n=NUMBERS, sheets=st.integers(1, 4), two_sided=st.booleans(), ends=st.booleans())
    def scan(self, n: int, sheets: int, two_sided: bool, ends: bool) -> None:
        self._try(lambda: self.world.scan(n, sheets, two_sided=two_sided, ends=ends))

    @rule(n=NUMBERS, how=NUMBERS)
    def let_go(self, n: int, how: int) -> None:
        self._try(lambda: self.world.let_go(n, how))

    @rule(n=NUMBERS, action=NUMBERS, count=NUMBERS)
    def act(self, n: int, action: int, count: int) -> None:
        self._try(lambda: self.world.act(n, action, count))

    @rule(n=NUMBERS, what=NUMBERS)
    def write(self, n: int, what: int) -> None:
        self._try(lambda: self.world.write(n, what))

    @rule(n=NUMBERS, action=NUMBERS, count=NUMBERS, redo=st.booleans())
    def act_and_undo(self, n: int, action: int, count: int, redo: bool) -> None:
        self._try(lambda: self.world.act(n, action, count))
        self._try(lambda: self.world.scan(1 + 4 * n, 1, two_sided=False, ends=True))
        self._try(lambda: self.world.undo(n, redo=redo))

    @rule(n=NUMBERS, action=NUMBERS)
    def act_before_it_is_placed_and_undo_after(self, n: int, action: int) -> None:
        self._try(lambda: self.world.scan(1 + 4 * n, 1, two_sided=False, ends=True))
        self._try(lambda: self.world.act(n, action, 0, newest=True))
        self._try(lambda: self.world.let_all_go())
        self._try(lambda: self.world.undo(n, redo=False))
        self._try(lambda: self.world.undo(n, redo=bool(action % 2)))

    @rule(n=NUMBERS)
    def type_words(self, n: int) -> None:
        self._try(lambda: self.world.type_words(n))

    @rule(n=NUMBERS, redo=st.booleans())
    def undo(self, n: int, redo: bool) -> None:
        self._try(lambda: self.world.undo(n, redo=redo))

    @rule(n=NUMBERS, m=NUMBERS)
    def transfer(self, n: int, m: int) -> None:
        self._try(lambda: self.world.transfer(n, m))

    @rule(n=NUMBERS, m=NUMBERS, what=st.integers(0, 6), cancels=st.booleans())
    def file(self, n: int, m: int, what: int, cancels: bool) -> None:
        doings = (
            lambda: self.world.act(m, m // 3, m), lambda: self.world.write(m, m // 3), lambda: self.world.let_go(m, m),
            lambda: self.world.undo(m, redo=bool(m % 2)), lambda: self.world.transfer(m, m // 3),
            lambda: self.world.scan(m, 1, two_sided=False, ends=True), lambda: self.world.take_back(m),
        )  # fmt: skip
        self._try(lambda: self.world.scan(1 + 4 * n, 1 + m % 2, two_sided=False, ends=True))
        if n % 4:
            self._try(lambda: self.world.make_ready(n))
        self._try(lambda: self.world.file(n, lambda: self._try(doings[what]), cancels=cancels))

    @rule(n=NUMBERS, m=NUMBERS, what=st.integers(0, 9))
    def file_and_meddle(self, n: int, m: int, what: int) -> None:
        self._try(lambda: self.world.scan(1 + 4 * n, 1 + m % 2, two_sided=False, ends=True))
        self._try(lambda: self.world.make_ready(n))
        self._try(lambda: self.world.file(n, lambda: self._try(lambda: self.world.meddle(m, what)), cancels=False))

    @rule(n=NUMBERS)
    def render(self, n: int) -> None:
        self._try(lambda: self.world.render(n))

    @rule(n=NUMBERS)
    def take_back(self, n: int) -> None:
        self._try(lambda: self.world.take_back(n))

    @rule(n=NUMBERS)
    def close_batch(self, n: int) -> None:
        self._try(lambda: self.world.close_batch(n))

    @rule(n=NUMBERS, meddles=NUMBERS)
    def throw_away(self, n: int, meddles: int) -> None:
        self._try(lambda: self.world.throw_away(n, meddles=meddles))

    @rule(n=NUMBERS)
    def bring_back(self, n: int) -> None:
        self._try(lambda: self.world.bring_back(n))

    @rule(n=NUMBERS)
    def erase_thrown(self, n: int) -> None:
        self._try(lambda: self.world.erase_thrown(n))

    @rule(n=NUMBERS)
    def go_on(self, n: int) -> None:
        (self.world.crash if n % 2 else self.world.retry)()

    @invariant()
    def each_side_is_in_one_place(self) -> None:
        wrong = self.world.find_losses() if hasattr(self, "world") else []
        assert not wrong, wrong

    def teardown(self) -> None:
        if hasattr(self, "world"):
            wrong = self.world.find_hanging() + self.world.find_losses()
            self.world.close()
            logging.disable(logging.NOTSET)
            assert not wrong, wrong


def profile(examples: int, steps: int = 50, *, derandomize: bool = True) -> settings:
    """How many steps are made: so many runs of so many steps."""
    return settings(
        max_examples=examples, stateful_step_count=steps, deadline=None, derandomize=derandomize, database=None,
        suppress_health_check=list(HealthCheck), phases=(Phase.generate,), print_blob=True,
    )  # fmt: skip
