"""Values and types by the words of the trade, on pages whose words stand where they were drawn: no reading, no learning."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from typing import Any
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from stdnum.iso7064 import mod_97_10

from keybundle.core.base.boxes import Frame
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.mend import TO_LETTER, mend
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.lessons import Taught
from keybundle.core.proposing.memory import Memory
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.rows import build_rows
from keybundle.core.proposing.types import TypeGuess, guess_type, propose_type
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.demo.paper import Sheet

Line = tuple[float, float, str]


def page(lines: Sequence[Line], size_pt: float = 10, large: Sequence[Line] = (), face: str = "plain") -> PageText:
    """Return the page that has these lines (x and baseline in mm), read without a slip."""
    sheet = Sheet(300)
    for size, group in ((size_pt, lines), (18, large)):
        for x, y, text in group:
            sheet.put(text, x, y, face, size)
    words = tuple(Word(w.text, w.box, 0.97, 0, 0) for w in sheet.words)
    return PageText(words, Frame(*sheet.image.size))


def make_type(name: str = "Bill", words: tuple[str, ...] = (), **fields: Any) -> DocumentType:
    """Return a type with these fields, each a kind or the parts of a field."""
    specs = [
        FieldSpec.model_validate({"name": n.replace("_", " "), **(p if isinstance(p, dict) else {"kind": p})})
        for n, p in fields.items()
    ]
    return DocumentType(name=name, cabinet="Papers", words=words, fields=tuple(specs))


def propose(kind: DocumentType, *pages: PageText, taught: dict[str, Taught] | None = None) -> dict[str, FieldValue]:
    read = [ReadPage(str(i), p) for i, p in enumerate(pages)]
    return propose_values(read, kind, {}, 0.8, FieldSpec.rule, Hints(taught or {}))


def texts(values: dict[str, FieldValue]) -> dict[str, str]:
    return {name: value.text for name, value in values.items() if value.items}


class Labels(unittest.TestCase):
    def test_a_fields_name_and_the_words_of_the_trade_are_labels_too(self) -> None:
        kind = make_type(Due_date=Kind.DATE, Voucher_number=Kind.TEXT, Amount_due=Kind.MONEY, Dock=Kind.TEXT)
        said = page([(20, 60, "Please pay before"), (80, 60, "5 Aug 2025"), (20, 70, "InvoiceNo."), (80, 70, "K-2231"),
                     (20, 80, "Grand total"), (80, 80, "1,234.50"), (20, 90, "Dock"), (80, 90, "Seven")])  # fmt: skip
        self.assertEqual(
            texts(propose(kind, said)),
            {"Due date": "2025-08-05", "Voucher number": "K-2231", "Amount due": "1234.50", "Dock": "Seven"},
        )

    def test_no_label_is_the_value_of_another(self) -> None:
        kind = make_type(Reference=Kind.TEXT, Pieces=Kind.WHOLE)
        said = page([(20, 60, "Reference"), (70, 60, "Date of issue"), (120, 60, "No. of pieces"),
                     (20, 67, "C35048"), (70, 67, "5 Aug 2025"), (120, 67, "34")])  # fmt: skip
        self.assertEqual(texts(propose(kind, said)), {"Reference": "C35048", "Pieces": "34"})

    def test_the_no_of_a_form_is_an_answer(self) -> None:
        kind = make_type(Follow_up=Kind.YES_NO, Number=Kind.TEXT)
        said = page([(20, 60, "Follow-up"), (80, 60, "no"), (20, 70, "No."), (80, 70, "K-22")])
        self.assertEqual(texts(propose(kind, said)), {"Follow up": "no", "Number": "K-22"})

    def test_a_word_of_a_sentence_is_no_label(self) -> None:
        kind = make_type(Number=Kind.TEXT)
        said = page([(20, 60, "no longer accepted; payment is made by transfer to the account that is named below")])
        self.assertEqual(texts(propose(kind, said)), {})
        self.assertEqual(
            texts(propose(kind, page([(20, 60, "number K-22")]))), {"Number": "K-22"}, "small letters may be one"
        )

    def test_a_rate_belongs_to_its_label(self) -> None:
        for words in ([(20, 60, "VAT 20 %"), (90, 60, "£1,466.18")], [(20, 60, "VAT 20%: £1,466.18")],
                      [(20, 60, "VAT"), (90, 60, "1,466.18")]):  # fmt: skip
            self.assertEqual(texts(propose(make_type(Tax=Kind.MONEY), page(words))), {"Tax": "1466.18"}, words)

    def test_the_head_of_a_column_is_no_sum_and_the_last_page_tells_it(self) -> None:
        table = [(20.0, 60.0, "Article"), (150.0, 60.0, "Amount"), (20.0, 67.0, "hose"), (150.0, 67.0, "12.00"),
                 (20.0, 74.0, "tap"), (150.0, 74.0, "30.00")]  # fmt: skip
        kind = make_type(Total=Kind.MONEY)
        self.assertEqual(texts(propose(kind, page(table))), {})
        carried = page([*table, (20, 90, "Total"), (150, 90, "42.00")])
        last = page([(20, 40, "Total"), (150, 40, "99.00")])
        self.assertEqual(texts(propose(kind, carried, last)), {"Total": "99.00"})

    def test_pages_between_are_not_looked_at_where_nothing_is_missing(self) -> None:
        kind = make_type(Number=Kind.TEXT, Total=Kind.MONEY)
        first = page([(20, 60, "Number"), (80, 60, "K-2231"), (20, 90, "Total"), (150, 90, "42.00")])
        with mock.patch("keybundle.core.proposing.propose.build_rows", wraps=build_rows) as built:
            self.assertEqual(propose(kind, *[first] * 40)["Number"].text, "K-2231")
            self.assertEqual(built.call_count, 2, "the first page, and the last one for its sum")

    def test_a_date_that_reads_both_ways_is_sure_only_where_something_tells_its_order(self) -> None:
        kind = make_type(Date={"kind": Kind.DATE, "zone": {"left": 0.3, "top": 0.15, "right": 0.7, "bottom": 0.3}},
                         Number=Kind.TEXT)  # fmt: skip
        lines: list[Line] = [(20, 60, "Date"), (80, 60, "10/04/2024")]
        alone = propose(kind, page(lines))["Date"]
        self.assertEqual((alone.text, alone.sure), ("2024-04-10", False))
        by_page = propose(kind, page([*lines, (20, 120, "Due"), (80, 120, "04/28/2024")]))["Date"]
        self.assertEqual((by_page.text, by_page.sure), ("2024-10-04", True))
        told = Taught("Due", 0, "", None, 3, "month first")
        by_sender = propose(kind, page(lines), taught={"Due": told})["Date"]
        self.assertEqual((by_sender.text, by_sender.sure), ("2024-10-04", True))


class WithoutLabels(unittest.TestCase):
    LETTER: Sequence[Line] = (
        (20, 52, "Larkmere Navigation Trust"), (20, 57, "Office at Holmelock"), (150, 70, "Höfli, 5 August 2025"),
        (20, 88, "Re: Leaking roof over the east wing"), (20, 98, "Dear Sir or Madam,"),
        (20, 108, "we would like to tell you that the roof has been leaking since the storm of last week and that the"),
        (20, 113, "store has been moved."), (20, 125, "Yours faithfully"), (20, 145, "Urs Caflisch"),
    )  # fmt: skip
    KIND = make_type("Letter", Sender=Kind.TEXT, Letter_date=Kind.DATE, Subject=Kind.TEXT)

    def test_a_letter_tells_its_date_its_subject_and_who_wrote_it(self) -> None:
        signed = {"Sender": "Urs Caflisch", "Letter date": "2025-08-05", "Subject": "Leaking roof over the east wing"}
        self.assertEqual(texts(propose(self.KIND, page(self.LETTER))), signed)
        headed = propose(self.KIND, page(self.LETTER, large=[(20, 25, "Oriel Print Works")]))
        self.assertEqual(texts(headed), {**signed, "Sender": "Oriel Print Works"})
        self.assertFalse(any(v.sure for v in headed.values()), "nobody confirmed such a letter yet")

    def test_values_in_sentences_stand_after_the_words_that_mean_them(self) -> None:
        kind = make_type("Agreement", Start_date=Kind.DATE, End_date=Kind.DATE, Contract_number=Kind.TEXT)
        said = page([(20, 60, "This agreement, kept under the number H581411, is made between the two that are named above"),
                     (20, 65, "and begins on 29 January 2026. Unless one side gives notice before that day it ends on the"),
                     (20, 70, "29.01.2029. The text goes on for some lines that have nothing to do with these")])  # fmt: skip
        self.assertEqual(
            texts(propose(kind, said)),
            {"Start date": "2026-01-29", "End date": "2029-01-29", "Contract number": "H581411"},
        )


class Types(unittest.TestCase):
    BILL = make_type(
        "Supplier invoice", Supplier=Kind.TEXT, Number=Kind.TEXT, Date=Kind.DATE, Net=Kind.MONEY, Total=Kind.MONEY
    )
    NOTE = make_type("Consignment note", Number=Kind.TEXT, Date=Kind.DATE, Weight=Kind.DECIMAL, Parcels=Kind.WHOLE)
    ALL = (BILL, NOTE, WithoutLabels.KIND)

    def test_a_title_that_means_the_same(self) -> None:
        said = page([(20, 80, "Thank you for your order")], large=[(20, 30, "Invoice")])
        found = propose_type(build_rows(said), (self.BILL.model_copy(update={"words": ("Bill",)}), self.NOTE))
        self.assertEqual(found, TypeGuess("Supplier invoice", 0.832, "title “invoice”"))

    def test_labels_with_values_tell_a_type_and_are_never_enough_to_be_sure(self) -> None:
        said = page([(20, 60, "Ref."), (80, 60, "K-22"), (20, 70, "Date"), (80, 70, "5 Aug 2025"), (20, 80, "Gross weight"),
                     (80, 80, "120.5"), (20, 90, "Packages"), (80, 90, "4")])  # fmt: skip
        found = propose_type(build_rows(said), self.ALL)
        assert found is not None
        self.assertEqual((found.name, found.confidence < 0.8), ("Consignment note", True))
        self.assertEqual((found.because, found.rival), ("4 of 4 fields", ""))

    def test_who_greets_somebody_writes_a_letter(self) -> None:
        found = guess_type(Memory(), page(WithoutLabels.LETTER), self.ALL)
        assert found is not None
        self.assertEqual((found.name, found.because), ("Letter", "its greeting"))


class Mending(unittest.TestCase):
    @given(st.from_regex(r"[A-Z]{2}", fullmatch=True), st.text("0123456789", min_size=14, max_size=22), st.data())
    def test_an_account_number_read_with_letters_for_figures_is_mended(self, land: str, bank: str, data: Any) -> None:
        # Source: python-stdnum's ISO 7064 mod 97-10 for the check digits.
        right = land + mod_97_10.calc_check_digits(bank + land) + bank
        at = data.draw(st.sets(st.integers(2, len(right) - 1), min_size=1, max_size=3))
        slipped = "".join(c.translate(TO_LETTER) if i in at else c for i, c in enumerate(right))
        rule = Rule(check="IBAN")
        if slipped != right:
            self.assertEqual(mend(slipped, rule), right)

    def test_a_pattern_mends_what_only_one_reading_fits(self) -> None:
        self.assertEqual(mend("PO-5S3O9", Rule(pattern=r"PO-\d{5}")), "PO-55309")
        self.assertIsNone(mend("PO-5S3O9", Rule()), "nothing says what it should be")
        self.assertIsNone(mend("A1", Rule(pattern=r"[A-Z][0-9A-Z]")), "it is what it should be")

    def test_a_mended_value_says_so_and_counts_less(self) -> None:
        kind = make_type(Account={"check": "IBAN"})
        right = "HE" + mod_97_10.calc_check_digits("8901699525798738" + "HE") + "8901699525798738"
        read = propose(kind, page([(20, 60, "Account"), (80, 60, right)]))["Account"]
        slipped = right[:2] + right[2:].replace("8", "B", 1)
        mended = propose(kind, page([(20, 60, "Account"), (80, 60, slipped)]))["Account"]
        self.assertEqual((mended.text, read.note), (read.text, ""))
        self.assertIn(slipped, mended.note)
        self.assertLess(mended.confidence, read.confidence)


if __name__ == "__main__":
    unittest.main()
