"""Field kinds against published patterns and worked examples."""

from __future__ import annotations

import unittest
from datetime import date, datetime
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.fields.dates import is_ambiguous, parse_date
from keybundle.core.fields.digits import is_iban, is_luhn
from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise
from keybundle.core.fields.numbers import find_currency, parse_money, parse_number


class Dates(unittest.TestCase):
    def test_published_patterns(self) -> None:
        # Source: Unicode CLDR 44, dateFormats long, medium and short of en-GB, en, de and fr, written out by hand.
        for text, day_first in (
            ("3 April 2026", True), ("3 Apr 2026", True), ("03/04/2026", True), ("April 3, 2026", False),
            ("4/3/26", False), ("3. April 2026", True), ("03.04.2026", True), ("03.04.26", True), ("2026-04-03", True),
        ):  # fmt: skip
            self.assertEqual(parse_date(text, day_first=day_first), date(2026, 4, 3), text)

    def test_months_by_their_names_elsewhere(self) -> None:
        # Source: Unicode CLDR 44, format-wide month names in the long date patterns of de, fr, es, it, nl, pl, pt, sv.
        for text, month in (
            ("3. März 2026", 3), ("3. Dezember 2026", 12), ("1er août 2026", 8), ("3 février 2026", 2),
            ("3 juin 2026", 6), ("3 juillet 2026", 7), ("3 de septiembre de 2026", 9), ("3 gennaio 2026", 1),
            ("3 mei 2026", 5), ("3 października 2026", 10), ("3 września 2026", 9), ("3 de março de 2026", 3),
            ("3 augusti 2026", 8), ("3 Okt. 2026", 10), ("3 MARS 2026", 3),
        ):  # fmt: skip
            day = parse_date(text)
            self.assertEqual((day.month, day.year) if day else None, (month, 2026), text)
        for text in ("3 ma 2026", "3 jui 2026", "3 lock 2026"):
            self.assertIsNone(parse_date(text), text)

    def test_two_digit_years(self) -> None:
        # Source: POSIX, strptime: 69 to 99 are 1969 to 1999, 00 to 68 are 2000 to 2068 (as Python's own strptime).
        for year in range(100):
            said = f"07.11.{year:02}"
            self.assertEqual(parse_date(said), datetime.strptime(said, "%d.%m.%y").date(), said)

    def test_dates_that_do_not_exist(self) -> None:
        # Source: ISO 8601, calendar dates: 2025 is no leap year, April has 30 days.
        for text in ("2025-02-29", "31/04/2026", "0 May 2026", "13/13/2026", "soon"):
            self.assertIsNone(parse_date(text), text)

    def test_ambiguity_is_told(self) -> None:
        self.assertTrue(is_ambiguous("03/04/2026"))
        self.assertFalse(is_ambiguous("23/04/2026"))

    @given(st.dates(min_value=date(1950, 1, 1), max_value=date(2090, 1, 1)))
    def test_iso_round_trip(self, day: date) -> None:
        self.assertEqual(parse_date(day.isoformat()), day)
        self.assertEqual(parse_date(day.strftime("%d %B %Y")), day)


class Numbers(unittest.TestCase):
    def test_published_patterns(self) -> None:
        # Source: Unicode CLDR 44, decimal formats of en, de, fr and de-CH for 1234567.89, written out by hand.
        for text in ("1,234,567.89", "1.234.567,89", "1\u202f234\u202f567,89", "1'234'567.89"):
            self.assertEqual(parse_number(text), Decimal("1234567.89"), text)

    def test_money(self) -> None:
        # Source: ISO 4217 codes and CLDR currency patterns of en and de.
        for text in ("EUR 1,218.38", "1.218,38 EUR", "€1,218.38", "1218.38"):
            self.assertEqual(parse_money(text), Decimal("1218.38"), text)
        for text in ("11 375,98 kr", "11 375,98kr", "SEK11 375,98"):
            self.assertEqual(parse_money(text), Decimal("11375.98"), text)
        self.assertEqual(
            [parse_money(x) for x in ("560.5 5", "5 6", "3 kron")], [None, None, None], "two numbers are not one"
        )
        for text in ("1,466.18-", "-1,466.18", "\u22121.466,18 €", "EUR 1.466,18-"):
            self.assertEqual(parse_money(text), Decimal("-1466.18"), text)
        for text in ("12.345.6", "1.2345", "net", "1,23,45.00", "--5", "-5-"):
            self.assertIsNone(parse_money(text), text)

    def test_currencies(self) -> None:
        # Source: ISO 4217 codes; CLDR 44 currency signs and English display names.
        for text, code in (
            ("€ 12.00", "EUR"),
            ("12.00 pounds", "GBP"),
            ("US$ 5", "USD"),
            ("CHF 3.50", "CHF"),
            ("7", ""),
        ):
            self.assertEqual(find_currency(text), code, text)
        self.assertEqual(find_currency("EUR 5, that is $6"), "", "two at once name none")
        self.assertEqual(parse_money("1 250,50 zł"), Decimal("1250.50"))
        self.assertIsNone(parse_money("57 ft"), "the length of a boat is no amount")

    @given(st.decimals(min_value=-(10**9), max_value=10**9, places=2, allow_nan=False))
    def test_round_trip(self, amount: Decimal) -> None:
        self.assertEqual(parse_money(f"{amount:,.2f}"), amount)
        swapped = f"{amount:,.2f}".replace(",", " ").replace(".", ",").replace(" ", ".")
        self.assertEqual(parse_money(swapped), amount)


class CheckDigits(unittest.TestCase):
    def test_iban(self) -> None:
        # Source: ISO 13616-1, the worked example GB82 WEST 1234 5698 7654 32.
        self.assertTrue(is_iban("GB82 WEST 1234 5698 7654 32"))
        self.assertFalse(is_iban("GB82 WEST 1234 5698 7654 23"))

    def test_luhn(self) -> None:
        # Source: ISO/IEC 7812-1 annex B; the example number 7992739871 takes the check digit 3.
        self.assertTrue(is_luhn("79927398713"))
        self.assertEqual([d for d in range(10) if is_luhn(f"7992739871{d}")], [3])


class Kinds(unittest.TestCase):
    def test_each_kind(self) -> None:
        for kind, text, value in (
            (Kind.TEXT, "  two   words ", "two words"), (Kind.WHOLE, "1,200", "1200"), (Kind.DECIMAL, "0.5", "0.5"),
            (Kind.MONEY, "EUR 12", "12.00"), (Kind.DATE, "3 April 2026", "2026-04-03"), (Kind.YES_NO, "Y", "yes"),
        ):  # fmt: skip
            self.assertEqual(normalise(text, Rule(kind)), value)
        self.assertEqual(normalise("b", Rule(Kind.CHOICE, choices=("A", "B"))), "B")

    def test_a_unit_behind_a_number_is_understood_and_not_kept(self) -> None:
        # How units stand behind numbers: SI brochure, 9th edition, 5.4.3 (a space; people leave it out all the same).
        metres = Rule(Kind.DECIMAL, unit="m", low="1", high="60")
        self.assertEqual([normalise(t, metres) for t in ("18.5 m", "18.5m", "18.5 M", "18.5")], ["18.5"] * 4)
        for text in ("m", "18.5 mm", "m 18.5", "75 m"):
            self.assertIsInstance(normalise(text, metres), Refusal, text)
        self.assertEqual(normalise("18 m", Rule(Kind.TEXT, unit="m")), "18 m")

    def test_refusals_say_why(self) -> None:
        for rule, text, word in (
            (Rule(Kind.DATE), "31 June 2026", "not a date"), (Rule(Kind.MONEY), "plenty", "not an amount"),
            (Rule(Kind.CHOICE, choices=("A",)), "Z", "among the choices"), (Rule(pattern=r"R-\d+"), "X-1", "pattern"),
            (Rule(check="IBAN"), "GB82WEST12345698765423", "check digit"), (Rule(), "x" * 10_000, "characters long"),
        ):  # fmt: skip
            found = normalise(text, rule)
            self.assertIsInstance(found, Refusal)
            self.assertIn(word, found.sentence if isinstance(found, Refusal) else "")
