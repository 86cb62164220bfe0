"""The line: from captured sides to proposals, turned pages, and the operator's part on the slip."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path
from typing import Any
from unittest import mock

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch, State
from keybundle.core.fields.values import Origin
from keybundle.core.intake.scanner import Options
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.file import throwing_away
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import FIRST_PAGE, OTHER_PAGE, Line
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.pages.cleaned import keep_cleaned
from keybundle.core.workflows.pages.preview_files import CLEANED
from keybundle.core.workflows.take_in.capture import find_routine, import_files, scan_stack
from keybundle.core.workflows.take_in.devices import find_scanners
from keybundle.demo.stack import DocumentPlan
from tests.core.test_course import Course
from tests.standin import FACTS, StandIn, answer
from tests.support import DataTest, acting, shared_pool

WHO = "Elspra Towpath"


class AtWork(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(lambda: self.line.close())

    def bring(self, *plans: DocumentPlan, routine: str = "Files") -> str:
        files: list[Path] = []
        for plan in plans:
            path = self.folder / f"{plan.type_name}-{plan.seed}.png"
            plan.draw(dpi=150)[0].sheet.image.save(path, dpi=(150, 150))
            files.append(path)
        found = import_files(
            acting(self.ws, WHO), self.line, shared_pool(), find_routine(acting(self.ws), routine), files
        )
        self.assertTrue(self.line.wait(90))
        return str(found.batch)

    def load(self, batch_id: str) -> Batch:
        return self.ws.batches.load(batch_id)


class Slip(AtWork):
    def setUp(self) -> None:
        super().setUp()
        self.batch_id = self.bring(DocumentPlan("Mooring agreement", 1, 3))
        self.document = self.load(self.batch_id).in_order()[0].id

    def enter(self, name: str, text: str) -> None:
        slip.enter_value(acting(self.ws, WHO), self.line, self.batch_id, self.document, name, text)

    def value(self, name: str):  # type: ignore[no-untyped-def]
        return self.load(self.batch_id).document(self.document).values[name]

    def test_values_given_by_hand(self) -> None:
        self.enter("Start date", "3 April 2026")
        given = self.value("Start date")
        self.assertEqual(
            (given.text, given.origin, given.sure, given.confirmed_by),
            ("2026-04-03", Origin.TYPED, True, acting(self.ws, WHO).person),
        )
        self.enter("Annual charge", "plenty")
        refused = self.value("Annual charge")
        self.assertEqual((refused.text, refused.sure), ("plenty", False))
        state = self.load(self.batch_id).document(self.document).state
        self.assertIs(state, State.TO_CHECK)
        with self.assertRaisesRegex(InputProblem, "not an amount"):
            slip.confirm_value(acting(self.ws, WHO), self.line, self.batch_id, self.document, "Annual charge")
        self.enter("Annual charge", "")
        self.assertEqual(
            (self.value("Annual charge").items, self.value("Annual charge").confirmed_by),
            ((), acting(self.ws, WHO).person),
        )
        with self.assertRaisesRegex(InputProblem, "nothing to confirm"):
            slip.confirm_value(acting(self.ws, WHO), self.line, self.batch_id, self.document, "Annual charge")
        with self.assertRaisesRegex(InputProblem, "no field"):
            self.enter("Colour of the hull", "red")

    def test_a_chosen_boat_fills_what_depends_on_it(self) -> None:
        self.enter("Boat number", "ln1007")
        boat = self.ws.books()["boats"].find("LN1007")
        assert boat is not None
        self.assertEqual(self.value("Boat number").text, "LN1007")
        for name in ("Keeper", "Home mooring"):
            self.assertEqual((self.value(name).text, self.value(name).origin), (boat[name], Origin.REGISTER))
        data = bench.load_bench(acting(self.ws, WHO), self.batch_id)
        self.assertEqual(data.facts[self.document].path, ("Boats", boat["Home mooring"], "LN1007"))
        self.assertEqual(data.undo, "set Boat number")
        told = slip.complete(acting(self.ws), "Mooring agreement", "Boat number", "LN100")
        self.assertEqual([c.value for c in told], ["LN1000", "LN1007"])
        self.assertEqual([c.value for c in slip.complete(acting(self.ws), "Inspection sheet", "Grade", "b")], ["B"])
        self.assertEqual(len(slip.complete(acting(self.ws), "Inspection sheet", "Follow-up", "")), 2)

    def test_another_type_is_proposed_anew_and_undo_brings_the_old_one(self) -> None:
        before = dict(self.load(self.batch_id).document(self.document).values)
        slip.choose_type(acting(self.ws, WHO), self.line, self.batch_id, self.document, "Letter")
        self.assertTrue(self.line.wait(30))
        changed = self.load(self.batch_id).document(self.document)
        self.assertEqual((changed.type, changed.type_origin), ("Letter", "typed"))
        self.assertNotIn("Annual charge", changed.values)
        bench.undo(acting(self.ws, WHO), self.line, self.batch_id)
        self.assertTrue(self.line.wait(30))
        after = self.load(self.batch_id).document(self.document)
        self.assertEqual(after.type, "Mooring agreement")
        self.assertEqual({k: v.items for k, v in after.values.items()}, {k: v.items for k, v in before.items()})
        with self.assertRaisesRegex(InputProblem, "no document type"):
            slip.choose_type(acting(self.ws, WHO), self.line, self.batch_id, self.document, "Poem")

    def test_set_aside_and_back(self) -> None:
        with self.assertRaisesRegex(InputProblem, "Say why"):
            slip.set_aside(acting(self.ws, WHO), self.line, self.batch_id, self.document, " ")
        slip.set_aside(acting(self.ws, WHO), self.line, self.batch_id, self.document, "torn")
        self.assertIs(self.load(self.batch_id).document(self.document).state, State.SET_ASIDE)
        self.assertIn("torn", bench.load_bench(acting(self.ws), self.batch_id).facts[self.document].why_not)
        (row,) = worklist.list_work(acting(self.ws), owner=acting(self.ws, WHO).person)
        self.assertEqual(row.count(State.SET_ASIDE), 1)
        slip.bring_back(acting(self.ws, WHO), self.line, self.batch_id, self.document)
        self.assertIsNot(self.load(self.batch_id).document(self.document).state, State.SET_ASIDE)


class Pages(AtWork):
    def test_a_turned_page_is_read_anew(self) -> None:
        batch_id = self.bring(DocumentPlan("Delivery note", 1, 5))
        page = self.load(batch_id).pages[0]
        good = PageText.from_bytes(self.ws.batches.texts([page.id])[page.id])
        label, command = bench.page_command("turn right", [page.id], str)
        bench.run_command(acting(self.ws, WHO), self.line, batch_id, label, command)
        self.assertTrue(self.line.wait(60))
        turned = PageText.from_bytes(self.ws.batches.texts([page.id])[page.id])
        self.assertEqual(turned.frame.rotation, 90)
        self.assertNotEqual(turned.words[0].box, good.words[0].box)
        bench.undo(acting(self.ws, WHO), self.line, batch_id)
        self.assertTrue(self.line.wait(60))
        self.assertEqual(PageText.from_bytes(self.ws.batches.texts([page.id])[page.id]).plain, good.plain)

    def test_work_not_yet_filed_is_found_and_says_where(self) -> None:
        batch_id = self.bring(DocumentPlan("Delivery note", 1, 6), DocumentPlan("Bill", 1, 7))
        number = DocumentPlan("Delivery note", 1, 6).record().one("Order number")
        (hit,) = find(acting(self.ws), f'"{number}"').hits
        self.assertEqual((hit.is_filed, hit.batch, hit.type), (False, batch_id, "Delivery note"))
        documents = self.load(batch_id).in_order()
        self.assertEqual([d.break_reason for d in documents], ["first page", "new source file"])
        page = self.load(batch_id).pages_of(documents[1].id)[0]
        after = self.ws.batches.apply(batch_id, WHO, "join", lambda b: commands.join_up(b, page.id))
        self.assertEqual(len(after.documents), 1)

    def test_fixed_sheets_one_sided(self) -> None:
        routine = find_routine(acting(self.ws), "Inspections")
        options = Options(duplex=False, sides_per_minute=0)
        found = scan_stack(acting(self.ws, WHO), self.line, routine, find_scanners(self.ws)[0], options=options)
        self.assertTrue(self.line.wait(90))
        batch = self.load(str(found.batch))
        self.assertEqual(found.sides, 8)
        self.assertTrue(all(p.side == "front" for p in batch.pages))
        kept = [p for p in batch.pages if p.kept]
        self.assertEqual(len(batch.documents), len(kept), "one sheet each, separators are pages like others here")
        self.assertEqual({d.type for d in batch.documents.values()}, {"Inspection sheet"})


class Order(Course):
    def separate(self, *sides: str) -> None:
        """Let the workers find separator sheets on these sides."""

        def found(what: str, args: tuple[Any, ...]) -> Any:
            is_separator = what == "examine" and args[0].name.split(".")[0] in sides
            return (asdict(replace(FACTS, separator=True)), 0.01) if is_separator else answer(what, args)

        self.pool.answer = found

    def test_first_pages_are_read_before_others_and_the_one_on_screen_before_all(self) -> None:
        asked: list[tuple[str, int]] = []
        submit = self.pool.submit

        def watch(name: str, *args: Any, priority: int = 5, **more: Any) -> Any:
            if name.endswith(":read"):
                asked.append((str(more["key"]), priority))
            return submit(name, *args, **more)

        self.separate("0001-front", "0004-front")
        with mock.patch.object(self.pool, "submit", watch):
            batch = self.load(self.scan(6))
        firsts = {batch.pages_of(d.id)[0].id for d in batch.in_order()}
        self.assertEqual((len(firsts), len(asked)), (2, 4))
        for page, priority in asked:
            self.assertEqual(priority, FIRST_PAGE if page in firsts else OTHER_PAGE)
        self.assertEqual({page for page, _ in asked}, {p.id for p in batch.pages if p.kept})

    def test_reading_stops_keeps_what_was_read_and_goes_on(self) -> None:
        self.separate("0001-front", "0004-front")
        self.pool.hold = {"read"}
        batch_id = self.scan(6)
        self.pool.let_go(1)
        self.settle_down()
        self.line.stop_reading(batch_id)
        self.assertTrue(self.line.wait(20))
        half = self.load(batch_id)
        self.assertEqual(self.line.stopped, {batch_id})
        self.assertEqual(self.line.pages_to_read, 0)
        self.assertTrue(all(p.disposition is not None for p in half.pages), "separation is not held up")
        read = {p.id for p in half.pages if p.kept and p.is_read}
        self.assertEqual((len(read), sum(p.kept for p in half.pages)), (1, 4))
        self.assertIn(State.READING, {d.state for d in half.documents.values()})
        first = half.in_order()[0]
        label, command = bench.page_command("turn right", [half.pages_of(first.id)[0].id], str)
        bench.run_command(acting(self.ws, self.who), self.line, batch_id, label, command)
        self.assertTrue(self.line.wait(10))
        self.assertFalse(self.load(batch_id).pages_of(first.id)[0].is_read, "a stopped batch is not read by a command")
        bench.undo(acting(self.ws, self.who), self.line, batch_id)
        self.pool.hold, before = set(), len(self.pool.asked)
        for _ in range(3):
            bench.toggle_reading(acting(self.ws, self.who), self.line, batch_id)
            self.assertTrue(self.line.wait(20))
        whole = self.load(batch_id)
        self.assertTrue(all(p.is_read for p in whole.pages if p.kept))
        again = {args[0].page_id for what, args in self.pool.asked[before:] if what == "read"}
        self.assertEqual(again, {p.id for p in whole.pages if p.kept} - read, "nothing is read twice")

    def test_what_a_reader_leaves_of_a_page_that_was_erased_meanwhile_goes_too(self) -> None:
        def leave(what: str, args: tuple[Any, ...]) -> Any:
            if what == "read":
                keep_cleaned(args[1], args[0], b"cleaned")
            return answer(what, args)

        self.pool.answer, self.pool.hold = leave, {"read"}
        kept, erased = (self.scan(1, tag=tag) for tag in ("kept", "erased"))
        page = self.load(kept).pages[0].id
        me = acting(self.ws, self.who)
        throwing_away.throw_batch_away(me, BatchId(erased))
        throwing_away.erase_thrown(me, [BatchId(erased)])
        self.pool.let_go()
        self.settle_down()
        left = [f.name.partition("-")[0] for f in (self.ws.place.cache / CLEANED).rglob("*") if f.is_file()]
        self.assertEqual(left, [page])

    def test_who_is_at_work_while_open_batches_are_taken_up_waits_for_one_of_them(self) -> None:
        self.pool.hold = {"examine"}
        batches = [self.scan(1, tag=str(n)) for n in range(5)]
        self.line.close()
        pool = StandIn(hold={"examine"})
        line = Line(self.ws, pool, threaded=False)  # type: ignore[arg-type]
        self.addCleanup(line.close)
        line.resume()
        line.revise(batches[-1])
        line.run_waiting()
        asked = [args[0].page_id for what, args in pool.asked if what == "examine"]
        of = {page.id: batch_id for batch_id in batches for page in self.load(batch_id).pages}
        self.assertEqual([of[page] for page in asked], [batches[0], batches[4], *batches[1:4]])

    def test_a_reader_may_not_stop_it(self) -> None:
        reader = next(p.name for p in self.ws.setup.people if "reader" in p.roles)
        with self.assertRaisesRegex(InputProblem, "may only look"):
            bench.toggle_reading(acting(self.ws, reader), self.line, "any")
