"""Halt conditions, going on after one, and scanning into an open batch."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import Batch, balance
from keybundle.core.intake.halts import Measured, find_halt
from keybundle.core.intake.scanner import Options
from keybundle.core.setup.routines import HaltCondition, Routine
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.take_in import rescan
from keybundle.core.workflows.take_in.capture import Captured, find_routine, scan_stack
from keybundle.core.workflows.take_in.devices import Devices, find_scanners
from tests.support import DataTest, acting, shared_pool

WHO = "Elspra Towpath"
FAST = Options(sides_per_minute=0)
# Source: ISO 216: A4 is 210 x 297 mm, A3 is 297 x 420 mm.
GOOD = Measured(3, 2, "back", 210.0, 297.0, (210.0, 297.0), contrast=0.8, document_sheets=3)


def condition(on: str, **more: object) -> HaltCondition:
    return HaltCondition.model_validate({"on": on, **more})


class Conditions(unittest.TestCase):
    def test_each_stops_for_its_own_reason_only(self) -> None:
        cases = {
            "double feed": replace(GOOD, height_mm=308.0), "size": replace(GOOD, width_mm=297.0, height_mm=420.0),
            "barcode": replace(GOOD, barcodes=("STOP-1",)), "first side blank": replace(GOOD, number=0, is_blank=True),
            "too dark": replace(GOOD, darkness=0.6), "too faint": replace(GOOD, contrast=0.1),
            "skew": replace(GOOD, skew_degrees=-9.5), "document length": replace(GOOD, document_sheets=51),
        }  # fmt: skip
        for on, bad in cases.items():
            found = find_halt([condition(on, words="Ask Jorwen.")], bad)
            assert found is not None, on
            self.assertEqual((found.on, found.sheet), (on, 2))
            self.assertTrue(found.words.startswith("Ask Jorwen. "), found.words)
            self.assertIsNone(find_halt([condition(on)], GOOD), on)
        all_of_them = [condition(on) for on in cases]
        self.assertIsNone(find_halt(all_of_them, GOOD))

    def test_limits_and_patterns_are_the_routines_own(self) -> None:
        longer = replace(GOOD, height_mm=308.0)
        self.assertIsNone(find_halt([condition("double feed", limit=20)], longer))
        coded = replace(GOOD, barcodes=("PO-1", "END-7"))
        self.assertIsNone(find_halt([condition("barcode", pattern="^X")], coded))
        found = find_halt([condition("barcode", pattern="^END")], coded)
        self.assertIn("“END-7” at sheet 2, back", found.words if found else "")
        slow = find_halt([condition("barcode", pattern="(a|aa)+$")], replace(GOOD, barcodes=("a" * 60 + "!",)))
        self.assertIn("takes too long", slow.words if slow else "")
        faint_but_blank = replace(GOOD, contrast=0.1, is_blank=True)
        self.assertIsNone(find_halt([condition("too faint")], faint_but_blank))


class AtTheFeeder(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.scanner = find_scanners(self.ws)[0]
        self.routine = find_routine(acting(self.ws), "Post")

    def trouble(self, sheet: int, kind: str) -> None:
        path = self.ws.place.root / "feeder" / "stack.json"
        stack = json.loads(path.read_text())
        stack[sheet - 1]["trouble"] = kind
        path.write_text(json.dumps(stack))

    def scan(self, into: str | None = None, routine: Routine | None = None) -> Captured:
        return scan_stack(
            acting(self.ws, WHO), self.line, routine or self.routine, self.scanner, options=FAST, into=into
        )

    def placed(self, batch_id: str) -> Batch:
        self.assertTrue(self.line.wait_placed(batch_id, 60))
        self.line.stop_reading(batch_id)
        return self.ws.batches.load(batch_id)

    def test_sheets_that_stuck_are_scanned_again(self) -> None:
        self.trouble(3, "stuck")
        found = self.scan()
        assert found.halted is not None and found.batch is not None
        self.assertEqual((found.halted.on, found.halted.sheet), ("double feed", 3))
        self.assertIn("Staples are the usual reason.", found.halt)
        batch = self.placed(found.batch)
        ran_to = max(p.sheet for p in batch.pages)
        rescan.leave_out_from(acting(self.ws, WHO), self.line, found.batch, 3, only=False)
        self.scanner.put_back(ran_to - 2)
        again = self.scan(into=found.batch)
        self.assertEqual(again.halt, "")
        whole = self.placed(found.batch)
        self.assertEqual({p.reason for p in whole.pages if 3 <= p.sheet <= ran_to}, {"scanned again"})
        self.assertEqual(
            sum(p.sheet > ran_to for p in whole.pages), 2 * 6, "the six sheets from the third on came again"
        )
        self.assertEqual(len({(p.sheet, p.side) for p in whole.pages}), len(whole.pages), "sheets are counted on")
        self.assertTrue(balance(whole).is_even)
        self.assertIsNotNone(whole.captured_at)

    def test_a_jam_is_told_and_the_batch_goes_on(self) -> None:
        self.trouble(4, "jam")
        found = self.scan()
        self.assertIn("Sheet 4 is jammed", found.halt)
        self.assertEqual(found.halted.sheet if found.halted else None, 0)
        self.scan(into=found.batch)
        batch = self.placed(str(found.batch))
        self.assertEqual([p.sheet for p in batch.pages if p.side == "front"], list(range(1, 9)))

    def test_one_sheet_is_left_out_after_a_halt(self) -> None:
        conditions = (condition("document length", limit=1),)
        found = self.scan(routine=self.routine.model_copy(update={"halts": conditions}))
        assert found.halted is not None
        self.assertIn("a separator sheet may be missing", found.halt)
        rescan.leave_out_from(acting(self.ws, WHO), self.line, str(found.batch), found.halted.sheet, only=True)
        batch = self.placed(str(found.batch))
        self.assertEqual({p.reason for p in batch.pages if p.sheet == found.halted.sheet}, {"after a halt"})

    def test_a_page_is_scanned_again_in_its_place_and_pages_are_put_in(self) -> None:
        found = self.scan()
        batch = self.placed(str(found.batch))
        target = next(p for p in batch.pages if p.kept)
        self.scanner.put_back(7)
        glass = Options(source="glass", duplex=False, sides_per_minute=0)
        rescan.scan_at(acting(self.ws, WHO), self.line, self.scanner, batch.id, target.id, replaces=True, options=glass)
        after = self.placed(batch.id)
        at = [p.id for p in after.pages].index(target.id)
        self.assertEqual(
            (after.pages[at].reason, after.pages[at + 1].document_id), ("scanned again", target.document_id)
        )
        self.assertEqual(after.pages[at + 1].captured, len(batch.pages))
        self.assertEqual(len(after.documents), len(batch.documents))
        left_out = next(p for p in after.pages if not p.kept)
        with self.assertRaisesRegex(InputProblem, "page of a document"):
            rescan.scan_at(
                acting(self.ws, WHO), self.line, self.scanner, batch.id, left_out.id, replaces=False, options=glass
            )

    def test_which_scanner_a_routine_uses(self) -> None:
        devices = Devices(self.ws)
        self.assertEqual(devices.names, ["Simulated scanner"])
        self.assertEqual(devices.scanner_for(self.routine).name, "Simulated scanner")  # type: ignore[union-attr]
        gone = self.routine.model_copy(update={"device": "Desk scanner"})
        self.assertIsNone(devices.scanner_for(gone), "another device is not taken silently")
        devices.choose("Simulated scanner")
        self.assertIsNotNone(devices.scanner_for(gone))
