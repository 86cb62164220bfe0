"""Decoding and judging pages, with scikit-image and a second skew finder as outside references."""

from __future__ import annotations

import ctypes
import io
import random
import unittest
import warnings
from dataclasses import replace
from typing import Any

import cv2
import jiwer
import numpy as np
import scipy.ndimage
from PIL import Image, ImageOps
from skimage.filters import threshold_otsu, threshold_sauvola

from keybundle.core.base.boxes import Frame, upright_box
from keybundle.core.base.errors import InputProblem
from keybundle.core.imaging.clean import NONE, Steps, clean, despeckle, find_sheet, flatten
from keybundle.core.imaging.colour import decide_colour
from keybundle.core.imaging.judge import _median_level, find_ink, judge, measure_skew, shrink
from keybundle.core.imaging.leaders import take_out_leaders
from keybundle.core.imaging.letters import measure_print
from keybundle.core.imaging.light import turn_light_on_dark
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Picture, decode, from_pil, probe, to_grey
from keybundle.core.imaging.render import straighten, straighten_part
from keybundle.core.marks.stripes import CELL_PX, stripe_share
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.demo import trials
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.paper import Sheet, load_face
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, Scan, scan
from tests.leptonica_pages import page_path
from tests.support import DataTest


def make_scan(type_name: str, layout: int, seed: int, effects: Effects) -> Scan:
    rng = random.Random(seed)
    record = make_record(type_name, make_world(), rng)
    page = draw_document(record, fixed_layout(type_name, layout), rng, dpi=150)[0]
    return scan(page.sheet.image, page.words, 150, effects, seed)


class Upright(unittest.TestCase):
    def test_skew_and_rotation_of_generated_pages(self) -> None:
        rng = random.Random(11)
        errors, turned_right = [], 0
        for i in range(24):
            effects = Effects(mode=("1-bit", "grey")[i % 2], skew_degrees=round(rng.uniform(-9, 9), 2),
                              rotation=rng.choice((0, 90, 180, 270)), speckle=0.2)  # fmt: skip
            made = make_scan(TYPES[i % len(TYPES)], 1 + i % 3, i, effects)
            found = judge(from_pil(made.image, 150))
            turned_right += found.rotation == effects.rotation
            errors.append(abs(found.skew_degrees - effects.skew_degrees))
        self.assertLess(float(np.median(errors)), 0.1)
        self.assertGreaterEqual(turned_right, 23)

    def test_skew_of_real_scans_agrees_with_leptonica(self) -> None:
        # Source: real scans of Debian's leptonlib source; second opinion pixFindSkew of liblept5 1.82.
        lept = ctypes.CDLL("liblept.so.5")
        lept.pixRead.restype = lept.pixConvertTo1.restype = ctypes.c_void_p
        lept.pixRead.argtypes = [ctypes.c_char_p]
        lept.pixConvertTo1.argtypes = [ctypes.c_void_p, ctypes.c_int32]
        pointer = ctypes.POINTER(ctypes.c_float)
        lept.pixFindSkew.argtypes = [ctypes.c_void_p, pointer, pointer]
        for name in ("feyn.tif", "rabi.png"):
            path = page_path(name)
            with warnings.catch_warnings(), Image.open(path) as image:
                warnings.simplefilter("ignore")
                picture = from_pil(image, 300)
            grey, _ = shrink(to_grey(picture), 300)
            ours, _ = measure_skew(find_ink(grey))
            angle, confidence = ctypes.c_float(), ctypes.c_float()
            pix = lept.pixConvertTo1(lept.pixRead(str(path).encode()), 150)
            self.assertEqual(lept.pixFindSkew(pix, angle, confidence), 0)
            # Leptonica tells the turn that straightens the page, positive clockwise.
            self.assertAlmostEqual(ours, -angle.value, delta=0.15, msg=name)

    def test_a_frame_takes_the_page_back(self) -> None:
        made = make_scan("Bill", 1, 5, Effects(rotation=90, skew_degrees=3.0))
        straight = straighten(from_pil(made.image, 150), made.frame)
        self.assertEqual(straight.shape, (made.frame.upright_size[1], made.frame.upright_size[0]))
        for word in made.words[:12]:
            again = upright_box(made.frame, made.captured_box(word.box))
            self.assertLessEqual(max(abs(a - b) for a, b in zip(again, word.box, strict=True)), 3, word)
            left, top, right, bottom = word.box
            self.assertLess(int(straight[top:bottom, left:right].min()), 140)


class Portions(unittest.TestCase):
    """What is worked out more quickly is what it was worked out as before."""

    def test_a_part_is_straightened_as_the_whole_page_is(self) -> None:
        rng, seeded = np.random.default_rng(30), random.Random(30)
        for number in range(60):
            height, width = seeded.randint(200, 500), seeded.randint(200, 500)
            shape = (height, width) if number % 2 else (height, width, 3)
            pixels = cv2.GaussianBlur(rng.integers(0, 256, shape, dtype=np.uint8), (5, 5), 0)
            picture = Picture(pixels, 300.0, "grey" if number % 2 else "colour")
            frame = Frame(width, height, seeded.choice((0, 90, 180, 270)), seeded.choice((0.0, 0.05, -3.3, 10.0)))
            left, top = seeded.randint(-20, 190), seeded.randint(-20, 190)
            right, bottom = left + seeded.randint(5, 400), top + seeded.randint(5, 90)
            whole = straighten(picture, frame)[max(0, top) : max(0, bottom), max(0, left) : max(0, right)]
            part = straighten_part(picture, frame, (left, top, right, bottom))
            self.assertEqual(part.size, whole.size)
            self.assertLessEqual(int(np.abs(part.astype(int) - whole).max(initial=0)) if part.size else 0, 1)
        for box in ((600, 10, 700, 40), (30, 30, 30, 60), (-90, 5, -10, 20)):
            self.assertEqual(straighten_part(picture, frame, box).size, 0)

    def test_what_is_counted_is_what_numpy_sorts_and_averages(self) -> None:
        rng = np.random.default_rng(31)
        for shape in ((1, 1), (2, 2), (40, 64), (97, 131), (31, 400)):
            for high in (2, 256):
                grey = (rng.integers(0, high, shape) * (255 if high == 2 else 1)).astype(np.uint8)
                self.assertEqual(_median_level(grey), float(np.median(grey)))
                self.assertEqual(stripe_share(grey), plain_stripe_share(grey))
        bars = np.repeat(np.tile(np.array([0, 0, 255, 255], dtype=np.uint8), 40)[None], 96, axis=0)
        self.assertEqual((stripe_share(bars), plain_stripe_share(bars)), (1.0, 1.0))


def plain_stripe_share(grey: np.ndarray) -> float:
    """The share of cells like a code, cell by cell as ``marks/stripes.py`` tells it, with NumPy's means."""
    ink, cells = (grey < 140).astype(float), []
    for top in range(0, ink.shape[0] - CELL_PX + 1, CELL_PX):
        for left in range(0, ink.shape[1] - CELL_PX + 1, CELL_PX):
            cell = ink[top : top + CELL_PX, left : left + CELL_PX]
            changes = max(np.abs(np.diff(cell, axis=a)).mean() for a in (0, 1))
            cells.append(0.35 < cell.mean() < 0.65 and changes > 0.12)
    return float(np.mean(cells)) if cells else 0.0


class Ink(unittest.TestCase):
    def test_ink_agrees_with_otsu_on_a_clean_page(self) -> None:
        # Source: scikit-image 0.26, threshold_otsu.
        made = make_scan("Letter", 1, 3, Effects(noise=1))
        grey = np.asarray(made.image, dtype=np.uint8)
        ours = find_ink(grey).astype(bool)
        otsu = grey < threshold_otsu(grey)
        agreement = (ours & otsu).sum() / (ours | otsu).sum()
        self.assertGreater(agreement, 0.8)

    def test_blank_backs_and_sides_with_one_mark(self) -> None:
        # The 300 of each are counted by scripts/bench cleaning.
        for i in range(12):
            self.assertTrue(judge(from_pil(trials.blank_back(i).image, 200)).is_blank, f"blank back {i}")
        for i in range(12):
            kind = trials.MARKS[i % 4]
            self.assertFalse(judge(from_pil(trials.nearly_blank(kind, i).image, 200)).is_blank, f"{kind} {i}")

    def test_blank_is_told_on_a_sheet_drawn_without_the_simulation(self) -> None:
        soft = np.full((2339, 1654), 250, np.uint8)
        mark = soft.copy()
        cv2.putText(mark, "ok", (700, 900), cv2.FONT_HERSHEY_SIMPLEX, 1.4, 170, 2, cv2.LINE_AA)
        cv2.putText(soft, "SHINES THROUGH", (200, 900), cv2.FONT_HERSHEY_SIMPLEX, 4, 150, 12, cv2.LINE_AA)
        soft = cv2.GaussianBlur(soft, (0, 0), 3.5)
        self.assertFalse(judge(Picture(mark, 200, "grey")).is_blank)
        self.assertTrue(judge(Picture(soft, 200, "grey")).is_blank)


class Cleaning(unittest.TestCase):
    def test_edges_and_holes_become_paper_and_text_stays(self) -> None:
        made = trials.hard_page("edges and holes", 2, 150)
        picture = from_pil(made.image, 150)
        left, _, _, bottom = find_sheet(to_grey(picture), 150)
        self.assertTrue(left > 0 and bottom < picture.height)
        cleaned = clean(straighten(picture, made.frame), 150, Steps())
        self.assertGreater(int(np.median(cleaned[:, :4])), 250)
        hole = cleaned[
            round(105 * 150 / 25.4) : round(112 * 150 / 25.4), round(8 * 150 / 25.4) : round(14 * 150 / 25.4)
        ]
        self.assertGreater(int(hole.min()), 200)
        for word in made.words[:20]:
            box = cleaned[word.box[1] : word.box[3], word.box[0] : word.box[2]]
            self.assertLess(int(box.min()), 120, word)

    def test_specks_go_and_the_dots_of_letters_stay(self) -> None:
        page = np.full((1000, 1000), 255, np.uint8)
        cv2.putText(page, "i.j", (300, 500), cv2.FONT_HERSHEY_SIMPLEX, 1.5, 0, 3)
        letters = page.copy()
        for x, y in ((60, 60), (800, 120), (500, 900), (150, 700)):
            page[y : y + 2, x : x + 2] = 0
        np.testing.assert_array_equal(despeckle(page, 200), letters)

    def test_flattening_agrees_with_a_local_threshold_and_leaves_a_good_page_alone(self) -> None:
        # Source: scikit-image 0.26, threshold_sauvola with its defaults on the same shaded page.
        made = trials.hard_page("shaded", 5, 150)
        grey = to_grey(from_pil(made.image, 150))
        ours = flatten(grey, 150) < 128
        sauvola = grey < threshold_sauvola(grey, window_size=31)
        self.assertGreater((ours & sauvola).sum() / (ours | sauvola).sum(), 0.6)
        self.assertGreater((grey < threshold_otsu(grey)).sum(), 2 * ours.sum(), "one threshold takes shade for ink")
        good = to_grey(from_pil(trials.hard_page("clean", 5, 150).image, 150))
        self.assertIs(flatten(good, 150), good)

    def test_each_step_can_be_left_out(self) -> None:
        grey = to_grey(from_pil(trials.hard_page("all of it", 1, 150).image, 150))
        self.assertIs(clean(grey, 150, NONE), grey)
        for name in ("crop", "fill_holes", "despeckle", "flatten"):
            without = clean(grey, 150, replace(Steps(), **{name: False}))
            self.assertGreater(int((without != clean(grey, 150, Steps())).sum()), 0, name)

    def test_cleaned_pages_read_better(self) -> None:
        # Source: character error rate by jiwer 4; scripts/bench cleaning measures the whole set.
        engine, rates = get_engine("eng"), []
        for kind in ("shaded", "all of it", "specks"):
            made = trials.hard_page(kind, 4, 200)
            truth = " ".join(w.text for w in made.words)
            said = [read_page(from_pil(made.image, 200), made.frame, engine, s) for s in (NONE, Steps())]
            rates.append([jiwer.cer(truth, " ".join(w.text for w in text.words)) for text in said])
        before, after = np.mean(rates, axis=0)
        self.assertLess(after, 0.8 * before)

    def test_colour_is_decided_by_content(self) -> None:
        text = draw_document(make_record("Letter", make_world(), random.Random(1)), fixed_layout("Letter", 1),
                             random.Random(1), dpi=150)[0].sheet.image  # fmt: skip
        tinted = Image.merge("RGB", [text.convert("L").point(lambda v, k=k: int(v * k)) for k in (1.0, 0.97, 0.88)])
        self.assertEqual(decide_colour(from_pil(tinted, 150)), "1-bit", "tinted paper is no colour")
        stamped = tinted.copy()
        stamped.paste((30, 60, 170), (300, 300, 420, 340))
        self.assertEqual(decide_colour(from_pil(stamped, 150)), "colour")
        photo = text.convert("L").copy()
        photo.paste(Image.radial_gradient("L").resize((500, 400)), (200, 900))
        self.assertEqual(decide_colour(from_pil(photo, 150)), "grey")
        self.assertEqual(decide_colour(from_pil(text.convert("1"), 150)), "1-bit")


class Decode(DataTest):
    def test_tiff_in_all_usual_compressions(self) -> None:
        # Source: TIFF 6.0, Compression tag; written by Pillow's libtiff, read back and compared pixel by pixel.
        grey = Image.fromarray(np.tile(np.arange(0, 250, 5, dtype=np.uint8), (40, 2)))
        bits = grey.point(lambda v: 255 if v > 120 else 0).convert("1", dither=Image.Dither.NONE)
        for image, compressions in (
            (bits, ("raw", "packbits", "group3", "group4", "tiff_lzw", "tiff_adobe_deflate")),
            (grey, ("raw", "packbits", "tiff_lzw", "tiff_adobe_deflate")),
        ):
            for compression in compressions:
                path = self.folder / f"{image.mode}-{compression}.tif"
                image.save(
                    path, compression=compression, dpi=(200, 200), save_all=True, append_images=[image.rotate(180)]
                )
                facts = probe(path, path.name)
                self.assertEqual((facts.kind, facts.pages), ("TIFF", 2))
                second = decode(path, 1)
                self.assertEqual(second.dpi, 200.0)
                expected = np.asarray(image.rotate(180).convert("L"))
                self.assertTrue(np.array_equal(second.pixels, expected), compression)

    def test_jpeg_and_png_come_out_as_pillow_decodes_them_and_are_told_where_they_are_cut_short(self) -> None:
        # Source: Pillow's own decoder, to the last bit; other px would be other decisions.
        rng = np.random.default_rng(32)
        whole = Image.fromarray(cv2.GaussianBlur(rng.integers(0, 256, (301, 207, 3), dtype=np.uint8), (9, 9), 0))
        path, turned = self.folder / "a.jpg", Image.Exif()
        turned[0x0112] = 6
        for options in ({}, {"quality": 35, "subsampling": 2}, {"progressive": True}, {"exif": turned}):
            whole.save(path, "JPEG", dpi=(300, 300), **options)
            with Image.open(path) as image:
                wanted = np.asarray(ImageOps.exif_transpose(image))
            got = decode(path)
            self.assertEqual((got.mode, got.dpi, got.is_dpi_told), ("colour", 300.0, True))
            np.testing.assert_array_equal(got.pixels, wanted)
        grey = whole.convert("L")
        for image, options in (
            (grey, {}),
            (grey, {"compress_level": 1}),
            (grey.convert("LA"), {}),
            (grey.convert("P"), {}),
        ):
            image.save(self.folder / "a.png", "PNG", dpi=(300, 300), **options)
            np.testing.assert_array_equal(to_grey(decode(self.folder / "a.png")), np.asarray(grey))
        grey.save(self.folder / "a.png", "PNG", dpi=(300, 300))
        for made in (path, self.folder / "a.png"):
            data = made.read_bytes()
            harmed = bytearray(data)
            harmed[len(data) // 2] ^= 0x55
            for short in (data[: len(data) // 2], data[:-40], *([bytes(harmed)] if made.suffix == ".png" else [])):
                made.write_bytes(short)
                with self.assertRaisesRegex(InputProblem, made.name):
                    decode(made)

    def test_bad_files_are_told_by_name(self) -> None:
        good = io.BytesIO()
        Image.fromarray(np.random.default_rng(1).integers(0, 255, (400, 300), dtype=np.uint8)).save(good, "JPEG")
        tiff = io.BytesIO()
        Image.new("L", (300, 400), 90).save(tiff, "TIFF", compression="tiff_lzw")
        for name, data, word in (
            ("cut.jpg", good.getvalue()[:-3000], "cut short"), ("cut.tif", tiff.getvalue()[:60], "cut short"),
            ("empty.png", b"", "is empty"), ("text.tif", b"only words" * 40, "neither TIFF"),
            ("broken.pdf", b"%PDF-1.7\nnothing", "broken PDF"),
        ):  # fmt: skip
            path = self.folder / name
            path.write_bytes(data)
            with self.assertRaises(InputProblem) as caught:
                probe(path, name)
                decode(path, name=name)
            self.assertIn(name, str(caught.exception))
            self.assertIn(word, str(caught.exception))

    def test_over_a_gigapixel(self) -> None:
        import struct
        import zlib

        def chunk(kind: bytes, data: bytes) -> bytes:
            return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

        # Source: PNG (ISO/IEC 15948) IHDR: width and height as 32-bit numbers; no pixel of it needs to exist.
        head = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", 40_000, 30_000, 8, 0, 0, 0, 0))
        path = self.folder / "huge.png"
        path.write_bytes(head + chunk(b"IDAT", zlib.compress(b"\0")) + chunk(b"IEND", b""))
        with self.assertRaisesRegex(InputProblem, "“huge.png” is 40,000 x 30,000 pixels; the limit is 1,000 million"):
            probe(path, "huge.png")


class Frames(unittest.TestCase):
    def test_paper_sizes(self) -> None:
        # Source: ISO 216: A4 is 210 mm x 297 mm; 25.4 mm to the inch.
        made = make_scan("Bill", 1, 1, Effects())
        self.assertEqual(made.image.size, (round(210 / 25.4 * 150), round(297 / 25.4 * 150)))
        self.assertEqual(Frame(100, 200, 90).upright_size, (200, 100))


class Parts(unittest.TestCase):
    def test_they_are_those_of_another_labeller_few_or_many(self) -> None:
        # Source: scipy.ndimage.label with a structure of 3 x 3 ones.
        rng = np.random.default_rng(271126)
        for share, size in ((0.0, 40), (0.02, 300), (0.3, 300), (0.12, 1200)):
            mask = (rng.random((size, size + 7)) < share).astype(np.uint8)
            count, labels, stats = label_parts(mask)
            told, found = scipy.ndimage.label(mask, np.ones((3, 3)))
            self.assertEqual(count - 1, found, share)
            self.assertEqual(len({(a, b) for a, b in zip(labels.ravel(), told.ravel(), strict=True)}), count)
            self.assertEqual(sorted(stats[1:, 4]), sorted(np.bincount(told.ravel())[1:]))


class Letters(unittest.TestCase):
    def test_their_height_is_that_of_the_face(self) -> None:
        # Source: the faces' own outlines: the height of an x as the font renderer measures it.
        for face, size_pt in (("plain", 7.0), ("serif", 9.0), ("typewriter", 12.0)):
            sheet = Sheet(300)
            for i in range(20):
                sheet.put("on our own we can save some ore near a cave", 20, 30 + 8 * i, face, size_pt)
            left, top, right, bottom = load_face(face, round(size_pt / 72 * 300), False).getbbox("x")
            self.assertGreater(right, left)
            found = measure_print(np.array(sheet.image), 300, 0.0).small_mm
            self.assertAlmostEqual(found or 0.0, (bottom - top) / 300 * 25.4, delta=0.12)
        self.assertIsNone(measure_print(np.full((400, 300), 255, np.uint8), 300, 0.0).small_mm)


class LightOnDark(unittest.TestCase):
    def page(self, *, dark: bool) -> np.ndarray[Any, np.dtype[np.uint8]]:
        sheet = Sheet(200)
        ground, ink = ((40,) * 3, (235,) * 3) if dark else ((255,) * 3, (0,) * 3)
        sheet.block(20, 50, 190, 58, ground)
        sheet.put("Article      Count      Amount", 24, 56, "plain", 11, bold=True, ink=ink)
        sheet.put("garden hose, in a row below the head", 24, 70, "plain", 11)
        return np.array(sheet.image, dtype=np.uint8)

    def test_a_dark_band_becomes_as_if_printed_dark_on_light(self) -> None:
        page, plain = self.page(dark=True), self.page(dark=False)
        turned = turn_light_on_dark(page, 200.0)
        self.assertLess(float(np.abs(turned.astype(int) - plain)[:500].mean()), 0.5)
        np.testing.assert_array_equal(turned[500:], page[500:], "what lies below stays")
        words = [w.text for w in get_engine("eng").read(turned, 200.0)]
        self.assertEqual(words[:3], ["Article", "Count", "Amount"])

    def test_a_page_without_bands_is_left_alone(self) -> None:
        page = self.page(dark=False)
        self.assertIs(turn_light_on_dark(page, 200.0), page)
        sheet = Sheet(200)
        for row, face in enumerate(("plain", "serif", "typewriter", "book", "firm")):
            for column, size_pt in enumerate((14, 18, 24, 30)):
                sheet.put("Tenancy", 20 + 44 * column, 40 + 20 * row, face, size_pt, bold=True)
        bold = np.where(np.array(sheet.image) > 190, 255, 0).astype(np.uint8)
        np.testing.assert_array_equal(turn_light_on_dark(bold, 200.0), bold, "titles in bold are no bands")
        cv2.circle(page, (800, 1400), 150, (20,), -1)
        cv2.rectangle(page, (300, 1800), (1300, 1804), (0,), -1)
        np.testing.assert_array_equal(turn_light_on_dark(page, 200.0), page, "a seal and a thick rule are no bands")


class Leaders(unittest.TestCase):
    def page(self, *, dots: bool) -> np.ndarray[Any, np.dtype[np.uint8]]:
        sheet = Sheet(200)
        for row in range(12):
            sheet.put("gully 4,120.50 (jig) due 05.08.25. ... i.e.", 24, 40 + 10 * row, "plain", 11)
            if dots:
                sheet.put("." * 40, 120, 40 + 10 * row, "plain", 9)
        return np.array(sheet.image)

    def test_leader_dots_go_and_full_stops_stay(self) -> None:
        bare, dotted = self.page(dots=False), self.page(dots=True)
        self.assertIs(take_out_leaders(bare, 200), bare, "nothing to take out")
        out = take_out_leaders(dotted, 200)
        self.assertEqual(((out < 160) & ~(bare < 160)).sum(), 0)
        self.assertEqual(((bare < 160) & ~(out < 160)).sum(), 0)
