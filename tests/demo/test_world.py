"""The demo world: the same on every machine, right by its check digits, with a truth that holds on the paper."""

from __future__ import annotations

import hashlib
import random
import unittest

import numpy as np
from stdnum import luhn
from stdnum.iso7064 import mod_97_10

from keybundle.core.setup.text import write_setup
from keybundle.demo.layouts import LABELS, TITLES, draw_document, fixed_layout, random_layout, say_date, say_money
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, scan
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import make_side, plan_stack, true_documents


class World(unittest.TestCase):
    def test_registers(self) -> None:
        world = make_world()
        self.assertEqual((len(world.boats), len(world.structures), len(world.suppliers)), (120, 60, 80))
        for rows, key in (
            (world.boats, "Boat number"),
            (world.structures, "Structure number"),
            (world.suppliers, "Name"),
        ):
            self.assertEqual(len({r[key] for r in rows}), len(rows))
        for row in world.suppliers:
            # Source: ISO 7064 mod 97-10 by python-stdnum; a bank code of zeros is assigned to nobody.
            iban = row["IBAN"]
            self.assertTrue(mod_97_10.is_valid(iban[4:] + iban[:4]), iban)
            self.assertEqual(iban[4:12], "00000000")

    def test_the_same_seed_makes_the_same_world(self) -> None:
        said = [hashlib.sha256(write_setup(make_setup(make_world())).encode()).hexdigest() for _ in range(2)]
        self.assertEqual(said[0], said[1])
        one, two = (make_record("Bill", make_world(), random.Random(9)) for _ in range(2))
        self.assertEqual(one, two)

    def test_records_hold_together(self) -> None:
        world, setup = make_world(), make_setup(make_world())
        for name in TYPES:
            kind = setup.document_type(name)
            assert kind is not None
            for i in range(25):
                record = make_record(name, world, random.Random(i))
                self.assertLessEqual({f.name for f in kind.fields if f.required}, set(record.values))
                if name == "Bill":
                    cents = [round(float(record.one(n)) * 100) for n in ("Net", "VAT", "Total")]
                    self.assertEqual(cents[0] + cents[1], cents[2])
                if name == "Safety certificate":
                    # Source: ISO/IEC 7812 by python-stdnum.
                    self.assertTrue(luhn.is_valid(record.one("Certificate number")))
                    self.assertLess(record.one("Examined on"), record.one("Valid until"))


class Paper(unittest.TestCase):
    def test_every_word_of_the_truth_is_on_the_paper(self) -> None:
        for name in TYPES:
            for number in (1, 2, 3):
                record = make_record(name, make_world(), random.Random(number))
                pages = draw_document(record, fixed_layout(name, number), random.Random(number), dpi=100)
                self.assertEqual(len(pages), record.sheets)
                pixels = np.asarray(pages[0].sheet.image)
                for word in pages[0].words:
                    left, top, right, bottom = word.box
                    self.assertTrue(0 <= left < right <= pixels.shape[1] and 0 <= top < bottom <= pixels.shape[0], word)
                    self.assertLess(int(pixels[top:bottom, left:right].min()), 128, word)
                self.assertIn(TITLES[name][number - 1], " ".join(w.text for w in pages[0].words))

    def test_styles_of_dates_and_money(self) -> None:
        # Source: CLDR 44 patterns of en-GB, en and de, written out by hand.
        self.assertEqual([say_date("2026-04-03", s) for s in ("iso", "numeric", "day month year", "month day")],
                         ["2026-04-03", "03/04/2026", "3 April 2026", "April 3, 2026"])  # fmt: skip
        self.assertEqual([say_money("1234.5", s) for s in ("point", "comma", "EUR point")],
                         ["1,234.50", "1.234,50 EUR", "EUR 1,234.50"])  # fmt: skip

    def test_random_layouts_differ_and_repeat(self) -> None:
        made = [random_layout("Bill", i) for i in range(40)]
        self.assertGreater(len({(x.face, x.arrangement, x.date_style, x.head) for x in made}), 20)
        self.assertEqual(made[7], random_layout("Bill", 7))
        self.assertEqual(set(made[0].labels), set(LABELS))

    def test_the_frame_of_a_scan_is_true(self) -> None:
        record = make_record("Bill", make_world(), random.Random(2))
        page = draw_document(record, fixed_layout("Bill", 1), random.Random(2), dpi=100)[0]
        for rotation in (0, 90, 180, 270):
            made = scan(page.sheet.image, page.words, 100, Effects(rotation=rotation, skew_degrees=4, noise=0), 1)
            pixels = np.asarray(made.image)
            self.assertEqual((made.frame.width, made.frame.height), (pixels.shape[1], pixels.shape[0]))
            for word in made.words[:40]:
                left, top, right, bottom = made.captured_box(word.box)
                self.assertLess(int(pixels[max(0, top) : bottom, max(0, left) : right].min()), 150, word)


class Stack(unittest.TestCase):
    def test_the_stack_of_forty_sheets(self) -> None:
        plan = plan_stack(40, 40)
        sides = [s for sheet in plan.sheets for s in (sheet.front, sheet.back)]
        self.assertEqual(len(sides), 80)
        self.assertEqual({s.effects.mode for s in sides}, {"1-bit", "grey", "colour"})
        pages = [s for s in sides if s.kind == "page"]
        self.assertTrue(any(abs(s.effects.skew_degrees) > 5 for s in pages))
        self.assertTrue(any(s.effects.rotation == 180 for s in pages))
        self.assertEqual(sum(s.kind == "separator" for s in sides), len(plan.documents))
        self.assertTrue(any(sheet.front.kind == sheet.back.kind == "page" for sheet in plan.sheets), "a two-sided one")
        self.assertEqual(plan, plan_stack(40, 40))
        self.assertEqual([r.type_name for r in true_documents(plan)], [d.type_name for d in plan.documents])
        for sheets in (3, 8, 41, 100):
            self.assertEqual(len(plan_stack(sheets, 1).sheets), sheets)

    def test_sides_are_delivered_as_a_scanner_would(self) -> None:
        plan = plan_stack(40, 40)
        for mode, magic in (("1-bit", b"II*\0"), ("grey", b"\x89PNG"), ("colour", b"\xff\xd8\xff")):
            side = next(s.back for s in plan.sheets if s.back.kind == "blank" and s.back.effects.mode == mode)
            self.assertEqual(make_side(plan, side).encode()[: len(magic)], magic)
