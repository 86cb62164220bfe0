"""Frames, boxes, atomic files, ids, errors."""

from __future__ import annotations

import errno
import math
import os
import unittest
from datetime import UTC, datetime
from unittest import mock

from hypothesis import assume, given
from hypothesis import strategies as st

from keybundle.core.base.boxes import Frame, compose, invert, transform_box, union, upright_box
from keybundle.core.base.changes import Changes
from keybundle.core.base.clock import Clock, make_id
from keybundle.core.base.errors import Cancelled, EnvironmentProblem, Finding, Report, explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.base.progress import CancelToken
from tests.support import DataTest

FRAMES = st.builds(
    Frame, st.integers(200, 4000), st.integers(200, 4000), st.sampled_from((0, 90, 180, 270)),
    st.floats(-12, 12, allow_nan=False),
)  # fmt: skip


class Frames(unittest.TestCase):
    def test_quarter_turns_by_hand(self) -> None:
        # Source: turning a 100 x 200 picture clockwise by 90 degrees puts its left edge on top.
        self.assertEqual(transform_box(Frame(100, 200, 90).to_upright(), (0, 0, 10, 20)), (180, 0, 200, 10))
        self.assertEqual(transform_box(Frame(100, 200, 180).to_upright(), (0, 0, 10, 20)), (90, 180, 100, 200))
        self.assertEqual(transform_box(Frame(100, 200, 270).to_upright(), (0, 0, 10, 20)), (0, 90, 20, 100))

    def test_skew_turns_about_the_middle(self) -> None:
        # Source: plane trigonometry: a text line that runs down to the right by 5 degrees becomes level.
        m = Frame(1000, 1000, 0, 5.0).to_upright()
        x, y = 500 + 300 * math.cos(math.radians(5)), 500 + 300 * math.sin(math.radians(5))
        self.assertAlmostEqual(m[0] * x + m[1] * y + m[2], 800, places=6)
        self.assertAlmostEqual(m[3] * x + m[4] * y + m[5], 500, places=6)

    @given(FRAMES, st.floats(0, 4000), st.floats(0, 4000))
    def test_there_and_back(self, frame: Frame, x: float, y: float) -> None:
        both = compose(frame.to_captured(), frame.to_upright())
        self.assertAlmostEqual(both[0] * x + both[1] * y + both[2], x, delta=1e-5)
        self.assertAlmostEqual(both[3] * x + both[4] * y + both[5], y, delta=1e-5)
        self.assertEqual(Frame(frame.width, frame.height).to_upright(), (1, 0, 0, 0, 1, 0))
        again = invert(invert(frame.to_upright()))
        self.assertTrue(all(abs(a - b) < 1e-6 for a, b in zip(again, frame.to_upright(), strict=True)))

    @given(FRAMES, st.integers(30, 120), st.integers(30, 120), st.integers(20, 60), st.integers(14, 40))
    def test_boxes_come_back_to_a_pixel_or_two(
        self, frame: Frame, left: int, top: int, width: int, height: int
    ) -> None:
        uw, uh = frame.upright_size
        box = (uw // 2 - left, uh // 2 - top, uw // 2 - left + width, uh // 2 - top + height)
        captured = frame.captured_box(box)
        assume(captured[0] > 0 and captured[1] > 0 and captured[2] < frame.width and captured[3] < frame.height)
        again = upright_box(frame, captured)
        self.assertLessEqual(max(abs(a - b) for a, b in zip(again, box, strict=True)), 3)

    def test_union(self) -> None:
        self.assertEqual(union([(1, 2, 3, 4), (0, 3, 2, 9)]), (0, 2, 3, 9))
        with self.assertRaises(ValueError):
            union([])


class Files(DataTest):
    def test_each_fault_leaves_the_old_state(self) -> None:
        path = self.folder / "kept.txt"
        write_atomic(path, b"old")
        for step in ("os.fsync", "os.replace", "os.open"):
            with (
                mock.patch(f"keybundle.core.base.files.{step}", side_effect=OSError(errno.EIO, "broken")),
                self.assertRaises(EnvironmentProblem),
            ):
                write_atomic(path, b"new")
            self.assertEqual((path.read_bytes(), os.listdir(self.folder)), (b"old", ["kept.txt"]), step)
        write_atomic(path, b"new")
        self.assertEqual(path.read_bytes(), b"new")

    def test_sentences_for_the_operating_system(self) -> None:
        for number, words in (
            (errno.ENOSPC, "no space left"),
            (errno.EROFS, "permission is missing"),
            (errno.EIO, "Nothing was changed"),
        ):
            self.assertIn(words, str(explain_os_error(OSError(number, "said"), "the thing")))


class Small(unittest.TestCase):
    def test_ids_sort_by_time_and_do_not_repeat(self) -> None:
        made = [make_id() for _ in range(2000)]
        self.assertEqual(len(set(made)), 2000)
        moments = [
            datetime(2026, 1, 1, tzinfo=UTC),
            datetime(2026, 1, 1, 0, 0, 5, tzinfo=UTC),
            datetime(2031, 5, 5, tzinfo=UTC),
        ]
        heads = []
        for moment in moments:
            with mock.patch("keybundle.core.base.clock._utc_now", return_value=moment):
                heads.append(make_id()[:7])
        self.assertEqual(heads, sorted(heads))
        self.assertRegex(Clock().stamp(), r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}\+00:00$")

    def test_cancel_changes_and_reports(self) -> None:
        token = CancelToken()
        token.check()
        token.cancel()
        self.assertTrue(token.wait(0))
        with self.assertRaisesRegex(Cancelled, "kept"):
            token.check()
        both = Changes(frozenset("a"), text="x") | Changes(frozenset("b"), repository=True)
        self.assertEqual((both.batches, both.repository, both.text), (frozenset("ab"), True, "x"))
        self.assertEqual(str(Finding("rule", "line 3", "is wrong")), "line 3: is wrong")
        self.assertTrue(Report().ok)
