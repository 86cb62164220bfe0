"""What the bench says of a batch: strip, nameplates, slip, balance and reading, from plain data."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches.model import Batch, Came, Document, Facts, Page, State, balance
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.workflows.arrange.bench import BenchData, DocumentFacts
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup
from keybundle.desktop.presenters.bench_wording import make_plates, make_slip, make_strip, say_balance, say_reading

FACTS = Facts(1000, 1400, 300, "grey", 0, 0.0, 50.0, False)
SETUP = make_setup(make_world())


def page(number: int, document: str | None, **more: object) -> Page:
    kept = document is not None
    base = Page(f"p{number}", number, "scan", 0, number, "front", "sha", PageKind.PICTURE, FACTS,
                disposition="kept" if kept else "left out", reason=None if kept else "blank", document_id=document,
                text_rotation=0)  # fmt: skip
    return replace(base, **more)  # type: ignore[arg-type]


def data_of(*pages: Page, **documents: Document) -> BenchData:
    held = {p.id: str(d.filed_id) for p in pages if (d := documents.get(p.document_id or "")) and d.filed_id}
    batch = Batch("b", "Post", "scanner", "me", "t", "t", None, pages, documents, held=held)
    facts = {
        key: DocumentFacts(f"Caption {key}", ("Boats", ""), ("Boats", "Home mooring"), "It waits.") for key in documents
    }
    return BenchData(batch, facts, balance(batch), None, None)


BILL = Document("a", "barcode X", "Bill", 1.0, "page", State.TO_CHECK, values={})


class Strip(unittest.TestCase):
    def test_pages_tell_where_they_come_from_and_why_they_are_out(self) -> None:
        data = data_of(
            page(1, "a"),
            page(2, None, note="Look at its back."),
            page(3, "a", text_rotation=None, trouble="Torn."),
            a=BILL,
        )
        first, second, third = make_strip(data.batch, Path("/cache"))
        self.assertEqual((first.starts, first.break_reason, first.kept, first.is_read), (True, "barcode X", True, True))
        self.assertEqual(first.thumbnail, "/cache/previews/p1/p1-0-thumbnail.jpg")
        self.assertEqual(first.hint, "Side 1: sheet 1, front, from scan")
        self.assertEqual((second.kept, second.reason, second.attention), (False, "blank", True))
        self.assertIn("Left out: blank. Look at its back.", second.hint)
        self.assertTrue(third.attention and not third.starts)

    def test_plates_name_type_caption_state_and_pages(self) -> None:
        unknown = Document("c", "first page", state=State.READING)
        data = data_of(page(1, "a"), page(2, "a"), page(3, "c"), a=BILL, c=unknown)
        told = [(d.type, d.caption, d.state, d.pages) for d in make_plates(data, SETUP)]
        self.assertEqual(told, [("Bill", "Caption a", "to check", 2), ("Type unknown", "Caption c", "reading", 1)])


class Balance(unittest.TestCase):
    def test_every_side_is_accounted_for(self) -> None:
        filed = replace(BILL, id="f", state=State.FILED, filed_id="x")
        parked = replace(BILL, id="s", state=State.SET_ASIDE, parked="torn")
        waiting = replace(page(9, None), disposition=None, reason=None)
        data = data_of(page(1, "a"), page(2, None), page(3, "f"), page(4, "s"), waiting, a=BILL, f=filed, s=parked)
        short, told = say_balance(data.balance, Came(7, 5, 1, 1))
        self.assertEqual(short.splitlines(), [
            "5 sides captured", "3 kept, 1 left out", "1 filed, 1 waiting", "1 set aside", "1 being separated",
            "2 not taken in",
        ])  # fmt: skip
        self.assertIn("5 captured = 3 kept + 1 left out + 1 being separated", told)
        self.assertIn("3 kept = 1 filed + 1 set aside + 1 waiting", told)
        self.assertIn("Of 7 that came in 5 were taken, 1 refused, 1 passed over", told)
        broken = replace(data.balance, captured=9)
        self.assertIn("9 sides were captured and 5 are accounted for", say_balance(broken, Came())[1])

    def test_reading_is_counted_until_it_is_done(self) -> None:
        data = data_of(page(1, "a"), page(2, "a", text_rotation=None), page(3, None, text_rotation=None), a=BILL)
        self.assertEqual(say_reading(data.batch, stopped=False), ("1 of 2 pages read", "Stop reading"))
        self.assertEqual(say_reading(data.batch, stopped=True), ("Reading stopped: 1 of 2 pages read", "Read on"))
        done = data_of(page(1, "a"), a=BILL)
        self.assertEqual(say_reading(done.batch, stopped=True), ("", ""))


class Slip(unittest.TestCase):
    def rows(self, **values: FieldValue) -> dict[str, object]:
        document = replace(BILL, values={name.replace("_", " "): v for name, v in values.items()})
        slip = make_slip(data_of(page(1, "a"), a=document), document, SETUP)
        return {r.name: r for r in slip.rows}

    def test_fields_stand_in_the_order_of_the_type_and_missing_ones_are_told(self) -> None:
        rows = self.rows()
        kind = SETUP.document_type("Bill")
        assert kind is not None
        self.assertEqual(list(rows), [f.name for f in kind.fields])
        number = rows["Bill number"]
        self.assertEqual((number.problem, number.unsure, number.is_required), ("Bill number is missing.", True, True))  # type: ignore[attr-defined]
        self.assertEqual((rows["IBAN"].problem, rows["IBAN"].unsure), ("", False))  # type: ignore[attr-defined]

    def test_unsure_values_say_why(self) -> None:
        rows = self.rows(
            Net=FieldValue(("10.00",), 0.55, Origin.PAGE, page="p1", box=(10, 20, 60, 40)),
            Total=FieldValue(("12.00",), 0.9, Origin.PAGE, problem="The sum is wrong."),
            VAT=FieldValue(("2.00",), 0.0, Origin.DEFAULT), Bill_number=FieldValue(("R-20411",), 0.98, Origin.BARCODE, sure=True),
        )  # fmt: skip
        said = {name: r.problem for name, r in rows.items()}  # type: ignore[attr-defined]
        self.assertEqual(said["Net"], "Read with 55% confidence; compare it with the page.")
        self.assertEqual(said["Total"], "The sum is wrong.")
        self.assertEqual(said["VAT"], "Only the default; confirm it or change it.")
        self.assertEqual(said["Bill number"], "")
        self.assertEqual(rows["Net"].place, ("p1", (10, 20, 60, 40)))  # type: ignore[attr-defined]
        self.assertEqual(rows["Bill number"].origin, "barcode")  # type: ignore[attr-defined]

    def test_the_destination_and_what_stands_in_the_way(self) -> None:
        slip = make_slip(data_of(page(1, "a"), a=BILL), BILL, SETUP)
        self.assertEqual(slip.path, (("Boats", "Boats"), ("Home mooring", "")))
        self.assertEqual((slip.why_not, slip.can_file, slip.is_filed), ("It waits.", False, False))
        filed = replace(BILL, state=State.FILED, filed_id="x")
        self.assertTrue(make_slip(data_of(page(1, "a"), a=filed), filed, SETUP).is_filed)
        untyped = replace(BILL, type=None)
        self.assertEqual(make_slip(data_of(page(1, "a"), a=untyped), untyped, SETUP).rows, ())
