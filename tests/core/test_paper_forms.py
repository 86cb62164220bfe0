"""Amounts and dates in the forms that paper has them, elsewhere too; sums over them."""

from __future__ import annotations

import unittest
from datetime import date, timedelta
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.fields.dates import is_ambiguous, parse_date, tell_order
from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise
from keybundle.core.fields.numbers import find_currency, parse_money
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.evidence import weigh
from keybundle.core.setup.model import DocumentType, FieldSpec

# Source: ISO 4217, alphabetic codes.
CODES = ("EUR", "GBP", "USD", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "JPY", "CAD", "AUD")
# Source: Unicode CLDR 44, format-wide months of January to December.
MONTHS = {
    "de": "Januar Februar März April Mai Juni Juli August September Oktober November Dezember",
    "fr": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "es": "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
    "it": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    "nl": "januari februari maart april mei juni juli augustus september oktober november december",
    "pt": "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro",
    "sv": "januari februari mars april maj juni juli augusti september oktober november december",
    "da": "januar februar marts april maj juni juli august september oktober november december",
    "pl": "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października listopada grudnia",
}
AMOUNTS = st.decimals(min_value=0, max_value=10**7, places=2, allow_nan=False)
DAYS = st.dates(min_value=date(1970, 1, 1), max_value=date(2068, 12, 31))
SUM = DocumentType(
    name="Bill", cabinet="Bills", sums=("Net + VAT = Total",),
    fields=tuple(FieldSpec(name=n, kind=Kind.MONEY) for n in ("Net", "VAT", "Total")),
)  # fmt: skip


class Amounts(unittest.TestCase):
    @given(AMOUNTS, st.sampled_from(CODES), st.booleans())
    def test_a_code_before_or_behind(self, amount: Decimal, code: str, before: bool) -> None:
        said = f"{code} {amount:,.2f}" if before else f"{amount:,.2f} {code.lower()}"
        self.assertEqual((parse_money(said), find_currency(said)), (amount, code))

    def test_words_that_only_hold_a_code_are_no_currency(self) -> None:
        for said in ("europe 5", "poundage 5", "12 chfs", "nokia 5"):
            self.assertEqual(find_currency(said), "", said)

    @given(AMOUNTS)
    def test_what_is_stored_reads_as_itself(self, amount: Decimal) -> None:
        stored = normalise(f"€ {amount:,.2f}", Rule(Kind.MONEY))
        self.assertEqual(normalise(str(stored), Rule(Kind.MONEY)), stored)


class Days(unittest.TestCase):
    def test_every_month_of_every_language(self) -> None:
        for language, names in MONTHS.items():
            for month, name in enumerate(names.split(), 1):
                for said in (f"7 {name} 2026", f"7. {name.upper()} 2026", f"07 de {name} de 2026"):
                    self.assertEqual(parse_date(said), date(2026, month, 7), f"{language}: {said}")

    @given(DAYS)
    def test_two_digits_of_a_year_are_enough(self, day: date) -> None:
        self.assertEqual(parse_date(day.strftime("%d.%m.%y")), day)
        self.assertEqual(parse_date(day.strftime("%d %b %y")), day)

    @given(DAYS)
    def test_an_order_is_told_only_where_there_is_one(self, day: date) -> None:
        said = f"{day.day}/{day.month}/{day.year}"
        self.assertEqual(is_ambiguous(said), day.day <= 12 and day.day != day.month)
        self.assertEqual(tell_order(said), "day first" if day.day > 12 else "")

    @given(DAYS)
    def test_a_range_holds_its_ends_and_nothing_beyond(self, day: date) -> None:
        rule = Rule(Kind.DATE, low=day.isoformat(), high=day.isoformat())
        self.assertEqual(normalise(day.isoformat(), rule), day.isoformat())
        for off in (-1, 1):
            self.assertIsInstance(normalise((day + timedelta(off)).isoformat(), rule), Refusal)


class Sums(unittest.TestCase):
    @given(AMOUNTS, AMOUNTS, st.sampled_from([Decimal("0.00"), Decimal("0.01"), Decimal("-10.00")]))
    def test_a_sum_is_told_wrong_exactly_where_it_is(self, net: Decimal, vat: Decimal, off: Decimal) -> None:
        # Source: decimal arithmetic of CPython.
        total = net + vat + off
        values = {n: FieldValue((str(x),), 0.95) for n, x in (("Net", net), ("VAT", vat), ("Total", total))}
        weighed = weigh(values, SUM, {}, 0.8)
        self.assertEqual(bool(weighed["Total"].problem), off != 0)
        self.assertEqual(all(weighed[n].sure for n in values), off == 0)

    def test_one_currency_or_none_can_be_added(self) -> None:
        for signs in (("€", "€", "€"), ("", "", "£"), ("CHF", "", "chf"), ("$", "USD", "US$")):
            values = {
                n: FieldValue((x,), 0.95, as_read=f"{sign} {x}")
                for n, x, sign in zip(("Net", "VAT", "Total"), ("100.00", "20.00", "120.00"), signs, strict=True)
            }
            self.assertEqual(weigh(values, SUM, {}, 0.8)["Total"].problem, "", signs)

    def test_a_sum_with_a_part_missing_is_not_judged(self) -> None:
        for missing in ("Net", "VAT", "Total"):
            amounts = {"Net": "100.00", "VAT": "20.00", "Total": "999.00"}
            values = {n: FieldValue((x,), 0.95) for n, x in amounts.items() if n != missing}
            weighed = weigh(values, SUM, {}, 0.8)
            self.assertEqual([v.problem for v in weighed.values()], ["", ""], missing)
            self.assertNotIn(missing, weighed)
            self.assertTrue(all(v.sure for v in weighed.values()))
