"""Filing: destinations from values, all or nothing at each step, harmless second tries, take back, the record."""

from __future__ import annotations

from unittest import mock
from zoneinfo import ZoneInfo

from sqlalchemy import select

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.batches.model import State, balance
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.repository import audit
from keybundle.core.search import index
from keybundle.core.store import schema as t
from keybundle.core.workflows.file import filing, records
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index.slip import enter_value
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import DocumentPlan
from tests.support import DataTest, acting, count_filed, shared_pool

SETUP = make_setup(make_world())
WHO = "Elspra Towpath"


def given(**values: str) -> dict[str, FieldValue]:
    return {name.replace("_", " "): FieldValue((value,), 1.0, sure=True) for name, value in values.items()}


class Destinations(DataTest):
    def test_parts_of_dates_and_plain_fields(self) -> None:
        bill, letter = SETUP.document_type("Bill"), SETUP.document_type("Letter")
        assert bill is not None and letter is not None
        found = compute_destination(bill, SETUP, given(Bill_date="2026-03-31", Supplier="Oxlip Dredging"))
        self.assertEqual(found.path, ["Purchasing", "2026", "Oxlip Dredging"])
        self.assertTrue(found.is_known)
        self.assertEqual(found.missing, ("Bill number", "Net", "VAT", "Total"))
        found = compute_destination(letter, SETUP, given(Letter_date="2026-03-31"))
        self.assertEqual(found.path, ["Letters", "2026", "03"])
        unknown = compute_destination(letter, SETUP, given(Letter_date="soon", Sender="X", Subject="Y"))
        self.assertEqual((unknown.is_known, unknown.missing), (False, ("Letter date",)))

    def test_captions(self) -> None:
        bill = SETUP.document_type("Bill")
        assert bill is not None
        self.assertEqual(make_caption(bill, given(Supplier="Oxlip Dredging", Bill_number="R-1")), "Oxlip Dredging R-1")
        self.assertEqual(make_caption(bill, given(Bill_number="R-1")), "R-1")
        self.assertEqual(make_caption(bill, {}), "Bill")


class Filing(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        files = []
        for i, kind in enumerate(("Delivery note", "Bill")):
            page = DocumentPlan(kind, 1, 40 + i).draw(dpi=200)[0]
            path = self.folder / f"{kind}.png"
            page.sheet.image.save(path, dpi=(200, 200))
            files.append(path)
        routine = find_routine(acting(self.ws), "Files")
        captured = import_files(acting(self.ws, WHO), self.line, shared_pool(), routine, files)
        self.assertTrue(self.line.wait(60))
        self.batch_id = str(captured.batch)

    def states(self) -> list[State]:
        return [d.state for d in self.ws.batches.load(self.batch_id).in_order()]

    def make_ready(self) -> None:
        """Type whatever the machine left unsure, from the truth."""
        for i, document in enumerate(self.ws.batches.load(self.batch_id).in_order()):
            truth = DocumentPlan(("Delivery note", "Bill")[i], 1, 40 + i).record()
            for name in truth.values:
                value = document.values.get(name)
                if value is None or not value.sure:
                    enter_value(acting(self.ws, WHO), self.line, self.batch_id, document.id, name, truth.one(name))
        self.assertEqual(self.states(), [State.READY, State.READY])

    def test_ready_ones_are_filed_and_the_others_listed(self) -> None:
        self.make_ready()
        first = self.ws.batches.load(self.batch_id).in_order()[0]
        enter_value(acting(self.ws, WHO), self.line, self.batch_id, first.id, "Order number", "")
        filed = filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id)
        self.assertEqual([e.type for e in filed.entries], ["Bill"])
        self.assertEqual(len(filed.left), 1)
        self.assertIn("Order number is missing", filed.left[0][1])
        self.assertEqual(self.states(), [State.TO_CHECK, State.FILED])
        document = self.ws.repository.load(filed.entries[0].id)
        value = document.values["Total"]
        self.assertEqual(value.origin, Origin.PAGE)
        self.assertIsNotNone(value.box)
        self.assertEqual(document.values["Year"].text, document.values["Bill date"].text[:4])
        self.assertEqual(self.ws.place.files.get(document.pdf_sha)[:5], b"%PDF-")
        (record,) = records.list_records(acting(self.ws))
        page = records.record_as_html(record, ZoneInfo("Europe/London"))
        with self.ws.place.database.read() as c:
            own = select(t.audit.c.hash).where(t.audit.c.subject == document.id, t.audit.c.what == "filed")
            self.assertIn(c.execute(own).scalar_one(), page, "the head of the trail when it was filed")
        self.assertIn(f"keybundle:document/{document.id}", page)
        self.assertTrue(verify(acting(self.ws)).is_whole)

    def test_a_fault_at_each_step_files_nothing(self) -> None:
        self.make_ready()
        before = count_filed(self.ws)
        for target, name in (
            (self.ws.repository, "add"), (index, "put"), (self.ws.batches, "set_filed"), (audit, "append"),
        ):  # fmt: skip
            with mock.patch.object(target, name, side_effect=EnvironmentProblem("the disk broke")):
                filed = filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id)
            self.assertEqual((filed.entries, len(filed.left)), ([], 2), name)
            self.assertEqual(count_filed(self.ws), before)
            self.assertEqual(self.states(), [State.READY, State.READY])
            with self.ws.place.database.read() as c:
                self.assertEqual(audit.verify(c), "whole")
        self.assertEqual(len(filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id).entries), 2)
        self.assertTrue(balance(self.ws.batches.load(self.batch_id)).is_even)

    def test_a_second_try_is_harmless_and_take_back_undoes(self) -> None:
        self.make_ready()
        filed = filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id)
        again = filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id)
        self.assertEqual((len(filed.entries), again.entries, again.left), (2, [], []))
        document = self.ws.batches.load(self.batch_id).in_order()[1]
        number = document.values["Bill number"].text
        self.assertEqual([h.is_filed for h in find(acting(self.ws), f'"{number}"').hits], [True])
        with self.assertRaisesRegex(InputProblem, "is filed"):
            enter_value(acting(self.ws, WHO), self.line, self.batch_id, document.id, "Total", "1.00")
        filing.take_back(acting(self.ws, WHO), self.batch_id, document.id)
        self.assertEqual(self.states(), [State.FILED, State.READY])
        self.assertEqual([h.is_filed for h in find(acting(self.ws), f'"{number}"').hits], [False])
        with self.assertRaisesRegex(InputProblem, "not filed"):
            filing.take_back(acting(self.ws, WHO), self.batch_id, document.id)
        third = filing.file_documents(acting(self.ws, WHO), shared_pool(), self.batch_id)
        self.assertEqual(len(third.entries), 1)
        self.assertEqual([h.is_filed for h in find(acting(self.ws), f'"{number}"').hits], [True])
        self.ws.batches.close(self.batch_id)
        self.assertNotIn(self.batch_id, self.ws.batches.ids())

    def test_a_reader_may_only_look(self) -> None:
        with self.assertRaisesRegex(InputProblem, "may only look"):
            filing.file_documents(acting(self.ws, "Hollin Waterhen"), shared_pool(), self.batch_id)
