"""Separation rules: what each says about a side, how they combine, and separating an open batch again."""

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches import arranging, commands
from keybundle.core.batches.again import Again, cut_batch, mark_by_hand, separate_again
from keybundle.core.batches.model import Batch, Document, Facts, Page, balance
from keybundle.core.fields.values import FieldValue
from keybundle.core.marks.model import Mark
from keybundle.core.reading.text import PageText, Word
from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import Placing, SideFacts
from keybundle.core.separation.numbering import Numbering, read_numbering
from keybundle.core.separation.rules import barcode_values
from keybundle.core.setup.routines import Routine, Separation, SeparationRule

FRAME = Frame(1000, 1400)


def page_text(*lines: tuple[str, int, int]) -> PageText:
    """A page with lines of words from (text, left, top)."""
    words = []
    for number, (line, left, top) in enumerate(lines):
        x = left
        for part in line.split():
            words.append(Word(part, (x, top, x + 12 * len(part), top + 20), 0.9, number, number))
            x += 12 * len(part) + 8
    return PageText(tuple(words), FRAME)


def routine(*rules: dict[str, object], **more: object) -> Routine:
    return Routine.model_validate({"name": "x", "sign": "XX", "separation": {"rules": list(rules)}, **more})


def side(number: int, which: str = "front", **more: object) -> SideFacts:
    return SideFacts(f"{number}{which[0]}", number, which, "scan", frame=FRAME, **more)  # type: ignore[arg-type]


def cut(sides: list[SideFacts], using: Routine) -> list[Placing]:
    """Cut sides, those of one sheet together."""
    state, found = CutState(), []
    for _, group in itertools.groupby(sides, key=lambda s: s.sheet):
        more, state = place_sheet(list(group), using, state)
        found += more
    return found


def starts(found: list[Placing]) -> list[int]:
    return [i for i, p in enumerate(found) if p.starts]


class Rules(unittest.TestCase):
    def test_barcode_by_format_pattern_and_place(self) -> None:
        top, foot = (100, 50, 300, 90), (100, 1300, 300, 1340)
        sides = [
            side(1, marks=(Mark("barcode", "Code 128", "PO-12345", top),)),
            side(2, marks=(Mark("barcode", "Code 128", "X-1", top),)),
            side(3, marks=(Mark("barcode", "QR", "PO-22222", top),)),
            side(4, marks=(Mark("barcode", "Code 128", "po-33333", top),)),
            side(5, marks=(Mark("barcode", "Code 128", "PO-44444", foot),)),
        ]
        rule = {"rule": "barcode", "format": "Code 128", "pattern": r"PO-(?P<Order_number>\d{5})",
                "zone": {"left": 0, "top": 0, "right": 1, "bottom": 0.3}}  # fmt: skip
        found = cut(sides, routine(rule))
        self.assertEqual(starts(found), [0, 3])
        self.assertEqual(found[3].break_reason, "barcode po-33333")
        values = barcode_values(sides[0], routine(rule).separation.rules)
        self.assertEqual({k: v[0] for k, v in values.items()}, {"Order number": "12345"})

    def test_patch_codes_leave_their_sheet_out(self) -> None:
        mark = lambda symbol: (Mark("patch code", symbol, symbol, (0, 0, 9, 9)),)  # noqa: E731
        sides = [side(1), side(2, marks=mark("T")), side(2, "back", is_blank=True), side(3), side(4, marks=mark("2")),
                 side(4, "back"), side(5)]  # fmt: skip
        found = cut(sides, routine({"rule": "patch code", "symbols": ["T"]}))
        self.assertEqual([p.kept for p in found], [True, False, False, True, True, True, True])
        self.assertEqual((found[1].reason, found[2].reason), ("patch code", "back of patch code"))
        self.assertEqual((starts(found), found[3].break_reason), ([0, 3], "patch code T"))
        every = cut(sides, routine({"rule": "patch code"}))
        self.assertIn("not blank", every[5].note)

    def test_words_in_a_zone_tolerate_slips_of_the_reading(self) -> None:
        head, body = page_text(("DEL1VERY N0TE", 100, 100)), page_text(("your delivery note", 100, 900))
        rule = {"rule": "words", "words": "Delivery note", "zone": {"bottom": 0.3}}
        found = cut([side(1, text=body), side(2, text=head), side(3, text=body), side(4, text=head)], routine(rule))
        self.assertEqual(starts(found), [0, 1, 3])
        self.assertEqual(found[3].break_reason, "the words “Delivery note”")
        pattern = cut([side(1), side(2, text=page_text(("Ref 77-1234", 90, 90)))],
                      routine({"rule": "words", "pattern": r"\b77-\d{4}\b"}))  # fmt: skip
        self.assertEqual(pattern[1].break_reason, "the words “77-1234”")

    def test_page_numbering(self) -> None:
        said = [
            "Page 1 of 2",
            "Page 2 of 2",
            "no number",
            "Page l of 3",
            "page 2 0f 3",
            "Page 3 of 3",
            "1 / 1",
            "Page 4 of 3",
        ]
        sides = [side(i, text=page_text((text, 700, 1350))) for i, text in enumerate(said)]
        found = cut(sides, routine({"rule": "page numbering"}))
        self.assertEqual(starts(found), [0, 2, 3, 6, 7])
        self.assertEqual(found[2].break_reason, "after page 2 of 2")
        self.assertEqual(found[3].break_reason, "page 1 of 3")

    @given(st.integers(1, 999), st.integers(1, 999))
    def test_numbering_reads_what_is_printed_and_nothing_that_makes_no_sense(self, page: int, of: int) -> None:
        found = read_numbering(page_text((f"Page {page} of {of}", 10, 10)))
        self.assertEqual(found, Numbering(page, of) if page <= of else None)

    def test_before_and_after_the_mark(self) -> None:
        sides = [
            side(i, text=page_text(("Yours sincerely" if i in (1, 3) else "Dear Trust", 10, 10))) for i in range(5)
        ]
        rule = {"rule": "words", "words": "Yours sincerely"}
        self.assertEqual(starts(cut(sides, routine(rule))), [0, 1, 3])
        after = cut(sides, routine({**rule, "where": "after"}))
        self.assertEqual(starts(after), [0, 2, 4])
        self.assertEqual(after[2].break_reason, "after the words “Yours sincerely”")

    def test_sheets_fronts_pages_and_blank_sheets(self) -> None:
        two = [side(n, which) for n in (1, 2, 3) for which in ("front", "back")]
        self.assertEqual(starts(cut(two, routine({"rule": "front side"}))), [0, 2, 4])
        self.assertEqual(starts(cut(two, routine({"rule": "each page"}))), [0, 1, 2, 3, 4, 5])
        blank = [*two[:2], side(7, is_blank=True), side(7, "back", is_blank=True), *two[2:4],
                 side(8), side(8, "back", is_blank=True)]  # fmt: skip
        found = cut(blank, routine({"rule": "blank page"}))
        self.assertEqual((starts(found), found[4].break_reason), ([0, 4], "blank page"))
        self.assertEqual([p.reason for p in found if not p.kept], ["blank", "blank", "blank"])

    def test_rules_combine_and_the_first_that_speaks_counts(self) -> None:
        sides = [side(1), side(2, separator=True, separator_type="Bill"), side(3), side(4), side(5), side(6)]
        found = cut(sides, routine({"rule": "separator sheet"}, {"rule": "every n sheets", "sheets": 3}))
        self.assertEqual([p.break_reason for p in found if p.starts],
                         ["first page", "separator sheet", "every 3 sheets"])  # fmt: skip
        self.assertEqual(found[2].type_name, "Bill")

    def test_a_pattern_that_runs_away_costs_its_rule_only(self) -> None:
        text = page_text(("a" * 60 + "!", 10, 10))
        found = cut(
            [side(1), side(2, text=text)], routine({"rule": "words", "pattern": r"(a|aa)+$"}, {"rule": "each page"})
        )
        self.assertEqual(starts(found), [0, 1])
        self.assertIn("takes too long", found[1].note)

    def test_faulty_rules_are_refused_in_words(self) -> None:
        for rule, said in (
            ({"rule": "barcode", "pattern": "("}, "no regular expression"),
            ({"rule": "patch code", "symbols": ["7"]}, "no patch code"),
            ({"rule": "words"}, "needs words or a pattern"),
            ({"rule": "words", "words": "x", "zone": {"left": 0.5, "right": 0.5}}, "zone needs"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                SeparationRule.model_validate(rule)
        old = Separation.model_validate({"by": "every n sheets", "sheets": 4})
        self.assertEqual([r.said for r in old.rules], ["every 4 sheets"])


def batch_of(shape: str) -> Batch:
    """A batch told by letters: each letter a page of that document, ``-`` a blank left out."""
    pages, documents = [], {}
    for i, letter in enumerate(shape):
        facts = Facts(1000, 1400, 300, "grey", 0, 0.0, 50.0, letter == "-")
        kept = letter != "-"
        pages.append(Page(f"p{i}", i, "scan", 0, i + 1, "front", "sha", PageKind.PICTURE, facts, "", 0,
                          "kept" if kept else "left out", None if kept else "blank", None, letter if kept else None))  # fmt: skip
        if kept:
            documents[letter] = Document(letter, "separator sheet", "Bill", 1.0, "page", proposed=True)
    return Batch("b", "x", "o", "me", "t", "t", None, tuple(pages), documents)


def shape_of(batch: Batch) -> str:
    names: dict[str, str] = {}
    out = ""
    for p in batch.pages:
        out += names.setdefault(p.document_id, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"[len(names)]) if p.document_id else "-"
    return out


def facts_of(batch: Batch) -> dict[str, SideFacts]:
    return {p.id: SideFacts(p.id, p.sheet, p.side, p.source, bool(p.facts and p.facts.is_blank)) for p in batch.pages}


class SeparatedAgain(unittest.TestCase):
    PAIRS = routine({"rule": "every n sheets", "sheets": 2})

    def again(self, batch: Batch, using: Routine = PAIRS) -> Again:
        ids = (f"new{i}" for i in itertools.count())
        return separate_again(batch, using, facts_of(batch), lambda: next(ids))

    def by_hand(self, batch: Batch, *steps: object) -> Batch:
        for step in steps:
            batch = mark_by_hand(batch, step(batch))  # type: ignore[operator]
        return batch

    def test_rule_breaks_change_and_untouched_documents_keep_their_values(self) -> None:
        before = batch_of("AABCCC")
        after = self.again(before)
        self.assertEqual((shape_of(after.batch), after.conflicts), ("AABBCC", ()))
        self.assertTrue(after.batch.documents["A"].proposed, "same pages as before")
        self.assertFalse(after.batch.documents["B"].proposed)
        self.assertEqual(after.batch.documents["B"].break_reason, "every 2 sheets")

    def test_breaks_joins_and_left_out_pages_by_hand_stay(self) -> None:
        start = batch_of("AABBCC")
        worked = self.by_hand(
            start, lambda b: commands.break_at(b, "p1", "X"), lambda b: commands.join_up(b, "p4"),
            lambda b: commands.leave_out(b, ["p3"]),
        )  # fmt: skip
        self.assertEqual(shape_of(worked), "ABC-CC")
        after = self.again(worked)
        self.assertEqual(shape_of(after.batch), "ABC-CC")
        self.assertEqual(len(after.conflicts), 1)
        self.assertIn("Side 5: joined up by hand", after.conflicts[0])

    def test_documents_that_people_worked_on_stay_whole(self) -> None:
        batch = batch_of("AAABBB")
        confirmed = {"Net": FieldValue(("1.00",), 1.0, confirmed_by="me")}
        batch = replace(batch, documents={**batch.documents, "A": replace(batch.documents["A"], values=confirmed)})
        after = self.again(batch)
        self.assertEqual(shape_of(after.batch), "AAABCC")
        self.assertEqual(after.batch.documents["A"], batch.documents["A"])
        self.assertIn("Side 3", after.conflicts[0])
        self.assertIn("stays whole", after.conflicts[0])

    def test_an_order_made_by_hand_stays(self) -> None:
        batch = self.by_hand(batch_of("AABB"), lambda b: arranging.reverse(b, ["p0", "p1", "p2", "p3"]))
        after = self.again(batch, routine({"rule": "each page"}))
        self.assertEqual([p.id for p in after.batch.pages], ["p3", "p2", "p1", "p0"])

    @given(st.text("AB-", min_size=1, max_size=14), st.integers(1, 4))
    def test_every_side_stays_accounted_for_and_twice_is_once(self, letters: str, sheets: int) -> None:
        runs = "".join(
            chr(65 + i) if key != "-" else "-" for i, (key, g) in enumerate(itertools.groupby(letters)) for _ in g
        )
        using = routine({"rule": "every n sheets", "sheets": sheets})
        once = self.again(batch_of(runs), using).batch
        self.assertTrue(balance(once).is_even)
        self.assertEqual(shape_of(self.again(once, using).batch), shape_of(once))
        expected = [p.page for p in cut_batch(batch_of(runs), using, facts_of(batch_of(runs))).values() if p.starts]
        self.assertEqual(sorted(pages[0].id for pages in once.pages_by_document().values()), sorted(expected))


class Arranging(unittest.TestCase):
    def test_move_within_and_between_documents(self) -> None:
        batch = arranging.move_pages(batch_of("AABBC"), ["p0", "p4"], "p3")
        self.assertEqual([p.id for p in batch.pages], ["p1", "p2", "p0", "p4", "p3"])
        self.assertEqual(shape_of(batch), "ABBBB")
        self.assertNotIn("C", batch.documents)
        behind = arranging.move_pages(batch_of("AABB"), ["p0"], "p3", after=True)
        self.assertEqual([p.id for p in behind.pages], ["p1", "p2", "p3", "p0"])
        with self.assertRaisesRegex(InputProblem, "beside themselves"):
            arranging.move_pages(batch, ["p1"], "p1")
        with self.assertRaisesRegex(InputProblem, "left-out"):
            arranging.move_pages(batch_of("A-"), ["p0"], "p1")

    def test_split_each_and_join_any(self) -> None:
        ids = (f"n{i}" for i in itertools.count())
        split = arranging.split_each(batch_of("AAAAB"), ["p1", "p2"], lambda: next(ids))
        self.assertEqual(shape_of(split), "ABCDE")
        with self.assertRaisesRegex(InputProblem, "already"):
            arranging.split_each(split, ["p0"], lambda: next(ids))
        joined = arranging.join_documents(batch_of("AABBCC"), ["p0", "p5"])
        self.assertEqual([p.id for p in joined.pages], ["p0", "p1", "p4", "p5", "p2", "p3"])
        self.assertEqual(shape_of(joined), "AAAABB")

    def test_reverse_whole_documents_or_inside_one(self) -> None:
        self.assertEqual([p.id for p in arranging.reverse(batch_of("AAABB"), ["p0", "p1", "p2"]).pages][:3],
                         ["p2", "p1", "p0"])  # fmt: skip
        whole = arranging.reverse(batch_of("AABBC"), [f"p{i}" for i in range(5)])
        self.assertEqual(shape_of(whole), "ABBCC")
        with self.assertRaisesRegex(InputProblem, "whole documents"):
            arranging.reverse(batch_of("AABB"), ["p1", "p2"])

    def test_fronts_and_backs_of_two_stacks(self) -> None:
        mixed = arranging.interleave(batch_of("AABBBB"), [f"p{i}" for i in range(6)])
        self.assertEqual([p.id for p in mixed.pages], ["p0", "p5", "p1", "p4", "p2", "p3"])
        self.assertEqual([(p.sheet, p.side) for p in mixed.pages][:4],
                         [(1, "front"), (1, "back"), (2, "front"), (2, "back")])  # fmt: skip
        self.assertEqual(shape_of(mixed), "AAAABB")
        with self.assertRaisesRegex(InputProblem, "3 pages"):
            arranging.interleave(batch_of("AAA"), ["p0", "p1", "p2"])

    def test_all_breaks_shift_by_one(self) -> None:
        self.assertEqual(shape_of(arranging.shift_breaks(batch_of("AABB-BCC"), 1)), "AAAB-BBC")
        self.assertEqual(shape_of(arranging.shift_breaks(batch_of("AABB-BCC"), -1)), "ABBB-CCC")
        with self.assertRaisesRegex(InputProblem, "No break"):
            arranging.shift_breaks(batch_of("AAA"), 1)

    def test_filed_documents_are_left_alone(self) -> None:
        batch = batch_of("AABB")
        filed = replace(batch, documents={**batch.documents, "A": replace(batch.documents["A"], filed_id="f")})
        for command in (
            lambda b: arranging.move_pages(b, ["p0"], "p3"), lambda b: arranging.join_documents(b, ["p0", "p2"]),
            lambda b: arranging.reverse(b, ["p0", "p1"]), lambda b: arranging.shift_breaks(b, 1),
            lambda b: arranging.interleave(b, ["p0", "p1"]), lambda b: arranging.split_each(b, ["p1"], lambda: "n"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InputProblem, "filed"):
                command(filed)

    @given(st.lists(st.integers(0, 8), min_size=1, max_size=4, unique=True), st.integers(0, 8), st.booleans())
    def test_no_page_is_lost_by_a_move(self, chosen: list[int], target: int, after: bool) -> None:
        batch = batch_of("AAB-BCCCC")
        try:
            moved = arranging.move_pages(batch, [f"p{i}" for i in chosen], f"p{target}", after=after)
        except InputProblem:
            return
        self.assertEqual(sorted(p.id for p in moved.pages), sorted(p.id for p in batch.pages))
        self.assertTrue(balance(moved).is_even)
        self.assertEqual({p.document_id for p in moved.pages if p.document_id}, set(moved.documents))
