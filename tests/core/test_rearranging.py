"""Pages of filed documents turned, moved, left out and split off: versions, words in their places, and PDFs made behind."""

from __future__ import annotations

import shutil
import threading
from collections import Counter
from pathlib import Path
from typing import Any

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from keybundle.core.base.errors import InputProblem, Passing
from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.pages import decode_page
from keybundle.core.imaging.render import straighten
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.keep.documents import correcting, rearranging
from keybundle.core.workflows.keep.documents.correcting import Corrected
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.send.behind import work_behind
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.core.test_pdfa import bbox_words
from tests.core.test_versions import ADMIN, index_anew, index_words
from tests.standin import StandIn
from tests.support import DataTest, acting, demo_template, filed_ids, sampled, shared_pool


def longest(ws: Workspace) -> FiledDocument:
    return max((ws.repository.load(i) for i in filed_ids(ws)), key=lambda d: len(d.pages))


def pages_of(document: FiledDocument) -> list[str]:
    return [p.page_id for p in document.pages]


class Rearranging(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.me = acting(self.ws, ADMIN)
        self.id = longest(self.ws).id
        self.pages = pages_of(self.now())
        self.assertGreater(len(self.pages), 1)

    def now(self) -> FiledDocument:
        return self.ws.repository.load(self.id)

    def test_words_turn_with_their_page_and_so_does_the_pdf(self) -> None:
        first = self.now().pages[0]
        rearranging.turn_pages(self.me, self.id, self.pages[:1], 90, self.now().revision)
        page = self.now().pages[0]
        self.assertEqual(page.frame.rotation, (first.frame.rotation + 90) % 360)
        # Where the words stand there is ink in the turned picture.
        picture = decode_page(self.ws.place.files.path(page.picture[0]), page.picture[1], kind=page.picture[2])
        upright = straighten(picture, page.frame, grey=True)
        words = PageText.from_bytes(page.text).words
        inked = sum(bool((upright[w.box[1] : w.box[3], w.box[0] : w.box[2]] < 128).any()) for w in words)
        self.assertGreater(len(words), 10)
        self.assertGreaterEqual(inked / len(words), 0.95)
        self.assertEqual((self.now().pdf_sha, verify(self.me).due), ("", 1))
        # Source: poppler's pdftotext reads the same words of the page that stands on its head.
        done = rearranging.turn_pages(self.me, self.id, self.pages[:1], 90, self.now().revision)
        self.assertEqual(renditions.make_due(self.ws, shared_pool()).made, 1, "not that of the version between")
        (found, *_) = bbox_words(self.ws.place.files.path(self.now().pdf_sha))
        different = Counter(w for w, _ in found) - Counter(w.text for w in words)
        self.assertEqual(dict(different), {})
        self.assertEqual((verify(self.me).due, verify(self.me).is_whole), (0, True))
        correcting.take_back_correction(self.me, done)
        self.assertEqual(self.now().pages[0].frame, page.frame)
        self.assertEqual(index_words(self.ws), index_anew(self.ws))

    def test_a_change_on_an_older_revision_is_refused_and_none_may_empty_it(self) -> None:
        base = self.now().revision
        rearranging.move_pages(self.me, self.id, self.pages[-1:], self.pages[0], base)
        self.assertEqual(pages_of(self.now()), [self.pages[-1], *self.pages[:-1]])
        with self.assertRaisesRegex(InputProblem, "changed by Oswinna Reedmace meanwhile"):
            rearranging.leave_out(self.me, self.id, self.pages[:1], base)
        with self.assertRaisesRegex(InputProblem, "would have no page left"):
            rearranging.leave_out(self.me, self.id, self.pages, None)
        with self.assertRaisesRegex(InputProblem, "no longer has one of these pages"):
            rearranging.turn_pages(self.me, self.id, ["another"], 90, None)
        self.assertEqual(self.now().version, 2)
        self.assertEqual(load_story(self.me, self.id)[-1].what, "revised")

    def test_split_off_pages_are_a_document_and_can_be_given_back(self) -> None:
        before = len(filed_ids(self.ws))
        split = rearranging.split_off(self.me, self.id, self.pages[1:], None)
        new = self.ws.repository.load(split.document)
        self.assertEqual((pages_of(self.now()), pages_of(new)), (self.pages[:1], self.pages[1:]))
        self.assertEqual((new.folder, new.type, new.caption), (self.now().folder, self.now().type, self.now().caption))
        self.assertEqual(len(filed_ids(self.ws)), before + 1)
        self.assertEqual(renditions.make_due(self.ws, shared_pool()).made, 2)
        word = max(PageText.from_bytes(new.pages[0].text).words, key=lambda w: len(w.text)).text
        self.assertIn(split.document, [h.id for h in find(self.me, word).hits])
        self.assertEqual(rearranging.take_back_split(self.me, split), 1)
        self.assertEqual((pages_of(self.now()), len(filed_ids(self.ws))), (self.pages, before))
        self.assertEqual(index_words(self.ws), index_anew(self.ws))

    def test_pages_of_another_document_and_another_type(self) -> None:
        other = next(d for i in filed_ids(self.ws) if (d := self.ws.repository.load(i)).id != self.id)
        rearranging.put_in(self.me, self.id, other.id, pages_of(other), self.pages[0], None)
        self.assertEqual(pages_of(self.now()), [*pages_of(other), *self.pages])
        self.assertEqual(pages_of(self.ws.repository.load(other.id)), pages_of(other), "it keeps them")
        kinds = [k for k in self.ws.setup.document_types if k.cabinet != self.now().cabinet]
        with self.assertRaisesRegex(InputProblem, "lies in another cabinet"):
            rearranging.change_type(self.me, self.id, kinds[0].id, None)


class Renditions(DataTest):
    """PDFs made behind: what happens while one is made, and where something is in the way."""

    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.me = acting(self.ws, ADMIN)
        self.document = longest(self.ws)
        self.pages = pages_of(self.document)

    def leave_out(self, number: int) -> None:
        rearranging.leave_out(self.me, self.document.id, [self.pages[number]], None)

    def test_a_pdf_of_what_has_changed_meanwhile_does_not_count(self) -> None:
        pool = StandIn(hold={"make_pdf"})
        rearranging.turn_pages(self.me, self.document.id, self.pages[:1], 90, None)
        making = threading.Thread(target=renditions.make_due, args=(self.ws, pool))
        making.start()
        while not pool.held:
            threading.Event().wait(0.01)
        self.leave_out(0)
        pool.let_go()
        making.join(20)
        now = self.ws.repository.load(self.document.id)
        self.assertEqual((now.version, now.pdf_sha), (3, ""), "the PDF of version 2 is not that of version 3")
        self.assertEqual(renditions.make_due(self.ws, shared_pool()).made, 1)
        with_words = bbox_words(self.ws.place.files.path(self.ws.repository.load(self.document.id).pdf_sha))
        self.assertEqual(len(with_words), len(self.pages) - 1)

    def test_what_is_in_the_way_is_told_and_tried_again(self) -> None:
        def full(what: str, args: tuple[Any, ...]) -> Any:
            raise Passing("There is no space left.")

        self.leave_out(0)
        pool = StandIn(full)
        behind = work_behind(self.ws, pool, look_seconds=0.05)  # type: ignore[arg-type]
        self.addCleanup(behind.close)
        end = threading.Event()
        while "no space left" not in behind.problem and not end.wait(0.02):
            pass
        self.assertEqual(renditions.count_due(self.ws), 1)
        asked = len(pool.asked)
        end.wait(0.3)
        self.assertEqual(len(pool.asked), asked, "not again before its time")
        pool.answer = lambda what, args: (
            shared_pool().submit(f"keybundle.core.workflows.pages.pdf_work:{what}", *args).result()
        )
        behind.retry()
        while behind.problem and not end.wait(0.02):
            pass
        self.assertEqual(renditions.count_due(self.ws), 0)
        self.assertTrue(verify(self.me).is_whole)

    def test_what_lies_in_the_trash_waits_there(self) -> None:
        self.leave_out(0)
        deleting.delete_documents(self.me, [self.document.id], "a mistake")
        self.assertEqual((renditions.make_due(self.ws, shared_pool()).made, renditions.count_due(self.ws)), (0, 0))
        deleting.restore_documents(self.me, [self.document.id])
        self.assertEqual(renditions.make_due(self.ws, shared_pool()).made, 1)


class Course(RuleBasedStateMachine):
    """Page commands on two documents and their undoing, in any order, beside a model of which pages each has."""

    folder: Path

    def __init__(self) -> None:
        super().__init__()
        self.data = Course.folder / f"run-{len(list(Course.folder.iterdir()))}"
        shutil.copytree(demo_template(), self.data)
        self.ws = open_workspace(self.data)
        self.me = acting(self.ws, ADMIN)
        found = sorted((self.ws.repository.load(i) for i in filed_ids(self.ws)), key=lambda d: -len(d.pages))[:2]
        self.model = {d.id: [(p.page_id, p.frame.rotation) for p in d.pages] for d in found}
        self.versions = dict.fromkeys(self.model, 1)
        self.done: list[tuple[str, Corrected, list[tuple[str, int]]]] = []

    def run(self, n: int, work: Any, expected: list[tuple[str, int]]) -> None:
        document = sorted(self.model)[n % 2]
        before = self.model[document]
        if not expected:
            try:
                work(document)
            except InputProblem:
                return
            raise AssertionError("a document was emptied")
        corrected = work(document)
        if expected != before:
            self.model[document] = expected
            self.versions[document] += 1
            self.done.append((document, corrected, before))

    def of(self, n: int) -> list[tuple[str, int]]:
        return self.model[sorted(self.model)[n % 2]]

    @rule(n=st.integers(0, 9), m=st.integers(0, 9), degrees=st.sampled_from([90, 180, 270]))
    def turn(self, n: int, m: int, degrees: int) -> None:
        own = self.of(n)
        page = own[m % len(own)][0]
        expected = [(p, (r + degrees) % 360 if p == page else r) for p, r in own]
        self.run(n, lambda d: rearranging.turn_pages(self.me, d, [page], degrees, None), expected)

    @rule(n=st.integers(0, 9), m=st.integers(0, 9), k=st.integers(0, 9))
    def move(self, n: int, m: int, k: int) -> None:
        own = self.of(n)
        moved, target = own[m % len(own)], own[k % len(own)]
        rest = [p for p in own if p != moved]
        at = rest.index(target) if target != moved else len(rest)
        expected = [*rest[:at], moved, *rest[at:]]
        self.run(n, lambda d: rearranging.move_pages(self.me, d, [moved[0]], target[0], None), expected)

    @rule(n=st.integers(0, 9), m=st.integers(0, 9))
    def leave_out(self, n: int, m: int) -> None:
        own = self.of(n)
        page = own[m % len(own)]
        self.run(n, lambda d: rearranging.leave_out(self.me, d, [page[0]], None), [p for p in own if p != page])

    @precondition(lambda self: self.done)
    @rule()
    def undo(self) -> None:
        document, corrected, before = self.done.pop()
        if correcting.take_back_correction(self.me, corrected):
            self.model[document] = before
            self.versions[document] += 1

    @rule()
    def render(self) -> None:
        renditions.make_due(self.ws, StandIn(), at_once=True)  # type: ignore[arg-type]

    @invariant()
    def each_has_the_pages_of_the_model(self) -> None:
        for document, expected in self.model.items():
            now = self.ws.repository.load(document)
            assert [(p.page_id, p.frame.rotation) for p in now.pages] == expected
            assert now.version == self.versions[document]
            assert all(PageText.from_bytes(p.text).frame == p.frame for p in now.pages)
            assert all(p.kind is PageKind.PICTURE for p in now.pages)

    def teardown(self) -> None:
        assert index_words(self.ws) == index_anew(self.ws)
        assert verify(self.me).is_whole
        self.ws.close()
        shutil.rmtree(self.data)


class AnyOrder(DataTest):
    def test_any_course_of_page_commands(self) -> None:
        Course.folder = self.folder / "runs"
        Course.folder.mkdir()
        from hypothesis.stateful import run_state_machine_as_test

        run_state_machine_as_test(
            Course, settings=settings(max_examples=sampled(12, 4), stateful_step_count=14, deadline=None)
        )
