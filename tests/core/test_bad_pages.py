"""Pages that make no sense: garbage words, contradicting labels, dates in the wrong order. Nothing is lost or made sure."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.boxes import Frame
from keybundle.core.fields.kinds import Refusal, normalise
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.evidence import weigh
from keybundle.core.proposing.lessons import learn_fields
from keybundle.core.proposing.look import look_at
from keybundle.core.proposing.memory import Memory
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.types import guess_type
from keybundle.core.reading.text import PageText, Word
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup

SETUP = make_setup(make_world())
BOOKS = {r.name: Book(r.key, [dict(zip(r.columns, row, strict=True)) for row in r.rows]) for r in SETUP.registers}
WIDTH, HEIGHT = 1000, 1400

# Labels and half-values of the demo world among any signs at all: right to left, combining, private, punctuation.
TELLING = [label for kind in SETUP.document_types for spec in kind.fields for label in spec.labels]
PIECES = st.one_of(
    st.sampled_from(TELLING),
    st.sampled_from(
        ["31/02/2026", "EUR", "1,2,3.4.5", "PO-", "R-99999", "DE00", "€", "-", "12.3.", "x" * 3000, "שלום", "é"]
    ),
    st.text(alphabet=st.characters(blacklist_categories=("Cs", "Zs", "Zl", "Zp", "Cc")), min_size=1, max_size=12),
)


@st.composite
def pages(draw: st.DrawFn) -> PageText:
    """Lines of pieces, some of them over each other, with any confidence."""
    words: list[Word] = []
    for line in range(draw(st.integers(0, 8))):
        top, left = draw(st.integers(0, HEIGHT - 40)), draw(st.integers(0, WIDTH - 200))
        for piece in draw(st.lists(PIECES, min_size=1, max_size=6)):
            for text in piece.split() or [piece]:
                right = min(WIDTH, left + 12 * min(len(text), 20))
                words.append(Word(text, (left, top, right, top + 22), draw(st.floats(0, 1)), 0, line))
                left = min(WIDTH - 10, right + draw(st.integers(2, 120)))
    return PageText(tuple(words), Frame(WIDTH, HEIGHT))


def rule(spec: FieldSpec):
    return spec.rule()


class Garbage(unittest.TestCase):
    @given(pages(), pages(), st.sampled_from(SETUP.document_types))
    def test_whatever_is_read_the_proposals_hold_together(
        self, first: PageText, second: PageText, kind: DocumentType
    ) -> None:
        hints = Hints(file_name="\u202enote 31-31.pdf", properties={"created": "2026-13-77", "title": ""})
        values = propose_values([ReadPage("a", first), ReadPage("b", second)], kind, BOOKS, 0.8, rule, hints)
        for name, value in values.items():
            spec = kind.field(name)
            assert spec is not None
            self.assertTrue(0 <= value.confidence <= 1, name)
            self.assertTrue(all(value.items), name)
            self.assertFalse(value.sure and value.problem, name)
            self.assertEqual((value.guess, value.guess_score), (value.text, value.confidence))
            if value.box is not None:
                self.assertIn(value.page, ("a", "b"))
                self.assertTrue(
                    0 <= value.box[0] <= value.box[2] <= WIDTH and 0 <= value.box[1] <= value.box[3] <= HEIGHT
                )
            if value.sure:
                again = [normalise(item, rule(spec)) for item in value.items]
                self.assertFalse(any(isinstance(x, Refusal) for x in again), "what is sure is a value of its kind")
        learn_fields([("a", first), ("b", second)], kind, values, rule)

    @given(pages())
    def test_a_look_and_a_type_come_of_any_page(self, page: PageText) -> None:
        look = look_at(page)
        self.assertEqual(sorted(set(look.ids.tolist())), look.ids.tolist())
        self.assertEqual(look_at(PageText.from_bytes(page.to_bytes())).ids.tolist(), look.ids.tolist())
        guess = guess_type(Memory(), page, SETUP.document_types)
        self.assertTrue(guess is None or (SETUP.document_type(guess.name) is not None and 0 < guess.confidence < 1))


class Contradictions(unittest.TestCase):
    def say(self, *lines: str) -> ReadPage:
        words = []
        for i, line in enumerate(lines):
            left = 100
            for column in line.split("  "):
                for text in column.split():
                    words.append(Word(text, (left, 100 + 60 * i, left + 12 * len(text), 122 + 60 * i), 0.96, 0, i))
                    left += 12 * len(text) + 10
                left += 80
        return ReadPage("p", PageText(tuple(words), Frame(WIDTH, HEIGHT)))

    def propose(self, *lines: str) -> dict[str, FieldValue]:
        kind = SETUP.document_type("Bill")
        assert kind is not None
        return propose_values([self.say(*lines)], kind, BOOKS, 0.8, rule)

    def test_two_totals_are_one_unsure_value_with_the_other_offered(self) -> None:
        found = self.propose("Bill date  3 April 2026", "Total  EUR 120.00", "Total  EUR 150.00")["Total"]
        self.assertFalse(found.sure)
        self.assertEqual({found.text, *found.alternatives}, {"120.00", "150.00"})

    def test_what_stands_at_a_label_but_is_no_value_is_shown_and_unsure(self) -> None:
        found = self.propose("Bill date  31 February 2026", "Net  plenty")
        self.assertEqual((found["Bill date"].text, found["Bill date"].sure), ("31 February 2026", False))
        self.assertEqual((found["Net"].text, found["Net"].sure), ("plenty", False))

    def test_an_end_before_its_start_is_told(self) -> None:
        kind = SETUP.document_type("Safety certificate")
        assert kind is not None
        first, second = (part.strip() for part in kind.order[0].split("<"))
        values = {first: FieldValue(("2026-05-01",), 0.97), second: FieldValue(("2026-04-30",), 0.97)}
        weighed = weigh(values, kind, BOOKS, 0.8)
        self.assertIn(f"{first} (2026-05-01) is after {second} (2026-04-30)", weighed[second].problem)
        self.assertFalse(weighed[second].sure)
        later = weigh({**values, second: FieldValue(("2026-05-01",), 0.97)}, kind, BOOKS, 0.8)
        self.assertEqual((later[second].problem, later[second].sure), ("", True))
