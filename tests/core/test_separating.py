"""Changing a routine while batches are open: looking again, reading where it is needed, values from barcodes, rehearsal."""

from __future__ import annotations

import io
from pathlib import Path
from unittest import mock

import segno
from PIL import Image

from keybundle.core.base.errors import Cancelled, InputProblem
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.batches.model import Batch
from keybundle.core.fields.values import Origin
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.arrange import bench, separating
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.routines import routines
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from keybundle.demo.stack import DocumentPlan
from tests.support import DataTest, acting, shared_pool

WHO = "Elspra Towpath"
ADMIN = "Oswinna Reedmace"


def with_code(image: Image.Image, text: str) -> Image.Image:
    """Stick a QR label on the top right of a page. Source: ISO/IEC 18004 symbol by segno 1.6."""
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(out, kind="png", scale=4, border=4)
    page = image.convert("L").copy()
    page.paste(Image.open(out).convert("L"), (page.width - 220, 30))
    return page


class OpenBatch(DataTest):
    """One file of four pages: two delivery notes with a label, each followed by a page without one."""

    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.set_rules({"rule": "each source file"})
        self.path = Path(self.folder / "stack.tif")
        plain = DocumentPlan("Letter", 2, 9).draw(dpi=150)[0].sheet.image.convert("L")
        pages = []
        for number in (1, 2):
            plan = DocumentPlan("Delivery note", 1, number)
            pages += [with_code(plan.draw(dpi=150)[0].sheet.image, f"PO-5550{number}"), plain]
        pages[0].save(self.path, save_all=True, append_images=pages[1:], dpi=(150, 150), compression="tiff_deflate")
        found = import_files(
            acting(self.ws, WHO), self.line, shared_pool(), find_routine(acting(self.ws), "Files"), [self.path]
        )
        self.batch_id = str(found.batch)
        self.assertTrue(self.line.wait(120))

    def set_rules(self, *rules: dict[str, object]) -> Routine:
        base = find_routine(acting(self.ws), "Files")
        routine = parts.change_part(base, {"separation": {"rules": list(rules)}})
        if routine != base:
            parts.save_part(acting(self.ws, ADMIN), "routines", routine)
        return routine

    def load(self) -> Batch:
        return self.ws.batches.load(self.batch_id)

    def again(self) -> tuple[str, ...]:
        found = separating.separate_batch_again(acting(self.ws, WHO), self.line, shared_pool(), self.batch_id)
        self.assertTrue(self.line.wait(120))
        return found.conflicts

    def test_a_barcode_rule_looks_again_and_gives_values(self) -> None:
        self.assertEqual(len(self.load().documents), 1)
        self.assertEqual({p.facts.marks for p in self.load().pages if p.facts}, {()})
        self.set_rules({"rule": "barcode", "format": "QR", "pattern": r"(?P<Order_number>PO-\d{5})"})
        self.assertEqual(self.again(), ())
        batch = self.load()
        self.assertEqual([len(batch.pages_of(d.id)) for d in batch.in_order()], [2, 2])
        self.assertEqual([d.break_reason for d in batch.in_order()], ["barcode PO-55501", "barcode PO-55502"])
        for number, document in enumerate(batch.in_order(), 1):
            value = document.values["Order number"]
            self.assertEqual((value.text, value.origin, value.sure), (f"PO-5550{number}", Origin.BARCODE, True))
            self.assertEqual(value.page, batch.pages_of(document.id)[0].id)
            left, top, right, bottom = value.box or (0, 0, 0, 0)
            self.assertTrue(1240 - 220 <= left < right <= 1240 and 30 <= top < bottom <= 230, value.box)
        self.assertTrue(all("QR" in p.facts.looked_for for p in batch.pages if p.facts), "what was looked for is kept")
        with mock.patch.object(shared_pool(), "submit", side_effect=AssertionError("looked again")):
            separating.rehearse(acting(self.ws), shared_pool(), self.batch_id, find_routine(acting(self.ws), "Files"))

    def test_work_of_people_stays_and_is_told(self) -> None:
        document = self.load().in_order()[0]
        slip.choose_type(acting(self.ws, WHO), self.line, self.batch_id, document.id, "Delivery note")
        self.set_rules({"rule": "each page"})
        conflicts = self.again()
        self.assertEqual(len(self.load().documents), 1)
        self.assertEqual(len(conflicts), 3)
        self.assertIn("Side 2: the rules break here (each page)", conflicts[0])

    def test_it_is_one_step_that_can_be_undone(self) -> None:
        before = [d.break_reason for d in self.load().in_order()]
        self.set_rules({"rule": "every n sheets", "sheets": 2})
        self.again()
        self.assertEqual(len(self.load().documents), 2)
        self.assertEqual(bench.load_bench(acting(self.ws, WHO), self.batch_id).undo, "separate again")
        self.assertEqual(bench.load_bench(acting(self.ws), self.batch_id).undo, f"separate again, by {WHO}")
        with self.assertRaisesRegex(InputProblem, f"separate again”, is {WHO}'s"):
            bench.undo(acting(self.ws), self.line, self.batch_id)
        bench.undo(acting(self.ws, WHO), self.line, self.batch_id)
        self.assertEqual([d.break_reason for d in self.load().in_order()], before)
        self.assertTrue(self.line.wait(60))

    def test_a_rehearsal_changes_nothing_and_counts_against_the_batch(self) -> None:
        shape = [(p.id, p.document_id) for p in self.load().pages]
        trial = parts.change_part(
            find_routine(acting(self.ws), "Files"),
            {"separation": {"rules": [{"rule": "words", "words": "Delivery note", "zone": {"bottom": 0.5}}]}},
        )
        steps: list[Step] = []
        found = separating.rehearse(acting(self.ws), shared_pool(), self.batch_id, trial, progress=steps.append)
        self.assertEqual([p.starts for p in found.placings], [True, False, True, False])
        self.assertEqual((found.documents, found.left_out), (2, 0))
        self.assertEqual((found.right, found.missed, found.false, found.is_confirmed), (1, 0, 1, False))
        self.assertEqual([(p.id, p.document_id) for p in self.load().pages], shape)
        self.assertEqual(steps, [], "all pages were read already")

    def test_a_cancelled_rehearsal_leaves_nothing_waiting(self) -> None:
        cancel = CancelToken()
        cancel.cancel()
        trial = parts.change_part(
            find_routine(acting(self.ws), "Files"), {"separation": {"rules": [{"rule": "barcode"}]}}
        )
        with self.assertRaises(Cancelled):
            separating.rehearse(acting(self.ws), shared_pool(), self.batch_id, trial, cancel=cancel)

    def test_not_while_pages_come_in(self) -> None:
        self.ws.batches.reopen_capture(self.batch_id)
        with self.assertRaisesRegex(InputProblem, "still coming in"):
            separating.separate_batch_again(acting(self.ws, WHO), self.line, shared_pool(), self.batch_id)

    def test_text_rules_place_pages_after_reading(self) -> None:
        self.set_rules({"rule": "words", "words": "Delivery note", "where": "before"})
        found = import_files(
            acting(self.ws, WHO), self.line, shared_pool(), find_routine(acting(self.ws), "Files"), [self.path]
        )
        self.assertTrue(self.line.wait(120))
        batch = self.ws.batches.load(str(found.batch))
        self.assertEqual([d.break_reason for d in batch.in_order()], ["the words “Delivery note”"] * 2)
        self.assertEqual({d.type for d in batch.documents.values()}, {"Delivery note"})
        self.assertTrue(all(p.is_read for p in batch.pages))

    def test_pages_that_wait_for_their_text_are_read_on(self) -> None:
        self.set_rules({"rule": "page numbering"})
        begin = self.line.begin
        with mock.patch.object(self.line, "begin", lambda b, *a, **k: (begin(b, *a, **k), self.line.stop_reading(b))):
            found = import_files(
                acting(self.ws, WHO), self.line, shared_pool(), find_routine(acting(self.ws), "Files"), [self.path]
            )
        self.assertTrue(self.line.wait(60))
        batch_id = str(found.batch)
        self.assertEqual({p.disposition for p in self.ws.batches.load(batch_id).pages}, {None})
        self.assertFalse(self.line.wait_placed(batch_id, 0.1))
        self.line.read_on(batch_id)
        self.assertTrue(self.line.wait(120))
        self.assertEqual({p.disposition for p in self.ws.batches.load(batch_id).pages}, {"kept"})


class Keeping(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()

    def test_names_and_keys_are_told_apart(self) -> None:
        post = find_routine(acting(self.ws), "Post")
        with self.assertRaisesRegex(InputProblem, "“bills” is taken already"):
            parts.save_part(acting(self.ws, ADMIN), "routines", parts.change_part(post, {"name": "bills"}))
        with self.assertRaisesRegex(InputProblem, "started by “B”"):
            parts.save_part(acting(self.ws, ADMIN), "routines", parts.change_part(post, {"key": "b"}))
        with self.assertRaisesRegex(InputProblem, "Nothing was changed"):
            parts.change_part(post, {"resolution_dpi": 20})
        parts.save_part(acting(self.ws, ADMIN), "routines", parts.change_part(post, {"name": "Morning post"}))
        self.assertNotIn("Post", [r.name for r in self.ws.setup.routines])
        self.assertEqual(len(self.ws.entries("boats")), 120, "registers keep their entries")

    def test_copies_and_what_is_removed(self) -> None:
        self.assertEqual(parts.copy_part(acting(self.ws, ADMIN), "routines", "Post"), "Post copy")
        self.assertEqual(parts.copy_part(acting(self.ws, ADMIN), "routines", "Post"), "Post copy 2")
        parts.remove_part(acting(self.ws, ADMIN), "routines", "Post copy 2")
        self.assertIsNone(self.ws.setup.routine("Post copy 2"))
        names, post = [r.name for r in self.ws.setup.routines], self.ws.setup.routines[0]
        batch = self.ws.batches.create("Post", "Simulated scanner", WHO)
        with self.assertRaisesRegex(InputProblem, "1 batch of Post is still open"):
            parts.remove_part(acting(self.ws, ADMIN), "routines", "Post")
        self.ws.batches.end_capture(batch)
        self.ws.batches.close(batch)
        place = parts.remove_part(acting(self.ws, ADMIN), "routines", "Post", post)
        parts.put_part(acting(self.ws, ADMIN), "routines", post, place)
        self.assertEqual([r.name for r in self.ws.setup.routines], names, "it comes back to its place")
        with self.assertRaisesRegex(InputProblem, "already"):
            parts.put_part(acting(self.ws, ADMIN), "routines", post, place)
        with self.assertRaisesRegex(InputProblem, "no longer"):
            parts.copy_part(acting(self.ws, ADMIN), "routines", "Nothing")

    def test_who_may(self) -> None:
        for person in self.ws.setup.people:
            if set(person.roles) & {"administrator", "supervisor"}:
                self.assertEqual(parts.copy_part(acting(self.ws, person.id), "routines", "Post")[:9], "Post copy")
            else:
                with self.assertRaisesRegex(InputProblem, "may only look|may not prepare"):
                    parts.copy_part(acting(self.ws, person.id), "routines", "Post")

    def test_samples_and_open_batches(self) -> None:
        self.assertEqual(routines.list_samples(acting(self.ws)), [])
        first = self.ws.batches.create("Post", "Simulated scanner", WHO)
        second = self.ws.batches.create("Files", "a.png", WHO)
        self.assertEqual(routines.open_batches(acting(self.ws), "Post"), [], "its pages are still coming in")
        self.ws.batches.end_capture(first)
        self.assertEqual(routines.open_batches(acting(self.ws), "Post"), [first])
        self.assertEqual({s.id: s.is_open for s in routines.list_samples(acting(self.ws))}, {first: True, second: True})
        self.ws.batches.close(first)
        told = {s.id: s.told for s in routines.list_samples(acting(self.ws))}
        self.assertNotIn(first, told, "of a closed one without a side there is nothing to try")
