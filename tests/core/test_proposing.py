"""Proposals on pages whose values are known, read by the real engine; evidence between fields."""

from __future__ import annotations

import random
import unittest
from dataclasses import replace

from keybundle.core.fields.values import FieldValue
from keybundle.core.imaging.picture import from_pil
from keybundle.core.proposing.evidence import weigh
from keybundle.core.proposing.propose import ReadPage, propose_values
from keybundle.core.proposing.rows import build_rows
from keybundle.core.proposing.types import propose_type
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.registers.book import Book
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, scan
from keybundle.demo.setup import make_setup

WORLD = make_world()
SETUP = make_setup(WORLD)
BOOKS = {r.name: Book(r.key, [dict(zip(r.columns, row, strict=True)) for row in r.rows]) for r in SETUP.registers}


class Proposals(unittest.TestCase):
    def test_layout_1_of_each_type(self) -> None:
        # The figure over 60 documents is taken by scripts/bench values; ten documents keep the suite quick.
        asked = right = wrong_but_sure = 0
        for i in range(10):
            name = TYPES[i % len(TYPES)]
            rng = random.Random(i * 31)
            record = make_record(name, WORLD, rng)
            page = draw_document(record, fixed_layout(name, 1), rng)[0]
            made = scan(
                page.sheet.image, page.words, 300, Effects(mode=("grey", "1-bit")[i % 2], skew_degrees=i % 3 - 1), i
            )
            text = read_page(from_pil(made.image, 300), made.frame, get_engine("eng"))
            found_type = propose_type(build_rows(text), SETUP.document_types)
            self.assertEqual(found_type.name if found_type else None, name)
            kind = SETUP.document_type(name)
            assert kind is not None
            values = propose_values([ReadPage("p", text)], kind, BOOKS, 0.8, lambda spec: spec.rule())
            for spec in (f for f in kind.fields if f.required):
                value = values.get(spec.name, FieldValue())
                asked += 1
                right += value.items == record.values[spec.name]
                wrong_but_sure += value.sure and value.items != record.values[spec.name]
        self.assertGreaterEqual(right / asked, 0.8)
        self.assertLessEqual(wrong_but_sure / asked, 0.02)


class Evidence(unittest.TestCase):
    def test_sums_that_fail_make_all_three_unsure(self) -> None:
        kind = SETUP.document_type("Bill")
        assert kind is not None
        given = {n: FieldValue((v,), 0.95) for n, v in (("Net", "100.00"), ("VAT", "20.00"), ("Total", "121.00"))}
        weighed = weigh(given, kind, BOOKS, 0.8)
        self.assertFalse(any(weighed[n].sure for n in given))
        self.assertIn("Net + VAT is 120.00, but Total says 121.00", weighed["Total"].problem)
        euros = {**given, "Net": replace(given["Net"], as_read="€ 100.00")}
        mixed = weigh({**euros, "Total": FieldValue(("120.00",), 0.95, as_read="£ 120.00")}, kind, BOOKS, 0.8)
        self.assertIn("Net is in EUR, Total is in GBP: amounts in different", mixed["Total"].problem)
        self.assertFalse(mixed["Total"].sure)
        weighed = weigh({**given, "Total": FieldValue(("120.00",), 0.6)}, kind, BOOKS, 0.8)
        self.assertTrue(all(weighed[n].sure for n in given))

    def test_a_boat_fills_keeper_and_mooring(self) -> None:
        kind, boat = SETUP.document_type("Mooring agreement"), WORLD.boats[5]
        assert kind is not None
        key = FieldValue((boat["Boat number"],), 0.95)
        weighed = weigh({"Boat number": key}, kind, BOOKS, 0.8)
        self.assertEqual(weighed["Keeper"].items, (boat["Keeper"],))
        contrary = weigh({"Boat number": key, "Keeper": FieldValue(("Somebody Else",), 0.95)}, kind, BOOKS, 0.8)
        self.assertFalse(contrary["Keeper"].sure)
        self.assertIn(boat["Keeper"], contrary["Keeper"].problem)
        stranger = weigh({"Boat number": replace(key, items=("LN9",))}, kind, BOOKS, 0.8)
        self.assertIn("not in the register boats", stranger["Boat number"].problem)

    def test_near_match_and_completion(self) -> None:
        book = BOOKS["suppliers"]
        near = book.nearest("Quillfeathor Lock Gatcs")
        self.assertEqual(near.value if near else None, "Quillfeather Lock Gates")
        self.assertIsNone(book.nearest("Nobody at all"))
        self.assertEqual(book.complete("quill")[0]["Name"][:12], "Quillfeather")
