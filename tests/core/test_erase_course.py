"""Erased is erased, and nothing else is, after any course: documents filed, taken back, corrected, split, put together, sent,
rendered, brought to other areas, thrown away with their batch, stopped in the midst.

Source of what is expected: a search through all bytes of the data directory, its areas and its log, and through the folder
that was sent to.
"""

from __future__ import annotations

import os
import shutil
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from unittest import mock

from hypothesis import Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule, run_state_machine_as_test

from keybundle.core.base.errors import InputProblem
from keybundle.core.reading.text import PageText
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup
from keybundle.core.store import ledger, work
from keybundle.core.workflows.file import closing, filing, renditions, throwing_away
from keybundle.core.workflows.index import slip, tags
from keybundle.core.workflows.keep.areas import relocating
from keybundle.core.workflows.keep.documents import correcting, rearranging
from keybundle.core.workflows.keep.trash import deleting, erasing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.forgetting import tidy_up
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.send import sending
from keybundle.core.workflows.send.wishes import Wish
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from tests.standin import ONE_SIDED, Device, StandIn, answer, frame_of, text_of
from tests.support import DataTest, acting, sampled

EXAMPLES = int(os.environ.get("KEYBUNDLE_COURSES", sampled(20, 4)))
PHASES = [
    Phase.generate
]  # a course is told as it was found: making it shorter would take longer than the rest of the run
YARD = "Yard"
SETUP = {
    "repository": "A yard", "storage_areas": [{"name": "main", "path": "files"}, {"name": "loft", "path": "loft"}],
    "cabinets": [{"name": YARD, "folder_fields": ["Keeper"], "storage_area": "main"}],
    "routines": [{"name": "Post", "sign": "PO"}],
    "document_types": [{
        "name": "Note", "cabinet": YARD, "caption": "{Title} {Keeper}", "folder": {"Keeper": "Keeper"},
        "fields": [{"name": "Title", "required": True}, {"name": "Keeper", "required": True}],
    }],
    "roles": [{"name": "administrator", "rights": [r.value for r in Right]}],
    "people": [{"name": "Ottoline Reedmace", "roles": ["administrator"]}], "sign_in": ["choose"],
}  # fmt: skip
which = st.integers(0, 5)


@dataclass
class Dossier:
    """Two sheets with a word that stands nowhere else: their batch, and the filed documents that have some of them."""

    word: str
    batch: str
    slip: str
    filed: str = ""
    parts: set[str] = field(default_factory=set)
    is_closed: bool = False
    is_gone: bool = False


class Course(RuleBasedStateMachine):
    """Beside a model of which filed documents hold pages, names or values of which dossier."""

    folder: Path

    def __init__(self) -> None:
        super().__init__()
        home = Course.folder / f"run-{len(list(Course.folder.iterdir()))}"
        self.root, self.out = home / "data", home / "out"
        shutil.copytree(Course.folder / "made", self.root)
        self.said, self.dossiers, self.holds = "", list[Dossier](), dict[str, set[str]]()
        self.patched = mock.patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0)
        self.patched.start()
        self.begin()

    def begin(self) -> None:
        self.ws: Workspace = open_workspace(self.root, held=True)
        self.me = acting(self.ws)
        self.pool = StandIn(self.work)
        self.line = Line(self.ws, self.pool)  # type: ignore[arg-type]

    def work(self, what: str, args: tuple[Any, ...]) -> Any:
        if what in ("read", "read_zones"):
            data = text_of(f"{self.said} in the dossier", frame_of(args).rotation).to_bytes()
            return (data, 0.01) if what == "read" else data
        if what == "make_pdf":
            words = " ".join(PageText.from_bytes(job.text).plain for job in args[0])
            Path(args[2]).write_bytes(f"%PDF-1.4 {[job.page_id for job in args[0]]} {words}".encode())
            return 0.01
        return answer(what, args)

    # -- what is done --------------------------------------------------------------------------------------------------

    @precondition(lambda self: len(self.dossiers) < 5)
    @rule()
    def scan_and_file(self) -> None:
        word = f"quexzym{len(self.dossiers)}orb"
        self.said = word
        got = scan_stack(self.me, self.line, find_routine(self.me, "Post"), Device(2, tag=word), options=ONE_SIDED)
        self.line.wait(20)
        document = self.ws.batches.load(got.batch).in_order()[0].id
        slip.choose_type(self.me, self.line, got.batch, document, "Note")
        self.line.wait(20)
        for name, value in (("Title", f"About {word}"), ("Keeper", f"Keeper {word}")):
            slip.enter_value(self.me, self.line, got.batch, document, name, value)
        one = Dossier(word, got.batch, document)
        self.dossiers.append(one)
        self.file(one)

    def file(self, one: Dossier) -> None:
        (entry,) = self._file(one)
        one.filed = entry
        one.parts.add(entry)
        self.holds[entry] = {one.word}

    def _file(self, one: Dossier) -> list[str]:
        begun = filing.begin_filing(self.me, one.batch)
        return [e.id for e in filing.finish_filing(self.me, self.pool, begun).entries]  # type: ignore[arg-type]

    def pick(self, n: int) -> Dossier | None:
        there = [d for d in self.dossiers if d.filed]
        return there[n % len(there)] if there else None

    @precondition(lambda self: self.holds)
    @rule(n=which, again=st.booleans())
    def take_back(self, n: int, again: bool) -> None:
        one = self.pick(n)
        if one is None or one.is_closed:
            return
        try:
            filing.take_back(self.me, one.batch, one.slip)
        except InputProblem:
            return  # some of its pages are elsewhere by now
        self.holds.pop(one.filed)
        one.parts.discard(one.filed)
        one.filed = ""
        if again:
            self.file(one)

    @rule(n=which)
    def file_again(self, n: int) -> None:
        waiting = [d for d in self.dossiers if not d.filed and not d.is_closed]
        if waiting:
            self.file(waiting[n % len(waiting)])

    @precondition(lambda self: self.holds)
    @rule(n=which, m=which)
    def correct(self, n: int, m: int) -> None:
        if (one := self.pick(n)) is not None:
            given = {one.filed: {"Title": f"{m} about {one.word}", "Keeper": f"{one.word} {m % 2}"}}
            correcting.correct(self.me, given, follow=bool(m % 3))
            tags.retag(self.me, [one.filed], (), f"tag {one.word}")

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def split_off(self, n: int) -> None:
        one = self.pick(n)
        if one is None or len(pages := self.ws.repository.load(one.filed).pages) < 2:
            return
        made = rearranging.split_off(self.me, one.filed, [pages[-1].page_id], None)
        one.parts.add(made.document)
        self.holds[made.document] = set(self.holds[one.filed])

    @precondition(lambda self: self.holds)
    @rule(n=which, m=which)
    def put_in(self, n: int, m: int) -> None:
        one, other = self.pick(n), self.pick(m)
        if one is None or other is None or one is other:
            return
        page = self.ws.repository.load(other.filed).pages[0]
        if page.page_id not in {p.page_id for p in self.ws.repository.load(one.filed).pages}:
            rearranging.put_in(self.me, one.filed, other.filed, [page.page_id], None, None)
            self.holds[one.filed] |= self.holds[other.filed]
            other.parts.add(one.filed)

    @precondition(lambda self: self.holds)
    @rule()
    def render(self) -> None:
        renditions.make_due(self.ws, self.pool, at_once=True)  # type: ignore[arg-type]

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def close(self, n: int) -> None:
        still = [d for d in self.dossiers if not d.is_closed and d.filed]
        if still:
            one = still[n % len(still)]
            closing.close_batch(self.me, one.batch)
            one.is_closed = True

    @precondition(lambda self: self.holds)
    @rule()
    def bring_files_elsewhere(self) -> None:
        area = "loft" if self.ws.setup.cabinets[0].storage_area == "main" else "main"

        def change(setup: Setup) -> Setup:
            (cabinet,) = setup.cabinets
            return setup.model_copy(update={"cabinets": (cabinet.model_copy(update={"storage_area": area}),)})

        self.ws.change_setup(self.me.person, change)
        relocating.relocate(self.me)

    # -- what is erased ------------------------------------------------------------------------------------------------

    def erase(self, document: str) -> bool:
        for one in (d for d in self.dossiers if not d.is_closed and document in d.parts and d.filed):
            closing.close_batch(self.me, one.batch)  # what waits in an open batch is not erased
            one.is_closed = True
        deleting.delete_documents(self.me, [document], "asked for")
        if deleting.empty_trash(self.me, [document]).documents:
            self.forget(document)
            return True
        deleting.restore_documents(self.me, [document])  # its batch is open still
        return False

    def forget(self, document: str) -> None:
        del self.holds[document]
        for one in self.dossiers:
            one.parts.discard(document)
            if one.filed == document:
                one.filed, one.is_gone = "", True

    def some(self, n: int) -> str | None:
        there = sorted(self.holds)
        return there[n % len(there)] if there else None

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def erase_one(self, n: int) -> None:
        if (document := self.some(n)) is not None:
            self.erase(document)

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def erase_while_it_is_sent(self, n: int) -> None:
        document = self.some(n)
        if document is None:
            return
        land, gone = sending._land, list[bool]()

        def erase_first(*args: Any) -> None:
            gone.append(self.erase(document))
            land(*args)

        form = ("received", "csv")[n % 2]
        with mock.patch.object(sending, "_land", erase_first):
            sent = sending.send_to_folder(self.me, self.pool, [document], Wish(form), self.out)  # type: ignore[arg-type]
        assert gone[0] is (not sent.documents), "what is erased does not leave, and what is not does"
        left = [p.name for p in self.out.rglob("*") if p.is_file()] if self.out.exists() else []
        assert bool(left) is not gone[0], left
        assert not [name for name in left if name.startswith(".")], "nothing unfinished is left"
        shutil.rmtree(self.out, ignore_errors=True)

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def erase_while_its_pdf_is_made(self, n: int) -> None:
        document = self.some(n)
        if document is None:
            return

        def erase_first(what: str, args: tuple[Any, ...]) -> Any:
            if what == "make_pdf" and document in self.holds:
                self.erase(document)
            return self.work(what, args)

        renditions.make_due(self.ws, StandIn(erase_first), at_once=True)  # type: ignore[arg-type]
        erasing.finish_erasing(self.ws)

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def erase_while_an_area_is_away(self, n: int) -> None:
        document, loft = self.some(n), self.root / "loft"
        if document is None or not loft.exists():
            return
        loft.rename(self.root.with_name("away"))
        loft.mkdir()
        try:
            self.erase(document)
        finally:
            assert not list(loft.iterdir()), "nothing is written where the disk is away"
            loft.rmdir()
            self.root.with_name("away").rename(loft)
        erasing.finish_erasing(self.ws)

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def throw_the_batch_away_and_erase_it(self, n: int) -> None:
        waiting = [d for d in self.dossiers if not d.is_closed]
        if waiting:
            one = waiting[n % len(waiting)]
            throwing_away.throw_batch_away(self.me, one.batch)
            throwing_away.erase_thrown(self.me, [one.batch])
            one.is_closed = True
            one.is_gone = one.is_gone or not one.filed

    @precondition(lambda self: self.holds)
    @rule(n=which)
    def stop_in_the_midst_of_erasing(self, n: int) -> None:
        document = self.some(n)
        if document is not None:
            with mock.patch.object(deleting, "finish_erasing", return_value=0):
                self.erase(document)
        self.line.close()
        self.ws.close()
        self.begin()
        tidy_up(self.me)

    # -- what holds at any time ----------------------------------------------------------------------------------------

    @invariant()
    def what_is_erased_is_nowhere_and_nothing_else_is(self) -> None:
        with self.ws.place.database.read() as c:
            assert not ledger.find_gaps(c), ledger.find_gaps(c)
            is_due = bool(work.list_work(c, work.ERASE_PICTURES))
        if is_due:  # somebody read at that moment
            erasing.finish_erasing(self.ws)
        bytes_of = {p: p.read_bytes() for p in self.root.rglob("*") if p.is_file()}
        for one in self.dossiers:
            if one.is_closed and not one.parts and not one.filed:
                word = one.word.encode()
                left = [str(p.relative_to(self.root)) for p, data in bytes_of.items() if word in data.lower()]
                assert not left, (one.word, left)
        for document in self.holds:
            found = self.ws.repository.load(document)
            assert all(self.ws.place.files.check(p.file_sha) == "" for p in found.pages), "a page of a document is gone"
            assert all(PageText.from_bytes(p.text).words for p in found.pages)
        for one in (d for d in self.dossiers if not d.is_closed):
            assert all(
                p.is_read and self.ws.place.files.check(p.file_sha) == "" for p in self.ws.batches.load(one.batch).pages
            )

    def teardown(self) -> None:
        found = verify(self.me)
        assert found.bad == () and found.trail == "whole", found
        self.line.close()
        self.ws.close()
        self.patched.stop()


class EraseAfterAnyCourse(DataTest):
    def test_no_byte_of_it_is_left_and_nothing_else_is_gone(self) -> None:
        Course.folder = self.folder
        with_setup = open_workspace(self.folder / "made")
        with_setup.put_setup(Setup.model_validate(SETUP), "")
        with_setup.close()
        run_state_machine_as_test(
            Course,
            settings=settings(
                max_examples=EXAMPLES, stateful_step_count=25, deadline=None, database=None, phases=PHASES
            ),
        )
