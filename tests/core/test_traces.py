"""Traces that are no marks: fibres, shadows at punched holes, dust; and small marks beside them that are."""

from __future__ import annotations

import unittest
from unittest import mock

import cv2
import numpy as np
import scipy.optimize
from bench.world.sides import DIRT, MARKS, make_side

from keybundle.core.imaging.blank import measure_content_mm2
from keybundle.core.imaging.judge import judge
from keybundle.core.imaging.paper import Darkness
from keybundle.core.imaging.picture import Picture
from keybundle.core.imaging.traces import find_holes, fit_circle, is_fibre, measure_strokes

MM = 200 / 25.4


def line(width_mm: float, length_mm: float, soft_px: float = 0.7) -> Darkness:
    """Return the darkness of a slanting line, drawn eight times as fine."""
    fine = np.zeros((800, 800), dtype=np.uint8)
    reach = round(length_mm * MM * 8 / 2**0.5)
    cv2.line(fine, (40, 40), (40 + reach, 40 + reach), (255,), max(1, round(width_mm * MM * 8)))
    small = cv2.resize(fine, (100, 100), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    soft = cv2.GaussianBlur(small, (0, 0), soft_px)
    return np.asarray(np.where(soft > 0.09, soft, 0), dtype=np.float32)


class Traces(unittest.TestCase):
    def test_a_lines_length_and_width_are_measured_whatever_its_softness(self) -> None:
        for soft in (0.5, 1.0):
            ((length, width),) = measure_strokes(line(0.5, 6, soft), MM).lines
            self.assertAlmostEqual(length, 6, delta=0.6)
            self.assertAlmostEqual(width, 0.5, delta=0.1)

    def test_a_hair_is_a_fibre_and_a_pens_stroke_is_none(self) -> None:
        self.assertTrue(is_fibre(measure_strokes(line(0.1, 5), MM)))
        self.assertFalse(is_fibre(measure_strokes(line(0.4, 5), MM)))

    def test_circles_agree_with_a_general_least_squares(self) -> None:
        # Source: scipy.optimize.least_squares on the distances from the circle.
        rng = np.random.default_rng(4)
        angles = rng.uniform(0, 4, 200)
        xs = 30 + 12 * np.cos(angles) + rng.normal(0, 0.2, 200)
        ys = 50 + 12 * np.sin(angles) + rng.normal(0, 0.2, 200)
        wanted = scipy.optimize.least_squares(lambda c: np.hypot(xs - c[0], ys - c[1]) - c[2], (25, 45, 10)).x
        found = fit_circle(xs, ys)
        assert found is not None
        np.testing.assert_allclose(found[:3], wanted, atol=0.1)
        self.assertIsNone(fit_circle(np.arange(9.0), np.arange(9.0)))

    def test_holes_have_their_like_where_a_punch_has_its_pins(self) -> None:
        # Source: ISO 838, two holes 80 mm apart, 12 mm from the edge.
        mark = lambda x, y: (round(x * MM), round(y * MM), round((x + 5) * MM), round((y + 5) * MM))  # noqa: E731
        sheet = (round(285 * MM), round(198 * MM))
        self.assertEqual(find_holes([mark(4, 100), mark(5, 180), mark(90, 100)], sheet, MM), [True, True, False])
        self.assertEqual(find_holes([mark(4, 100), mark(5, 150)], sheet, MM), [False, False])
        self.assertEqual(find_holes([mark(90, 100), mark(90, 180)], sheet, MM), [False, False], "far from any edge")

    def test_each_kind_of_dirt_is_no_content_and_each_mark_in_it_is(self) -> None:
        for number in range(len(DIRT)):
            blank = make_side(1, number + 14, marked=False)
            self.assertTrue(judge(blank.picture).is_blank, f"{blank.dirt}, {blank.mode}")
        for number in range(0, 3 * len(MARKS), 3):
            side = make_side(1, number, marked=True)
            self.assertFalse(judge(side.picture).is_blank, f"{side.mark} with {side.dirt}, {side.mode}")

    def test_a_faint_page_full_of_print_is_told_without_measuring_every_letter(self) -> None:
        page = np.full((2339, 1654), 250, np.uint8)
        for y in range(200, 2100, 60):
            cv2.putText(
                page, "a b c d e f g h i k l m", (200, y), cv2.FONT_HERSHEY_SIMPLEX, 1.6, (160,), 2, cv2.LINE_AA
            )
        with mock.patch("keybundle.core.imaging.blank.measure_strokes") as measured:
            self.assertGreater(measure_content_mm2(page, 200.0), 60)
        measured.assert_not_called()

    def test_dust_on_what_shines_through_is_no_content_and_a_faint_stroke_in_bits_is(self) -> None:
        veil = np.full((2339, 1654), 250, np.uint8)
        cv2.putText(veil, "OTHER SIDE", (200, 900), cv2.FONT_HERSHEY_SIMPLEX, 5, (190,), 14, cv2.LINE_AA)
        veil = np.asarray(cv2.GaussianBlur(veil, (0, 0), 3), dtype=np.uint8)
        for at in range(230, 1200, 90):
            cv2.circle(veil, (at, 860), 2, (40,), -1)
        self.assertTrue(judge(Picture(veil, 200, "grey")).is_blank)
        faint = np.full((2339, 1654), 250, np.uint8)
        for at in range(400, 440, 6):  # its level lies about the bar for specks
            cv2.line(faint, (at, 900), (at + 3, 930), (150,), 2, cv2.LINE_AA)
            cv2.line(faint, (at + 3, 930), (at + 6, 900), (165,), 2, cv2.LINE_AA)
        self.assertFalse(judge(Picture(faint, 200, "grey")).is_blank)


if __name__ == "__main__":
    unittest.main()
