"""Separator sheets, with codes of independent writers among the pages that must not be taken for one."""

from __future__ import annotations

import io
import random
import unittest

import numpy as np
import pypdfium2 as pdfium
import segno
from barcode import EAN13, Code39, Code128
from barcode.writer import ImageWriter
from PIL import Image

from keybundle.core.base.errors import InputProblem
from keybundle.core.imaging.picture import Picture, from_pil
from keybundle.core.marks.found import find_marks
from keybundle.core.marks.model import Wanted
from keybundle.core.marks.patches import find_patch, print_patches
from keybundle.core.marks.printing import print_sheets
from keybundle.core.marks.sheets import Separator, find_separator, parse_content
from keybundle.core.setup.routines import PATCH_PATTERNS
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, scan
from keybundle.demo.stack import draw_separator


def draw_qr(text: str, scale: int = 6) -> Image.Image:
    # Source: ISO/IEC 18004 symbols by segno 1.6.
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(out, kind="png", scale=scale, border=4)
    return Image.open(out).convert("L")


class Finding(unittest.TestCase):
    SHEETS, OTHERS = 60, 90

    def test_all_sheets_are_found(self) -> None:
        # The full 200 sheets and 500 other sides are counted by scripts/bench marks.
        rng = random.Random(5)
        drawn = {(t, d): draw_separator(t, d) for t in ("", "Bill") for d in (150, 200, 300)}
        for i in range(self.SHEETS):
            name, dpi = rng.choice(("", "Bill")), rng.choice((150, 200, 300))
            effects = Effects(
                mode=rng.choice(("1-bit", "grey")), rotation=rng.choice((0, 90, 180, 270)),
                skew_degrees=rng.uniform(-10, 10), faint=rng.choice((0.0, 0.0, 0.3)), speckle=0.2,
            )  # fmt: skip
            made = scan(Image.fromarray(drawn[(name, dpi)]), [], dpi, effects, i)
            self.assertEqual(find_separator(from_pil(made.image, dpi)), Separator(type_name=name), (i, dpi, effects))

    def test_no_other_side_is_taken_for_one(self) -> None:
        rng = random.Random(6)
        for i in range(self.OTHERS):
            kind = TYPES[i % len(TYPES)]
            record = make_record(kind, make_world(), random.Random(i))
            page = draw_document(record, fixed_layout(kind, 1 + i % 3), random.Random(i), dpi=150)[0]
            if i % 3 == 0:
                text = rng.choice(("KB2;document", "https://example.invalid/KB1", "KB1;other;Bill", "R-2041", "KB1"))
                page.sheet.image.paste(draw_qr(text), (700, 1100))
            made = scan(page.sheet.image, [], 150, Effects(mode=("1-bit", "grey")[i % 2], skew_degrees=i % 7 - 3), i)
            self.assertIsNone(find_separator(from_pil(made.image, 150)), i)

    def test_codes_of_other_writers_are_read(self) -> None:
        # Source: ISO/IEC 15417 symbol by python-barcode 0.16, ISO/IEC 18004 symbol by segno 1.6.
        out = io.BytesIO()
        Code128("KB1;document;Letter", writer=ImageWriter()).write(
            out, {"write_text": False, "dpi": 300, "module_width": 0.4}
        )
        for image in (Image.open(out).convert("L"), draw_qr("KB1;document;Letter", 10)):
            page = Image.new("L", (2480, 3508), "white")
            page.paste(image, (400, 900))
            self.assertEqual(find_separator(from_pil(page, 300)), Separator(type_name="Letter"))


class Printing(unittest.TestCase):
    def test_sizes_and_count(self) -> None:
        # Source: ISO 216 A4 210 x 297 mm; ANSI A 8.5 x 11 in, in points of 1/72 in.
        for size, points in (("A4", (595.3, 841.9)), ("Letter", (612.0, 792.0))):
            document = pdfium.PdfDocument(print_sheets(Separator(type_name="Bill"), count=3, size=size))
            self.assertEqual(len(document), 3)
            self.assertTrue(np.allclose(document[0].get_size(), points, atol=0.1))
            text = document[0].get_textpage().get_text_range()
            self.assertEqual(text.count("KB1;document;Bill"), 2)
            document.close()

    def test_content(self) -> None:
        self.assertEqual(parse_content("KB1;document;Bill"), Separator("document", "Bill"))
        for foreign in ("KB1", "KB1;cabinet", "KB2;document", "KB1;document;a;b", ""):
            self.assertIsNone(parse_content(foreign))
        with self.assertRaisesRegex(InputProblem, "cannot carry"):
            print_sheets(Separator(type_name="Größe"))


class Patches(unittest.TestCase):
    SHEETS = 18

    def test_all_six_are_found_in_any_turn(self) -> None:
        rng = random.Random(9)
        table = dict(PATCH_PATTERNS)
        drawn = {}
        for symbol in table:
            document = pdfium.PdfDocument(print_patches(symbol, table, size="Letter" if symbol == "T" else "A4"))
            for dpi in (150, 300):
                drawn[symbol, dpi] = document[0].render(scale=dpi / 72, grayscale=True).to_pil().convert("L")
            document.close()
        for i in range(self.SHEETS):
            symbol, dpi = sorted(table)[i % 6], rng.choice((150, 300))
            effects = Effects(
                mode=rng.choice(("1-bit", "grey", "colour")), rotation=rng.choice((0, 90, 180, 270)),
                skew_degrees=rng.uniform(-10, 10), faint=rng.choice((0.0, 0.4)), speckle=0.2,
            )  # fmt: skip
            found = find_patch(from_pil(scan(drawn[symbol, dpi], [], dpi, effects, i).image, dpi), table)
            self.assertEqual(found.symbol if found else None, symbol, (i, dpi, effects))

    def test_bars_drawn_by_hand_and_the_table_that_can_be_changed(self) -> None:
        # Source: from memory (bars of 0.08 and 0.20 inch, gaps of 0.08 inch); which bars bear which name is a table.
        page = np.full((1169, 827), 255, np.uint8)
        y = 40
        for bar in "WNNW":
            thick = 20 if bar == "W" else 8
            page[y : y + thick, 200:600] = 0
            y += thick + 8
        found = find_patch(Picture(page, 100, "grey"), PATCH_PATTERNS)
        self.assertEqual(found.symbol if found else None, "6")
        swapped = {**PATCH_PATTERNS, "6": "NWWN", "3": "WNNW"}
        again = find_patch(Picture(np.ascontiguousarray(page[::-1]), 100, "grey"), swapped)
        self.assertEqual(again.symbol if again else None, "3", "upside down says the same")

    def test_ruled_pages_have_none(self) -> None:
        page = np.full((1169, 827), 255, np.uint8)
        for y in range(100, 900, 24):
            page[y : y + 2, 100:700] = 0
        page[950:980, 100:700] = 0
        self.assertIsNone(find_patch(Picture(page, 100, "grey"), PATCH_PATTERNS))


class Barcodes(unittest.TestCase):
    def page(self, *symbols: Image.Image) -> Picture:
        sheet = Image.new("L", (2480, 3508), "white")
        for i, symbol in enumerate(symbols):
            sheet.paste(symbol, (300, 300 + 900 * i))
        return from_pil(sheet, 300)

    def test_formats_of_independent_writers(self) -> None:
        # Source: ISO/IEC 15417, 16388, 15420 by python-barcode 0.16; ISO/IEC 18004 by segno 1.6.
        options = {"write_text": False, "dpi": 300, "module_width": 0.4}
        one = Code128("PO-12345", writer=ImageWriter()).render(options).convert("L")
        two = Code39("KB39", writer=ImageWriter(), add_checksum=False).render(options).convert("L")
        # Source: GS1 general specifications, prefixes 200 to 299 are for use inside a company and belong to nobody.
        ean = EAN13("200000012345", writer=ImageWriter())
        three, three_text = ean.render(options).convert("L"), ean.get_fullcode()
        page = self.page(one, two, three, draw_qr("KB-QR", 10))
        found = find_marks(page, Wanted(formats=("any",)))
        said = {(m.format, m.text) for m in found}
        self.assertEqual(said, {("Code 128", "PO-12345"), ("Code 39", "KB39"), ("EAN-13", three_text), ("QR", "KB-QR")})
        (only,) = find_marks(page, Wanted(formats=("Code 39",)))
        left, top, right, bottom = only.box
        self.assertTrue(300 <= left < right <= 300 + two.width and 1200 <= top < bottom <= 1200 + two.height, only.box)

    def test_only_what_is_asked_for_is_looked_for(self) -> None:
        page = self.page(draw_qr("KB-QR", 20))
        self.assertEqual(find_marks(page, Wanted()), ())
        self.assertEqual(find_marks(page, Wanted(formats=("Code 128",))), ())
        self.assertEqual(Wanted(True, ("QR",), (("1", "WWNN"),)).names, ("separator", "patch code", "QR"))
