"""Reading, measured by jiwer on pages whose text is known, against the plain engine and on a real scan."""

from __future__ import annotations

import os
import random
import unittest
import warnings
from dataclasses import replace

import jiwer
import numpy as np
from PIL import Image

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.imaging.judge import Judgement, judge
from keybundle.core.imaging.picture import Picture, Pixels, from_pil, to_grey
from keybundle.core.imaging.render import straighten
from keybundle.core.reading.engine import TesseractEngine, choose_scale, get_engine, read_page
from keybundle.core.reading.text import PageText, Word
from keybundle.core.reading.upright import tell_upright
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.paper import Sheet
from keybundle.demo.records import make_record
from keybundle.demo.scan import Effects, Scan, scan
from tests.leptonica_pages import page_path


def make_letter(seed: int, effects: Effects) -> Scan:
    rng = random.Random(seed)
    record = make_record("Letter", make_world(), rng)
    page = draw_document(record, fixed_layout("Letter", 1), rng, dpi=300)[0]
    return scan(page.sheet.image, page.words, 300, effects, seed)


class Reading(unittest.TestCase):
    def test_skewed_and_upside_down_pages_are_read_upright(self) -> None:
        # Source: character error rate by jiwer 4.0 over the words that were drawn.
        for seed, effects in ((1, Effects(rotation=180, skew_degrees=4)), (2, Effects(mode="1-bit", skew_degrees=-6))):
            made = make_letter(seed, effects)
            picture = from_pil(made.image, 300)
            found = judge(picture)
            frame = Frame(picture.width, picture.height, found.rotation, found.skew_degrees)
            text = read_page(picture, frame, get_engine("eng"))
            truth = " ".join(w.text for w in made.words)
            ours = jiwer.cer(truth, " ".join(w.text for w in text.words))
            self.assertLess(ours, 0.03)
            plain = get_engine("eng").read(straighten(picture, made.frame), 300)
            self.assertLessEqual(ours, jiwer.cer(truth, " ".join(w.text for w in plain)) + 0.01)
            by_place = {w.text: w.box for w in made.words if len(w.text) > 6}
            for word in text.words:
                if word.text in by_place and sum(w.text == word.text for w in made.words) == 1:
                    self.assertLess(max(abs(a - b) for a, b in zip(word.box, by_place[word.text], strict=True)), 14)

    def test_a_column_that_the_layout_drops_is_read_by_itself(self) -> None:
        # Source: the words that were drawn. The engine's layout is made to drop what stands right of the middle.
        sheet = Sheet(300)
        for row in range(14):
            sheet.put("hire of a hoist", 24, 60 + 8 * row, "plain", 10.5)
            sheet.put(f"{412 + 37 * row}.{10 + row}", 180, 60 + 8 * row, "plain", 10.5, align="right")
        sheet.put("RECEIVED", 60, 40, "firm", 14)

        class Dropping:
            def __init__(self) -> None:
                self.layouts: list[str] = []

            def read(self, grey: Pixels, dpi: float, *, layout: str = "page") -> list[Word]:
                self.layouts.append(layout)
                words = get_engine("eng").read(grey, dpi, layout=layout)
                return [w for w in words if layout != "page" or w.box[0] < grey.shape[1] / 2]

            def tell_rotation(self, grey: Pixels, dpi: float) -> int | None:
                return None

        picture, dropping = from_pil(sheet.image, 300), Dropping()
        frame = Frame(picture.width, picture.height)
        text = read_page(picture, frame, dropping)
        amounts = {w.text: w.box for w in sheet.words if "." in w.text}
        found = {w.text: w.box for w in text.words if w.text in amounts}
        self.assertGreaterEqual(len(found), 13)
        for said, box in found.items():
            self.assertLess(max(abs(a - b) for a, b in zip(box, amounts[said], strict=True)), 14)
        self.assertEqual(len({(w.block, w.line) for w in text.words if w.text in amounts}), len(found), "a line each")
        whole = Dropping()
        whole.read = lambda grey, dpi, layout="page": (  # type: ignore[method-assign, assignment]
            whole.layouts.append(layout) or get_engine("eng").read(grey, dpi, layout=layout)
        )  # type: ignore[func-returns-value]
        read_page(picture, frame, whole)
        self.assertEqual(whole.layouts, ["page"], "nothing is read twice where nothing was dropped")

    def test_small_print_is_read_at_full_size(self) -> None:
        for size_pt, share in ((7.0, 1.0), (11.0, 2 / 3)):
            sheet = Sheet(300)
            for row in range(20):
                words = [
                    "a",
                    "sum",
                    "of",
                    "even",
                    "money",
                    "is",
                    "owed",
                    "on",
                    "the",
                    "same",
                    "day",
                    "as",
                    "soon",
                    "as",
                    "it",
                    "is",
                    "named",
                ]
                sheet.put(" ".join(words[row % 7 :]), 20, 40 + 8 * row, "plain", size_pt)
            picture = from_pil(sheet.image, 300)
            self.assertAlmostEqual(choose_scale(picture, Frame(picture.width, picture.height)), share)
            sideways = from_pil(sheet.image.transpose(Image.Transpose.ROTATE_90), 300)
            self.assertAlmostEqual(choose_scale(sideways, Frame(sideways.width, sideways.height, 90)), share)

    def test_a_long_table_is_read_at_full_size_though_it_lies_slanting(self) -> None:
        for rows, share in ((20, 1.0), (6, 2 / 3)):
            sheet = Sheet(300)
            for row in range(rows):
                sheet.put("paper for the copier in the hall", 20, 40 + 7 * row, "plain", 11)
                sheet.put(str(row * 7919 % 90), 120, 40 + 7 * row, "plain", 11, align="right")
                sheet.put(f"{row * 7919 % 4000}.50", 180, 40 + 7 * row, "plain", 11, align="right")
            made = scan(sheet.image, sheet.words, 300, Effects(skew_degrees=1.6), 3)
            self.assertAlmostEqual(choose_scale(from_pil(made.image, 300), made.frame), share)

    def test_what_comes_out_poor_is_read_again_larger_and_the_surer_reading_is_kept(self) -> None:
        class Doubtful:
            def __init__(self, larger: float) -> None:
                self.read_at: list[float] = []
                self.larger = larger

            def read(self, grey: Pixels, dpi: float, *, layout: str = "page") -> list[Word]:
                self.read_at.append(dpi)
                return [Word(f"{dpi:.0f}", (10, 10, 40, 20), self.larger if dpi > 250 else 0.7, 0, 0)]

            def tell_rotation(self, grey: Pixels, dpi: float) -> int | None:
                return None

        page = Picture(np.full((900, 700), 255, np.uint8), 600, "grey")
        for larger, kept in ((0.9, "300"), (0.5, "200")):
            engine = Doubtful(larger)
            text = read_page(page, Frame(700, 900), engine)
            self.assertEqual([round(dpi) for dpi in engine.read_at], [200, 300])
            self.assertEqual([w.text for w in text.words], [kept])
            self.assertLess(abs(text.words[0].box[2] - 40 * 600 / int(kept)), 2, "in px of the captured picture")

    def test_the_engine_is_asked_which_way_up_only_where_the_lines_leave_a_doubt(self) -> None:
        class Asked:
            told: int | None = 180
            asked = 0

            def read(self, grey: Pixels, dpi: float, *, layout: str = "page") -> list[Word]:
                return []

            def tell_rotation(self, grey: Pixels, dpi: float) -> int | None:
                self.asked += 1
                return self.told

        engine, page = Asked(), Picture(np.full((900, 700), 255, np.uint8), 300, "grey")
        sure = Judgement(90, 0.0, 500.0, False, 5.0, True)
        self.assertEqual((tell_upright(page, sure, engine), engine.asked), (90, 0))
        doubtful = replace(sure, upright_margin=0.5)
        self.assertEqual((tell_upright(page, doubtful, engine), engine.asked), (270, 1))
        engine.told = None
        self.assertEqual(tell_upright(page, doubtful, engine), 90, "who does not know leaves it")

    def test_a_real_scan(self) -> None:
        # Source: feyn.tif of Debian's leptonlib source, a printed page; a line of it as anybody can read it.
        with warnings.catch_warnings(), Image.open(page_path("feyn.tif")) as image:
            warnings.simplefilter("ignore")
            picture = from_pil(image, 300)
        text = read_page(picture, Frame(picture.width, picture.height), get_engine("eng"))
        self.assertGreater(len(text.words), 300)
        self.assertIn("doodling in the margins of science", text.plain)

    def test_round_trip_and_captured_boxes(self) -> None:
        made = make_letter(3, Effects(rotation=90, skew_degrees=2))
        text = read_page(from_pil(made.image, 300), made.frame, get_engine("eng"))
        again = PageText.from_bytes(text.to_bytes())
        self.assertEqual([w.text for w in again.words], [w.text for w in text.words])
        word = max(again.words, key=lambda w: w.box[2] - w.box[0])
        left, top, right, bottom = again.captured_box([word])
        self.assertGreater(bottom - top, right - left)
        self.assertLess(int(to_grey(from_pil(made.image, 300))[top:bottom, left:right].min()), 120)

    def test_a_page_without_words(self) -> None:
        paper = from_pil(Image.new("L", (800, 1100), "white"), 100)
        self.assertEqual(read_page(paper, Frame(800, 1100), get_engine("eng")).words, ())

    def test_missing_language_data_names_the_package(self) -> None:
        with self.assertRaisesRegex(EnvironmentProblem, "tesseract-ocr-xyz"):
            TesseractEngine("xyz")
        before = os.environ.get("TESSDATA_PREFIX")
        os.environ["TESSDATA_PREFIX"] = "/nowhere"
        self.addCleanup(lambda: os.environ.pop("TESSDATA_PREFIX") if before is None else None)
        with self.assertRaisesRegex(EnvironmentProblem, "tesseract-ocr-eng"):
            TesseractEngine("eng")
