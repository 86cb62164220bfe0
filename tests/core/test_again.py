"""Second readers: what is asked, what comes of agreement and dispute, and the look again while a person is at work."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.errors import Passing
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.again import FIGURES, WORDS, Heard, hear, list_asks
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import Line
from tests.core.test_course import Course
from tests.standin import answer, text_of
from tests.support import acting

PLAIN, MONEY, DATE, IBAN = Rule(), Rule(Kind.MONEY), Rule(Kind.DATE), Rule(check="IBAN")
BOX = (10, 10, 90, 30)


def value(text: str, confidence: float = 0.7, **more: Any) -> FieldValue:
    return FieldValue((text,), confidence, page="p", box=BOX, as_read=more.pop("as_read", text), **more)


class Hearing(unittest.TestCase):
    def test_agreement_takes_the_doubt_about_the_words_away_and_leaves_the_one_about_the_place(self) -> None:
        read_badly = hear(
            value("1250.00", 0.4, as_read="1,250.00", legible=0.45), MONEY, Heard("£1,250.00", 0.99), FIGURES
        )
        stands_badly = hear(
            value("1250.00", 0.4, as_read="1,250.00", legible=1.0), MONEY, Heard("£1,250.00", 0.99), FIGURES
        )
        self.assertGreater(read_badly.confidence, 0.9)
        self.assertLess(stands_badly.confidence, 0.8)

    def test_names_take_the_accents_that_only_the_second_reader_knows(self) -> None:
        heard = hear(value("Ingvild Norgaard"), PLAIN, Heard("Ingvild Nørgaard", 0.96), WORDS)
        self.assertEqual((heard.text, heard.alternatives), ("Ingvild Nørgaard", ("Ingvild Norgaard",)))
        same = hear(value("Maélle Hébrard", 0.73), PLAIN, Heard("Maëlle Hébrard", 0.96), WORDS)
        self.assertEqual((same.text, same.confidence > 0.8), ("Maëlle Hébrard", True))
        unclear = hear(value("Lina Vogt", 0.9), PLAIN, Heard("Lima Voigt", 0.6), WORDS)
        self.assertEqual((unclear.text, unclear.confidence, unclear.alternatives), ("Lina Vogt", 0.6, ("Lima Voigt",)))

    def test_codes_lose_signs_that_no_code_has_and_disputes_are_for_a_person(self) -> None:
        self.assertEqual(hear(value("PO~45955"), PLAIN, Heard("PO-45955", 0.98), FIGURES).text, "PO-45955")
        disputed = hear(value("£84515", 0.9), PLAIN, Heard("E84515", 0.99), FIGURES)
        self.assertEqual(
            (disputed.text, disputed.confidence <= 0.6, disputed.alternatives), ("E84515", True, ("£84515",))
        )

    def test_the_check_decides_where_readers_differ(self) -> None:
        # Source: the example IBAN of the United Kingdom in the registry of ISO 13616.
        broken = value(
            "GB29NWBK60161331926B19", 0.0, as_read="GB29 NWBK 6016 1331 926B 19", problem="The check digit is wrong."
        )
        heard = hear(broken, IBAN, Heard("GB29NWBK60161331926819", 0.97), FIGURES)
        self.assertEqual(
            (heard.text, heard.problem, 0.6 < heard.confidence < 0.8), ("GB29NWBK60161331926819", "", True)
        )
        self.assertIn("Read twice", heard.note)
        right = value("GB29NWBK60161331926819", 0.9)
        self.assertEqual(hear(right, IBAN, Heard("GB29NWBK60161331926B19", 0.99), FIGURES).text, right.text)

    def test_both_read_a_date_and_neither_knows_which_way_round(self) -> None:
        open_one = value("2025-04-09", 0.7, as_read="09/04/2025")
        self.assertEqual(hear(open_one, DATE, Heard("09/04/2025", 0.99), FIGURES), open_one)
        self.assertGreater(
            hear(value("2025-04-19", 0.7, as_read="19/04/2025"), DATE, Heard("19/04/2025", 0.99), FIGURES).confidence,
            0.8,
        )

    @given(st.text(st.characters(codec="utf-8"), max_size=20), st.text(st.characters(codec="utf-8"), max_size=20),
           st.floats(0, 1), st.floats(0, 1), st.sampled_from([PLAIN, MONEY, DATE, IBAN]),
           st.sampled_from([FIGURES, WORDS]))  # fmt: skip
    def test_whatever_is_heard_a_value_stays_a_value(
        self, first: str, second: str, sure: float, heard: float, rule: Rule, reader: str
    ) -> None:
        before = value(first or "x", sure, legible=max(sure, 0.3))
        after = hear(before, rule, Heard(second, heard), reader)
        self.assertTrue(0 <= after.confidence <= 1 and len(after.items) == 1 and after.text)
        if after.text != before.text and not after.note and reader == FIGURES:
            self.assertIn(before.text, (*after.alternatives, before.text))

    def test_what_is_worth_asking(self) -> None:
        kind = DocumentType(name="Bill", cabinet="x", fields=tuple(FieldSpec(name=n) for n in "abcdef"))
        values = {
            "a": value("R-7"), "b": value("Lina Vogt"), "c": value("clear", 0.98),
            "d": replace(value("typed"), origin=Origin.TYPED),
            "e": replace(value("by hand"), given_by="Elspra"), "f": replace(value("nowhere"), box=None),
        }  # fmt: skip
        found = [(a.field, a.reader) for a in list_asks(values, kind, FieldSpec.rule)]
        self.assertEqual(found, [("a", FIGURES), ("b", WORDS)])
        others = {"a": value("Мария Лугова"), "b": value("Νίκη 12"), "c": value("Ødegård, Åsa")}
        self.assertEqual(
            [a.field for a in list_asks(others, kind, FieldSpec.rule)], ["c"], "no lookalikes of other scripts"
        )


class LookingAgain(Course):
    """A certificate whose examiner the first reader has wrong, through the line."""

    SAID = "Safety certificate\nExaminer Ane Mork\nDate 2026-03-04"
    HEARD = ("Åne Mørk", 0.96)

    def setUp(self) -> None:
        super().setUp()
        self.again = 0
        self.pool.answer = self.answered

    def answered(self, what: str, args: tuple[Any, ...]) -> Any:
        if what != "read_lines_again":
            return answer(what, args, self.SAID)
        self.again += 1
        job, boxes, readers = args
        self.assertEqual(len(boxes), len(readers))
        name = next(w.box for w in text_of(self.SAID, job.frame.rotation).words if w.text == "Ane")
        return [self.HEARD if tuple(box)[:2] == name[:2] else ("", 0.0) for box in boxes]

    def examiner(self, batch_id: str) -> FieldValue:
        (document,) = self.load(batch_id).in_order()
        return document.values["Examiner"]

    def test_what_the_second_reader_hears_is_taken_and_shown_beside_the_first_reading(self) -> None:
        batch_id = self.scan(1)
        heard = self.examiner(batch_id)
        self.assertEqual((heard.text, heard.alternatives), ("Åne Mørk", ("Ane Mork",)))
        asked = self.again
        self.line.revise(batch_id)
        self.line.resume()
        self.settle_down()
        self.assertEqual((self.examiner(batch_id), self.again), (heard, asked), "nothing is read or weighed twice")

    def test_stopped_with_the_reading_it_is_taken_up_with_it_and_after_a_restart(self) -> None:
        self.pool.hold = {"read_lines_again"}
        batch_id = self.scan(1)
        self.line.stop_reading(batch_id)
        self.settle_down()
        self.assertTrue(all(h.future.cancelled() for h in self.pool.held))
        self.assertEqual(self.examiner(batch_id).text, "Ane Mork")
        self.line.read_on(batch_id)
        self.settle_down()
        self.line.close()
        self.pool.let_all_go()
        self.assertEqual(self.examiner(batch_id).text, "Ane Mork", "the work ended before the answer came")
        self.line = Line(self.ws, self.pool)  # type: ignore[arg-type]
        self.line.resume()
        self.settle_down()
        self.assertEqual(self.examiner(batch_id).text, "Åne Mørk")

    def test_a_value_typed_meanwhile_stays(self) -> None:
        self.pool.hold = {"read_lines_again"}
        batch_id = self.scan(1)
        (document,) = self.load(batch_id).in_order()
        slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document.id, "Examiner", "Olle Hatch")
        self.settle_down()
        self.pool.let_all_go()
        self.settle_down()
        typed = self.examiner(batch_id)
        self.assertEqual((typed.text, typed.origin, typed.confirmed_by), ("Olle Hatch", Origin.TYPED, self.who))

    def test_a_page_turned_meanwhile_is_looked_at_again_as_it_lies_now(self) -> None:
        self.pool.hold = {"read_lines_again"}
        batch_id = self.scan(1)
        self.act(batch_id, "turn right", 0)
        self.pool.let_all_go()
        self.settle_down()
        self.assertEqual(self.examiner(batch_id).text, "Åne Mørk")
        rotations = {args[0].frame.rotation for what, args in self.pool.asked if what == "read_lines_again"}
        self.assertEqual(len(rotations), 2)

    def test_without_a_second_reader_the_first_one_stands_and_nothing_halts(self) -> None:
        def missing(what: str, args: tuple[Any, ...]) -> Any:
            if what == "read_lines_again":
                raise Passing("The second reader's model is missing.")
            return answer(what, args, self.SAID)

        self.pool.answer = missing
        with self.assertLogs("keybundle.core.workflows.line.line", "WARNING"):
            batch_id = self.scan(1)
        self.assertEqual((self.examiner(batch_id).text, self.examiner(batch_id).alternatives), ("Ane Mork", ()))
        self.assertFalse(self.load(batch_id).pages[0].trouble)


if __name__ == "__main__":
    unittest.main()
