"""The course of things: what happens to pages while something else is under way, through the line and the store."""

from __future__ import annotations

import threading
import time
from dataclasses import asdict, replace
from typing import Any
from unittest import mock

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.batches.model import Batch, State, balance
from keybundle.core.fields.values import FieldValue
from keybundle.core.formats.opened import Opened
from keybundle.core.intake.halts import Halted
from keybundle.core.reading.text import PageText
from keybundle.core.setup.model import Setup
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.arrange.bench import page_command, run_command
from keybundle.core.workflows.arrange.separating import separate_batch_again
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import page_texts, slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import find_routine, import_files, scan_stack
from keybundle.demo import seed
from tests.standin import FACTS, ONE_SIDED, Device, StandIn, answer
from tests.support import DataTest, acting

LETTER = {"Sender": "Tamsin Reedmace", "Letter date": "2026-03-04", "Subject": "A leaking gate"}


class Course(DataTest):
    """A repository with the demo's set-up, a line, and workers that answer when the test says so."""

    def setUp(self) -> None:
        super().setUp()
        self.ws: Workspace = open_workspace(self.folder / "data")
        self.addCleanup(lambda: self.ws.close())
        seed.begin(self.ws)
        self.who = self.ws.person(None).id
        self.routine: Routine = find_routine(acting(self.ws), "Post")
        # What a test holds back is not waited for at the end of a scan.
        patched = mock.patch("keybundle.core.workflows.take_in.capture.LAST_LOOK_SECONDS", 0.0)
        patched.start()
        self.addCleanup(patched.stop)
        self.pool = StandIn()
        self.line = Line(self.ws, self.pool)  # type: ignore[arg-type]
        self.addCleanup(lambda: self.line.close())

    def settle_down(self) -> None:
        """Wait until the line has done all that it can do now: only what is held back is still under way."""
        end = time.monotonic() + 20
        while self.line.busy != sum(h.what != "make_pdf" and not h.future.cancelled() for h in self.pool.held):
            self.assertLess(time.monotonic(), end, "the line does not come to rest")
            time.sleep(0.005)

    def scan(self, sheets: int, into: str | None = None, *, two_sided: bool = False, tag: str = "") -> str:
        options = replace(ONE_SIDED, duplex=two_sided)
        device = Device(sheets, two_sided=two_sided, tag=tag or f"{into}")
        found = scan_stack(acting(self.ws, self.who), self.line, self.routine, device, options=options, into=into)
        self.settle_down()
        return str(found.batch)

    def load(self, batch_id: str) -> Batch:
        return self.ws.batches.load(batch_id)

    def act(self, batch_id: str, action: str, *numbers: int) -> None:
        pages = [self.load(batch_id).pages[n].id for n in numbers]
        label, command = page_command(action, pages, self.ws.clock.new_id)
        run_command(acting(self.ws, self.who), self.line, batch_id, label, command)
        self.settle_down()

    def make_letters(self, batch_id: str) -> None:
        """Let every document be a letter with all its values, given by hand."""
        for document in self.load(batch_id).in_order():
            if not document.filed_id:
                slip.choose_type(acting(self.ws, self.who), self.line, batch_id, document.id, "Letter")
                for name, text in LETTER.items():
                    slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, name, text)
        self.settle_down()
        for document in self.load(batch_id).in_order():
            self.assertIn(document.state, (State.READY, State.FILED))

    def file(self, batch_id: str) -> Any:
        return file_documents(acting(self.ws, self.who), self.pool, batch_id)  # type: ignore[arg-type]

    def held_pages(self, filed_id: str | None) -> list[str]:
        return [p.page_id for p in self.ws.repository.load(str(filed_id)).pages]


class Conservation(Course):
    def test_a_page_that_comes_late_joins_no_filed_document(self) -> None:
        batch_id = self.scan(2)
        self.make_letters(batch_id)
        self.assertEqual(len(self.file(batch_id).entries), 1)
        self.scan(1, batch_id)
        batch = self.load(batch_id)
        first, second = batch.in_order()
        self.assertEqual(len(batch.pages_of(first.id)), 2)
        self.assertEqual([p.id for p in batch.pages_of(first.id)], self.held_pages(first.filed_id))
        counted = balance(batch)
        self.assertEqual((counted.filed, counted.waiting), (2, 1))
        with self.assertRaisesRegex(InputProblem, "cannot be closed"):
            self.ws.batches.close(batch_id)
        self.assertIsNot(second.state, State.FILED)

    def test_a_page_that_comes_late_joins_no_document_that_is_set_aside(self) -> None:
        batch_id = self.scan(1)
        document = self.load(batch_id).in_order()[0]
        slip.set_aside(acting(self.ws, self.who), self.line, batch_id, document.id, "torn")
        self.scan(1, batch_id)
        self.assertEqual([len(self.load(batch_id).pages_of(d.id)) for d in self.load(batch_id).in_order()], [1, 1])

    def test_a_batch_is_not_closed_over_sides_without_a_place(self) -> None:
        self.pool.hold = {"examine"}
        batch_id = self.scan(3)
        with self.assertRaisesRegex(InputProblem, "3 sides"):
            self.ws.batches.close(batch_id)
        self.assertIn(batch_id, self.ws.batches.ids())

    def test_a_batch_is_not_closed_while_it_is_captured(self) -> None:
        batch_id = self.scan(1)
        self.make_letters(batch_id)
        self.file(batch_id)
        self.ws.batches.reopen_capture(batch_id)
        with self.assertRaisesRegex(InputProblem, "under way"):
            self.ws.batches.close(batch_id)


class OnePageFails(Course):
    def failing(self, *whats: str) -> None:
        """Let the second page's work end in an error that nobody foresaw."""

        def bad(what: str, args: tuple[Any, ...]) -> Any:
            count = sum(w == what for w, _ in self.pool.asked)
            if what in whats and count == 2:
                raise RuntimeError("in a worker: IndexError")
            return answer(what, args)

        self.pool.answer = bad

    def test_the_others_are_placed_and_read_and_a_new_start_goes_on(self) -> None:
        for what in ("examine", "read"):
            with self.subTest(what), self.assertLogs(level="ERROR"):
                self.pool.asked.clear()
                self.failing(what)
                batch_id = self.scan(3, tag=what)
                batch = self.load(batch_id)
                self.assertEqual([p.disposition is not None for p in batch.pages], [True] * 3)
                self.assertTrue(all(p.is_read for p in batch.pages if p.kept))
                self.assertTrue(batch.pages[1].trouble)
                self.assertNotIn(State.READING, {d.state for d in batch.documents.values()})
                asked = len(self.pool.asked)
                self.line.resume()
                self.settle_down()
                self.assertEqual(len(self.pool.asked), asked, "what failed is not tried for ever")

    def test_a_damaged_page_that_was_taken_back_stops_no_other_document(self) -> None:
        def bad(what: str, args: tuple[Any, ...]) -> Any:
            if what == "examine" and sum(w == what for w, _ in self.pool.asked) == 1:
                raise InputProblem("“0001-front.tif” is damaged.")
            return answer(what, args)

        self.pool.answer = bad
        self.routine = find_routine(acting(self.ws), "Inspections")
        batch_id = self.scan(3)
        self.act(batch_id, "take back", 0)
        self.act(batch_id, "break", 1)
        self.assertTrue(self.load(batch_id).pages[0].kept)
        self.make_letters_but_first(batch_id)
        filed = self.file(batch_id)
        self.assertEqual(len(filed.entries), 2)
        self.assertIn("damaged", filed.left[0][1])
        page = self.load(batch_id).pages[0]
        with self.assertRaisesRegex(InputProblem, "damaged"):
            page_texts.type_words(acting(self.ws, self.who), self.line, batch_id, page.id, "what it said")

    def make_letters_but_first(self, batch_id: str) -> None:
        for document in self.load(batch_id).in_order():
            slip.choose_type(acting(self.ws, self.who), self.line, batch_id, document.id, "Letter")
            for name, text in LETTER.items():
                slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, name, text)
        self.settle_down()
        states = [d.state for d in self.load(batch_id).in_order()]
        self.assertEqual(states[1:], [State.READY, State.READY])

    def test_a_store_that_cannot_be_written_for_a_moment(self) -> None:
        place, fails = self.ws.batches.place, iter([True])

        def once(*args: Any, **more: Any) -> Any:
            if next(fails, False):
                raise self.passing()
            return place(*args, **more)

        with mock.patch.object(self.ws.batches, "place", once):
            batch_id = self.scan(3)
            for _ in range(100):
                if self.load(batch_id).documents:
                    break
                threading.Event().wait(0.1)
            self.settle_down()
        batch = self.load(batch_id)
        self.assertEqual([p.disposition for p in batch.pages], ["kept"] * 3)
        self.assertEqual([p.captured for p in batch.pages], [0, 1, 2])
        self.assertEqual(self.line.problem, "", "what is over is no longer told")

    def test_no_worker_for_a_moment(self) -> None:
        fails = iter([True])

        def scarce(what: str, args: tuple[Any, ...]) -> Any:
            if what == "read" and next(fails, False):
                raise self.passing()
            return answer(what, args)

        self.pool.answer = scarce
        batch_id = self.scan(2)
        self.line.retry()
        self.settle_down()
        self.assertTrue(all(p.is_read and not p.trouble for p in self.load(batch_id).pages))
        self.assertEqual(self.line.problem, "")

    def passing(self) -> Exception:
        from keybundle.core.base import errors

        return getattr(errors, "Passing", EnvironmentProblem)("There is no space left on the disk.")


class Hands(Course):
    """What a person decides holds, whatever the machine is at."""

    def test_a_language_that_is_changed_in_the_set_up_counts_for_what_comes_after(self) -> None:
        batch_id = self.scan(1)
        changed = self.routine.model_copy(update={"language": "deu", "force_ocr": True})

        def change(setup: Setup) -> Setup:
            return setup.model_copy(
                update={"routines": tuple(changed if r.id == changed.id else r for r in setup.routines)}
            )

        self.ws.change_setup(self.who, change)
        self.scan(1, into=batch_id)
        asked = [(args[0].language, args[0].force_ocr) for what, args in self.pool.asked if what == "read"]
        self.assertEqual(asked, [("eng", False), ("deu", True)])

    def test_left_out_while_it_is_looked_at(self) -> None:
        self.pool.hold = {"examine"}
        batch_id = self.scan(2)
        self.act(batch_id, "leave out", 0)
        self.pool.let_go()
        self.settle_down()
        pages = self.load(batch_id).pages
        self.assertEqual([p.disposition for p in pages], ["left out", "kept"])
        self.assertEqual((pages[0].reason, pages[0].hand_kept), ("by hand", False))

    def test_turned_while_it_is_looked_at_or_read(self) -> None:
        for what in ("examine", "read"):
            with self.subTest(what):
                self.pool.hold = {what}
                batch_id = self.scan(1, tag=what)
                self.act(batch_id, "turn right", 0)
                self.pool.hold = set()
                self.pool.let_go(*reversed(range(len(self.pool.held))))
                self.settle_down()
                (page,) = self.load(batch_id).pages
                self.assertEqual((page.turn, page.text_rotation, page.is_read), (90, 90, True))
                self.assertEqual(PageText.from_bytes(self.ws.batches.texts([page.id])[page.id]).frame.rotation, 90)
                self.assertIs(self.load(batch_id).in_order()[0].state, State.TO_CHECK)

    def test_words_typed_while_it_is_read(self) -> None:
        self.pool.hold = {"read"}
        batch_id = self.scan(1)
        (page,) = self.load(batch_id).pages
        page_texts.type_words(acting(self.ws, self.who), self.line, batch_id, page.id, "words of a person")
        self.pool.let_go()
        self.settle_down()
        text = PageText.from_bytes(self.ws.batches.texts([page.id])[page.id])
        self.assertEqual(text.plain.split(), ["words", "of", "a", "person"])
        self.assertEqual([h.batch for h in find(acting(self.ws), '"words of a person"').hits], [batch_id])

    def test_an_emptied_value_stays_empty_when_the_next_page_is_read(self) -> None:
        words = "From Tamsin Reedmace\nDate 4 March 2026\nSubject A leaking gate\nYours sincerely"
        self.pool.answer = lambda what, args: answer(what, args, words)
        self.pool.hold = {"read"}
        batch_id = self.scan(2)
        self.pool.let_go(0)
        self.settle_down()
        document = self.load(batch_id).in_order()[0]
        self.assertTrue(document.values["Subject"].items)
        slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, "Subject", "")
        self.pool.let_go()
        self.settle_down()
        now = self.load(batch_id).in_order()[0]
        self.assertFalse(now.values.get("Subject", FieldValue()).items)
        self.assertTrue(now.values["Sender"].items)

    def test_a_break_made_while_the_feeder_runs_is_undone(self) -> None:
        batch_id = self.scan(3)
        self.act(batch_id, "break", 2)
        self.scan(1, batch_id)
        self.assertEqual(len(self.load(batch_id).documents), 2)
        self.ws.batches.undo(batch_id)
        batch = self.load(batch_id)
        (document,) = batch.in_order()
        self.assertEqual(len(batch.pages_of(document.id)), 4)
        self.ws.batches.redo(batch_id)
        runs = [len(self.load(batch_id).pages_of(d.id)) for d in self.load(batch_id).in_order()]
        self.assertEqual(runs, [2, 2])

    def test_pages_moved_to_another_batch_come_back_after_a_scan(self) -> None:
        first, second = self.scan(3), self.scan(1, tag="second")
        moved, beside = self.load(first).pages[2].id, self.load(second).pages[0].id
        self.ws.batches.transfer(first, [moved], second, beside, self.who, after=True)
        self.scan(1, first, tag="more")
        self.ws.batches.undo(first)
        pages = self.load(first).pages
        self.assertEqual([p.id for p in pages][2], moved)
        self.assertEqual((len(pages), len(self.load(second).pages)), (4, 1))
        self.assertEqual(len({p.captured for p in pages}), 4)

    def test_what_was_carried_over_is_there_in_the_normal_course(self) -> None:
        setup = self.ws.setup
        letter = setup.document_type("Letter")
        assert letter is not None
        fields = tuple(f.model_copy(update={"carry": f.name == "Sender"}) for f in letter.fields)
        kinds = tuple(
            k.model_copy(update={"fields": fields}) if k.name == "Letter" else k for k in setup.document_types
        )
        single = find_routine(acting(self.ws), "Inspections").model_copy(update={"document_type": ""})
        routines = tuple(single if r.name == single.name else r for r in setup.routines)
        changed = setup.model_copy(update={"document_types": kinds, "routines": routines})
        self.ws.put_setup(changed, self.who)
        said = iter(("From Tamsin Reedmace\nSubject A gate\nYours sincerely", "Subject Another gate\nYours sincerely"))
        texts = {i: next(said) for i in range(2)}

        def two(what: str, args: tuple[Any, ...]) -> Any:
            return answer(what, args, texts[sum(w == "read" for w, _ in self.pool.asked) - 1] if what == "read" else "")

        self.pool.answer = two
        self.routine = single
        batch_id = self.scan(2)
        senders = [d.values.get("Sender", FieldValue()) for d in self.load(batch_id).in_order()]
        self.assertEqual([v.text for v in senders], ["Tamsin Reedmace"] * 2)
        self.assertEqual((senders[1].origin.value, senders[1].sure), ("carried over", False))

    def test_why_a_value_was_refused_is_told(self) -> None:
        batch_id = self.scan(1)
        document = self.load(batch_id).in_order()[0]
        slip.choose_type(acting(self.ws, self.who), self.line, batch_id, document.id, "Letter")
        self.settle_down()
        slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, "Letter date", "30 Feb 2026")
        self.settle_down()
        value = self.load(batch_id).document(document.id).values["Letter date"]
        self.assertFalse(value.sure)
        self.assertIn("is not a date", value.problem)


class Filing(Course):
    def test_what_is_done_to_a_document_while_it_is_filed(self) -> None:
        """Either it is refused, or it is what gets filed: never is one thing filed and another shown."""
        batch_id = self.scan(3)
        self.make_letters(batch_id)
        document = self.load(batch_id).in_order()[0]
        claimed, goes_on = threading.Event(), threading.Event()

        def bring_slowly(*args: object) -> None:
            claimed.set()
            goes_on.wait(20)

        slow = mock.patch("keybundle.core.workflows.file.filing.bring_files", bring_slowly)
        slow.start()
        self.addCleanup(mock.patch.stopall)
        filing = threading.Thread(target=self.file, args=(batch_id,))
        filing.start()
        self.assertTrue(claimed.wait(20))
        doings = (
            lambda: self.act(batch_id, "leave out", 2),
            lambda: self.act(batch_id, "break", 1),
            lambda: slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, "Subject", "Another"),
        )
        refused = 0
        for doing in doings:
            try:
                doing()
            except InputProblem as error:
                self.assertIn("filed", str(error))
                refused += 1
        goes_on.set()
        filing.join(20)
        slow.stop()
        batch = self.load(batch_id)
        for filed in (d for d in batch.documents.values() if d.filed_id):
            self.assertEqual([p.id for p in batch.pages_of(filed.id)], self.held_pages(filed.filed_id))
            kept = self.ws.repository.load(str(filed.filed_id))
            self.assertEqual(kept.values["Subject"].text, filed.values["Subject"].text)
        self.assertTrue(balance(batch).is_even)
        self.assertEqual(refused, 3)
        self.act_after(batch_id)

    def act_after(self, batch_id: str) -> None:
        """What could not be filed is free again."""
        self.assertEqual(self.file(batch_id).left, [])

    def test_what_is_learned_has_its_pages_in_order(self) -> None:
        batch_id = self.scan(6)
        self.make_letters(batch_id)
        pages = [p.id for p in self.load(batch_id).pages]
        taught: list[list[str]] = []
        with mock.patch("keybundle.core.proposing.examples.remember") as remember:
            self.file(batch_id)
            taught = [[page for page, _ in call.args[3]] for call in remember.call_args_list]
        self.assertEqual(taught, [pages])


class WaysIn(Course):
    def test_two_files_of_one_name_are_two_files(self) -> None:
        batch_id = None
        for folder, sender in (("a", "Tamsin Reedmace"), ("b", "Perrin Osier")):
            path = self.folder / folder / "scan.png"
            path.parent.mkdir()
            path.write_bytes(sender.encode())
            found = import_files(
                acting(self.ws, self.who), self.line, self.pool, find_routine(acting(self.ws), "Files"), [path], into=batch_id,
                given={"Sender": sender},
            )  # type: ignore[arg-type] # fmt: skip
            batch_id = found.batch
            self.settle_down()
        batch = self.load(str(batch_id))
        self.assertEqual(len(batch.documents), 2)
        self.assertEqual([batch.given_for(p)["Sender"] for p in batch.pages], ["Tamsin Reedmace", "Perrin Osier"])

    def test_what_lies_in_a_folder_and_is_no_page_is_told(self) -> None:
        for name in ("page.png", "note.docx", "deep/more.eml", "deep/other.png"):
            path = self.folder / "tree" / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(name.encode())
        routine = find_routine(acting(self.ws), "Files")
        found = import_files(acting(self.ws, self.who), self.line, self.pool, routine, [self.folder / "tree"])  # type: ignore[arg-type]
        self.settle_down()
        self.assertEqual(found.sides, 2)
        self.assertEqual(sorted(r.source for r in found.refused), ["deep/more.eml", "note.docx"])

    def test_files_that_hold_fronts_and_backs_are_counted_in_sheets(self) -> None:
        def work(what: str, args: tuple[Any, ...]) -> Any:
            if what == "look_at":
                return Opened("image/tiff", pages=6 if str(args[1]).startswith("six") else 3)
            if what == "examine" and args[0].index % 2:
                return asdict(replace(FACTS, is_blank=args[0].index == 1)), 0.0
            return answer(what, args)

        self.pool.answer = work
        routine = Routine.model_validate({
            "name": "Backs", "sign": "BA", "source": "files", "duplex": True,
            "separation": {"rules": [{"rule": "every n sheets", "sheets": 1}]},
        })  # fmt: skip
        self.ws.put_setup(self.ws.setup.model_copy(update={"routines": (*self.ws.setup.routines, routine)}), self.who)
        for name in ("six.tif", "three.tif"):
            (self.folder / name).write_bytes(name.encode())
        files = [self.folder / "six.tif", self.folder / "three.tif"]
        found = import_files(acting(self.ws, self.who), self.line, self.pool, routine, files)  # type: ignore[arg-type]
        self.settle_down()
        batch = self.load(str(found.batch))
        sides = [(p.sheet, p.side) for p in batch.pages]
        self.assertEqual(sides, [(1, "front"), (1, "back"), (2, "front"), (2, "back"), (3, "front"), (3, "back"),
                                 (4, "front"), (4, "back"), (5, "front")])  # fmt: skip
        self.assertEqual([p.reason for p in batch.pages if not p.kept], ["blank", "blank"], "the backs that are blank")
        self.assertEqual(
            [len(batch.pages_of(d.id)) for d in batch.in_order()], [1, 2, 2, 1, 1], "a document for each sheet"
        )
        more = import_files(
            acting(self.ws, self.who), self.line, self.pool, find_routine(acting(self.ws), "Files"), files[:1]
        )  # type: ignore[arg-type]
        self.settle_down()
        self.assertEqual(
            {p.side for p in self.load(str(more.batch)).pages}, {"front"}, "other routines hold single sides"
        )

    def test_separating_again_keeps_whole_readings(self) -> None:
        self.routine = find_routine(acting(self.ws), "Inspections")
        said = "Ottergate"
        self.pool.answer = lambda what, args: answer(what, args, said)
        self.pool.hold = {"read"}
        batch_id = self.scan(2)
        self.line.stop_reading(batch_id)
        self.settle_down()
        self.pool.hold = set()
        words = {"separation": {"rules": [{"rule": "words", "words": said}]}}
        changed = Routine.model_validate({**self.routine.model_dump(), **words})
        routines = tuple(changed if r.name == changed.name else r for r in self.ws.setup.routines)
        self.ws.put_setup(self.ws.setup.model_copy(update={"routines": routines}), self.who)
        separate_batch_again(acting(self.ws, self.who), self.line, self.pool, batch_id)  # type: ignore[arg-type]
        batch = self.load(batch_id)
        self.assertEqual([p.quality is not None for p in batch.pages], [True, True])
        self.assertEqual({h.batch for h in find(acting(self.ws), said).hits}, {batch_id})

    def test_a_halt_of_the_feeder_leaves_a_trace(self) -> None:
        with mock.patch.object(self.line, "halted", return_value=Halted("size", 1, "The sheet is too long.")):
            batch_id = self.scan(1)
        from sqlalchemy import text

        with self.ws.place.database.read() as c:
            rows = (
                c.execute(
                    text("SELECT d.data FROM audit a JOIN audit_detail d USING (seq) WHERE a.subject = :b"),
                    {"b": batch_id},
                )
                .scalars()
                .all()
            )
        self.assertTrue(any("too long" in row for row in rows))
