"""Cutting sheets into documents."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import Placing, SideFacts
from keybundle.core.setup.routines import Routine, Separation

POST = Routine(name="Post", sign="PO", duplex=True)


def cut(sheets: list[list[SideFacts]], routine: Routine) -> list[Placing]:
    state, placings = CutState(), []
    for sheet in sheets:
        more, state = place_sheet(sheet, routine, state)
        placings += more
    return placings


def sheet(number: int, front: str, back: str) -> list[SideFacts]:
    """A sheet of sides told by one letter: s separator, b blank, p page."""
    return [
        SideFacts(f"{number}{which}", number, side, "scan", is_blank=which == "b", separator=which == "s",
                  separator_type="Bill" if which == "s" else "")
        for which, side in ((front, "front"), (back, "back"))
    ]  # fmt: skip


class Cutting(unittest.TestCase):
    def test_a_separator_leaves_its_back_out_and_names_the_type(self) -> None:
        found = cut(
            [sheet(1, "s", "b"), sheet(2, "p", "b"), sheet(3, "p", "p"), sheet(4, "b", "s"), sheet(5, "p", "b")], POST
        )
        self.assertEqual([p.kept for p in found], [False, False, True, False, True, True, False, False, True, False])
        starts = [p for p in found if p.starts]
        self.assertEqual([p.break_reason for p in starts], ["separator sheet", "separator sheet"])
        self.assertEqual({p.type_name for p in starts}, {"Bill"})

    def test_a_written_back_of_a_separator_is_pointed_out(self) -> None:
        found = cut([sheet(1, "s", "p"), sheet(2, "p", "b")], POST)
        self.assertEqual((found[1].kept, found[1].reason), (False, "back of separator"))
        self.assertIn("not blank", found[1].note)

    def test_every_n_sheets_counts_sheets_not_sides(self) -> None:
        routine = Routine(
            name="x",
            sign="XX",
            duplex=True,
            separation=Separation.model_validate({"by": "every n sheets", "sheets": 3}),
        )
        found = cut([sheet(i, "p", "p") for i in range(1, 8)], routine)
        self.assertEqual([i for i, p in enumerate(found) if p.starts], [0, 6, 12])

    def test_each_source_file(self) -> None:
        routine = Routine(name="x", sign="XX", separation=Separation.model_validate({"by": "each source file"}))
        sides = [[SideFacts(str(i), i, "front", source)] for i, source in enumerate("aabbbc")]
        self.assertEqual([i for i, p in enumerate(cut(sides, routine)) if p.starts], [0, 2, 5])

    @given(st.lists(st.tuples(st.sampled_from("sbp"), st.sampled_from("sbp")), max_size=30), st.integers(0, 30))
    def test_it_can_be_taken_up_at_any_sheet(self, drawn: list[tuple[str, str]], at: int) -> None:
        sheets = [sheet(i, *pair) for i, pair in enumerate(drawn)]
        state, first = CutState(), []
        for one in sheets[:at]:
            more, state = place_sheet(one, POST, state)
            first += more
        for one in sheets[at:]:
            more, state = place_sheet(one, POST, state)
            first += more
        self.assertEqual(first, cut(sheets, POST))
        self.assertEqual(len(first), 2 * len(sheets))
        self.assertTrue(all(p.kept or p.reason for p in first))
