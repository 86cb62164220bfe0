"""What like documents teach besides places: labels in sentences, usual values, shapes of codes; amounts that add up."""

from __future__ import annotations

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.candidates import Candidate
from keybundle.core.proposing.habits import hold_against
from keybundle.core.proposing.lessons import Lesson, Taught, agree_on
from keybundle.core.proposing.rows import Rows, build_rows
from keybundle.core.proposing.shapes import same_shape, same_value, shape_of
from keybundle.core.proposing.sums import settle_sums
from keybundle.core.setup.model import DocumentType
from tests.core.test_wording import make_type, page, propose, texts

cents = st.integers(1, 9_999_999).map(lambda n: Decimal(n) / 100)
KIND = DocumentType(name="Bill", cabinet="x", sums=("Net + Tax = Total",))


def lesson(label: str, value: str, left: float = 0.1) -> Lesson:
    return Lesson("Number", 0, label, (left, 0.2, left + 0.1, 0.22), value=value)


def amounts(name: str, texts: list[Decimal]) -> list[FieldValue]:
    return [FieldValue((f"{x:.2f}",), 0.9 - 0.1 * i, as_read=f"{name} {i}") for i, x in enumerate(texts)]


class Sums(unittest.TestCase):
    @given(cents, cents, st.data())
    def test_of_what_may_be_meant_that_is_taken_which_adds_up(
        self, net: Decimal, tax: Decimal, data: st.DataObject
    ) -> None:
        truth = {"Net": net, "Tax": tax, "Total": net + tax}
        rivals, others = {}, st.lists(cents, max_size=2)
        for name, amount in truth.items():
            rivals[name] = amounts(name, data.draw(st.permutations([amount, *data.draw(others)])))
        settled = settle_sums({name: found[0] for name, found in rivals.items()}, rivals, KIND)
        taken = {name: Decimal(v.text) for name, v in settled.items()}
        self.assertEqual(taken["Net"] + taken["Tax"], taken["Total"])
        for name, value in settled.items():
            first = rivals[name][0].text
            self.assertTrue(value.text == first or first in value.alternatives, "what was taken first is offered")

    def test_where_nothing_adds_up_everything_stays(self) -> None:
        values = {n: FieldValue((x,), 0.8) for n, x in (("Net", "10.00"), ("Tax", "2.00"), ("Total", "13.00"))}
        self.assertEqual(settle_sums(values, {"Total": amounts("Total", [Decimal(14)])}, KIND), values)
        words = {"Net": FieldValue(("ten",), 0.2), "Tax": values["Tax"]}
        self.assertEqual(settle_sums(words, {}, KIND), words)

    def test_a_total_that_the_head_of_a_column_would_give(self) -> None:
        kind = make_type(Net=Kind.MONEY, Tax=Kind.MONEY, Total=Kind.MONEY).model_copy(
            update={"sums": ("Net + Tax = Total",)}
        )
        said = page([(120, 50, "Total"), (120, 56, "34.32"), (20, 80, "Net"), (120, 80, "100.00"), (20, 90, "Tax"),
                     (120, 90, "20.00"), (20, 100, "Total"), (120, 100, "120.00")])  # fmt: skip
        self.assertEqual(texts(propose(kind, said)), {"Net": "100.00", "Tax": "20.00", "Total": "120.00"})


class Habits(unittest.TestCase):
    def test_shapes(self) -> None:
        self.assertEqual(
            [shape_of(x) for x in ("PO-73938", "C785", "07/A2", "Oriel 34", "none")], ["A-9", "A9", "9/A9", "", ""]
        )
        self.assertEqual((same_shape(["A1", "B22"]), same_shape(["A1", "22"]), same_shape(["A1"])), ("A9", "", ""))
        self.assertEqual(
            (same_value(["Lark & Son"] * 3), same_value(["yes"] * 3), same_value(["Lark & Son"])),
            ("Lark & Son", "", ""),
        )

    def test_labels_in_sentences_are_their_last_words_in_common(self) -> None:
        told = agree_on([lesson("Oriel 34 and begins on", "B-1"), lesson("Sorrel 7 and begins on", "B-22", 0.4)])[
            "Number"
        ]
        self.assertEqual((told.label, told.zone, told.shape, told.value), ("and begins on", None, "A-9", ""))
        self.assertEqual(
            agree_on([lesson("sum of", "1"), lesson("price of", "2")])["Number"].label, "", "small words tell none"
        )

    def test_what_is_nearly_the_usual_value_is_it_and_what_is_not_counts_less(self) -> None:
        words = build_rows(page([(20, 50, "Hébrard Foundry")])).segments[0].words
        near, other = (
            Candidate("Hebrard Foundry", "Hebrard Foundry", words, 0.7),
            Candidate("Bills", "Bills", words, 0.7),
        )
        held = hold_against([other, near], Rows((), 1.0), "Hébrard Foundry", "")
        self.assertEqual([c.value for c in held], ["Hébrard Foundry", "Bills"])
        self.assertTrue(held[0].score > 0.9 > 0.7 > held[1].score)

    def test_the_usual_sender_is_found_in_a_letterhead_that_has_no_label(self) -> None:
        said = page([(20, 60, "Number"), (60, 60, "B-7")], large=[(20, 30, "Hébrard Foundry")])
        usual = Taught("Firm", 0, "", None, 3, "", value="Hébrard Foundry")
        kind = make_type(Number=Kind.TEXT, Firm=Kind.TEXT)
        self.assertEqual(texts(propose(kind, said)), {"Number": "B-7"})
        self.assertEqual(
            texts(propose(kind, said, taught={"Firm": usual})), {"Number": "B-7", "Firm": "Hébrard Foundry"}
        )

    def test_a_code_of_another_shape_is_for_a_person(self) -> None:
        said = page([(20, 60, "Number"), (60, 60, "84515")])
        kind = make_type(Number=Kind.TEXT)
        shaped = Taught("Number", 0, "Number", None, 3, "", shape="A9")
        self.assertTrue(
            propose(kind, said, taught={"Number": Taught("Number", 0, "Number", None, 3, "")})["Number"].sure
        )
        self.assertFalse(propose(kind, said, taught={"Number": shaped})["Number"].sure)


class Sentences(unittest.TestCase):
    KIND = make_type("Lease", Tenant=Kind.TEXT, Premises=Kind.TEXT, Monthly_rent=Kind.MONEY)

    def test_an_agreement_says_who_what_and_how_much(self) -> None:
        said = page([(20, 60, "1. This agreement is made between Lark and Son and Delphine d'Aubel. It is kept."),
                     (20, 66, "2. It concerns Oriel 34 and begins on the first day of the next month of the year."),
                     (20, 72, "3. A sum of CHF 1'691.93 is paid in advance on the first day of each month.")])  # fmt: skip
        found = propose(self.KIND, said)
        self.assertEqual((found["Premises"].text, found["Monthly rent"].text), ("Oriel 34", "1691.93"))
        two = page(
            [
                (
                    20,
                    60,
                    "This agreement is made between Larkmere Foundry and Delphine d'Aubel. It is kept by both sides.",
                )
            ]
        )
        self.assertEqual(propose(self.KIND, two)["Tenant"].text, "Delphine d'Aubel")

    def test_the_wide_spaces_of_a_typewriter_part_nothing(self) -> None:
        kind = make_type(Net=Kind.MONEY, Number=Kind.TEXT)
        lines = [(20, 60, "Amount before tax"), (90, 60, "24 546,71"), (20, 70, "Number"), (90, 70, "B 7 22"),
                 (20, 90, "and what else is to be said stands here")]  # fmt: skip
        pitch = 10 * 0.6 / 72 * 25.4  # every sign of a typewriter has one width, in mm
        wide = [w for x, y, text in lines for w in self.spaced(x, y, text, pitch)]
        self.assertEqual(texts(propose(kind, page(wide, face="typewriter"))), {"Net": "24546.71", "Number": "B 7 22"})

    @staticmethod
    def spaced(x: float, y: float, text: str, pitch: float) -> list[tuple[float, float, str]]:
        """Return the words of a line as lines of their own, with spaces one and a half signs wide."""
        found, at = [], x
        for word in text.split():
            found.append((at, y, word))
            at += (len(word) + 1.5) * pitch
        return found


if __name__ == "__main__":
    unittest.main()
