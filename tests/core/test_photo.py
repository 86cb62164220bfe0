"""Photographs of paper laid flat, and what of a page is filed."""

from __future__ import annotations

import io
import json
import math
import unittest

import jiwer
import numpy as np
from PIL import Image

from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.derived import encode_cleaned
from keybundle.core.imaging.photo import find_outline, flatten_photograph, measure_ratio
from keybundle.core.imaging.picture import Picture, decode, from_pil
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.demo.photos import take_photo
from keybundle.demo.trials import draw_page, hard_page
from tests.support import DataTest, run_cli, sampled


class Photographs(unittest.TestCase):
    def test_corners_are_found(self) -> None:
        near = 0
        for seed in range(400, 400 + sampled(8, 2)):  # scripts/bench photos counts a hundred
            photo = take_photo(seed)
            found = find_outline(Picture(photo.pixels, 300, "colour", is_dpi_told=False))
            if found is not None:
                worst_mm = float(np.linalg.norm(found - photo.corners, axis=1).max()) / photo.px_per_mm
                near += worst_mm < 2
        self.assertGreaterEqual(near, sampled(7, 2))

    def test_a_flat_photograph_is_read(self) -> None:
        photo = take_photo(431)
        flat = flatten_photograph(Picture(photo.pixels, 300, "colour", is_dpi_told=False))
        assert flat is not None
        # ISO 216: the sides of an A4 sheet are 210 and 297 mm.
        self.assertAlmostEqual(flat.height / flat.width, 297 / 210, delta=0.01)
        text = read_page(flat, Frame(flat.width, flat.height), get_engine("eng"))
        rate = jiwer.cer(" ".join(photo.words), " ".join(w.text for w in text.words))
        self.assertLess(rate, 0.08)

    def test_the_proportions_of_a_tilted_sheet(self) -> None:
        photo = take_photo(440)
        height, width = photo.pixels.shape[:2]
        self.assertAlmostEqual(measure_ratio(photo.corners, width, height), 1 / math.sqrt(2), delta=0.09)

    def test_what_is_no_photograph_stays(self) -> None:
        scanned = Picture(np.array(draw_page(3, 100).sheet.image.convert("RGB")), 100, "colour")
        self.assertIsNone(flatten_photograph(scanned))
        noise = np.random.default_rng(1).integers(0, 255, (800, 600, 3), dtype=np.uint8)
        for picture in (
            replaced(scanned),
            Picture(noise, 300, "colour", False),
            Picture(noise[:9, :9], 300, "colour", False),
        ):
            self.assertIsNone(flatten_photograph(picture))


def replaced(picture: Picture) -> Picture:
    return Picture(picture.pixels, picture.dpi, picture.mode, is_dpi_told=False)


class Filed(unittest.TestCase):
    def test_text_becomes_1_bit_and_reads_as_well(self) -> None:
        made = hard_page("shaded", 2)
        data = encode_cleaned(from_pil(made.image, 300), "1-bit", Steps())
        with Image.open(io.BytesIO(data)) as image:
            self.assertEqual((image.mode, image.info["compression"]), ("1", "group4"))
            picture = from_pil(image, 300)
        self.assertLess(len(data), 150_000)
        text = read_page(picture, made.frame, get_engine("eng"))
        truth = " ".join(w.text for w in made.words)
        self.assertLess(jiwer.cer(truth, " ".join(w.text for w in text.words)), 0.03)

    def test_colours_stay_where_they_are_wanted(self) -> None:
        pixels = np.full((1169, 827, 3), 250, dtype=np.uint8)
        pixels[500:600, 300:500] = (200, 30, 40)
        pixels[:, :9] = 20
        with Image.open(io.BytesIO(encode_cleaned(Picture(pixels, 100, "colour"), "colour", Steps()))) as image:
            red, edge = image.getpixel((400, 550)), image.getpixel((3, 900))
        self.assertTrue(np.allclose(red, (200, 30, 40), atol=12))
        self.assertTrue(np.allclose(edge, 255, atol=8))
        with Image.open(io.BytesIO(encode_cleaned(Picture(pixels, 100, "colour"), "grey", Steps()))) as image:
            self.assertEqual(image.mode, "L")


class ThroughTheLine(DataTest):
    def test_a_photograph_comes_in_flat_and_both_are_kept(self) -> None:
        data, photo = self.demo_data(), take_photo(431)
        (self.folder / "photo.jpg").write_bytes(photo.encode())
        report_file = self.folder / "report.json"
        done = run_cli(
            "--data", data, "capture", "--routine", "Files", "--report", report_file, self.folder / "photo.jpg"
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        page = json.loads(report_file.read_text())["pages"][0]
        self.assertLess(abs(page["skew_degrees"]), 1.0)
        self.assertGreater(len(set(page["text"].split()) & set(photo.words)), 0.8 * len(set(photo.words)))
        verified = json.loads(run_cli("--data", data, "verify", "--json").stdout)
        self.assertEqual(verified["bad"], [])
        pictures = [
            decode(p)
            for p in sorted((data / "files").rglob("*"))
            if p.is_file() and p.read_bytes()[:3] == b"\xff\xd8\xff"
        ]
        sizes = sorted((p.width, p.height) for p in pictures)
        self.assertIn((2400, 3200), sizes)
        self.assertTrue(any(abs(h / w - 297 / 210) < 0.01 for w, h in sizes))
