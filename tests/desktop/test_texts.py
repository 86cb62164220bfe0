"""Wording shared by the screens, and what the foot of the window tells of the work behind it."""

from __future__ import annotations

import unittest
from dataclasses import dataclass, field
from datetime import timedelta

from hypothesis import given
from hypothesis import strategies as st

from keybundle.desktop.presenters.find import make_bars
from keybundle.desktop.presenters.texts import join_words, say_age, say_seconds, tell_line
from keybundle.desktop.views.blocks import read_block, write_block
from keybundle.desktop.words import trn


@dataclass
class LineStub:
    """A line as its readers see it."""

    problem: str = ""
    waits: bool = False
    stopped: frozenset[str] = field(default_factory=frozenset)
    pages_to_read: int = 0
    seconds_to_read: float | None = None
    busy: int = 0


class Blocks(unittest.TestCase):
    # Source: RFC 4180, with tabs between cells, as spreadsheets hand cells over.
    def test_cells_come_back_as_they_were_and_quotes_count_only_where_they_had_to_be_written(self) -> None:
        for text, cells in (
            ('"two\nlines"\tx\r\ny\tz\r\n', [["two lines", "x"], ["y", "z"]]), ('"""Reed"" & Sons"', [['"Reed" & Sons']]),
            ('"Hello" he said', [['"Hello" he said']]), ('3" pipe\t4" pipe', [['3" pipe', '4" pipe']]), ("\n", []),
        ):  # fmt: skip
            self.assertEqual(read_block(text), cells)

    @given(st.lists(st.lists(st.text("ab\"\t ,'", max_size=6), min_size=3, max_size=3), min_size=1, max_size=4))
    def test_what_is_written_is_read_alike(self, block: list[list[str]]) -> None:
        block[-1][-1] += "."  # empty lines at the end are none
        self.assertEqual(read_block(write_block(block)), block)


class Bars(unittest.TestCase):
    def test_months_become_years_where_there_are_many_and_nothing_is_left_out(self) -> None:
        months = [(f"{2000 + i // 12}-{i % 12 + 1:02d}", i + 1) for i in range(15 * 12)]
        for number, conditions in (
            (12, [f"filed = 2000-{m:02d}" for m in range(1, 13)]), (13, ["filed = 2000", "filed = 2001"]),
            (15 * 12, ["filed < 2004", *(f"filed = {y}" for y in range(2004, 2015))]),
        ):  # fmt: skip
            bars = make_bars(months[:number])
            self.assertEqual([b.condition for b in bars], conditions)
            self.assertEqual(sum(b.number for b in bars), sum(n for _, n in months[:number]))
        self.assertEqual(
            (make_bars(months[:1])[0].label, make_bars(months[:1])[0].told), ("Jan 00", "January 2000: 1 document")
        )


class Words(unittest.TestCase):
    def test_counts_and_lists(self) -> None:
        self.assertEqual(
            [trn("{n:,} page", "{n:,} pages", n) for n in (0, 1, 1200)], ["0 pages", "1 page", "1,200 pages"]
        )
        self.assertEqual([join_words(list(x)) for x in ("", "a", "ab", "abc")], ["", "a", "a and b", "a, b and c"])

    def test_ages(self) -> None:
        told = [say_age(timedelta(minutes=m)) for m in (0, 1, 59, 60, 47 * 60, 48 * 60)]
        self.assertEqual(
            told, ["just now", "1 minute old", "59 minutes old", "1 hour old", "47 hours old", "2 days old"]
        )

    def test_durations_are_rough(self) -> None:
        told = [say_seconds(s) for s in (0.4, 12, 57, 58, 89, 91, 3600)]
        self.assertEqual(told, ["5 s", "10 s", "55 s", "1 minute", "1 minute", "2 minutes", "60 minutes"])

    def test_the_line_tells_trouble_first_then_what_is_left(self) -> None:
        two = frozenset("ab")
        cases = (
            (LineStub(), "All pages are read"),
            (LineStub(busy=3), "Looking at pages that came in"),
            (LineStub(pages_to_read=1, busy=1), "1 page to read"),
            (LineStub(pages_to_read=34, seconds_to_read=62.0), "34 pages to read, about 1 minute"),
            (LineStub(stopped=two), "Reading stopped in 2 batches"),
            (LineStub(stopped=two, pages_to_read=4), "4 pages to read and reading stopped in 2 batches"),
            (LineStub(problem="No space is left.", pages_to_read=4), "No space is left."),
            (
                LineStub(problem="No space is left.", waits=True),
                "No space is left. It is tried again by itself; Ctrl+Shift+Y: at once",
            ),
        )
        for line, told in cases:
            self.assertEqual(tell_line(line), told)  # type: ignore[arg-type]
