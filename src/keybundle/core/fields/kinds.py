"""The kinds of field: how the text of each is normalised and checked.

A value is kept as text, the same in every locale: ISO 8601 for dates, a decimal point for numbers, the choice as listed,
``yes`` or ``no``. ``normalise`` makes it of what people write and paper says, by the locale's rule; ``revive`` reads what is
kept already, and never by that rule: a decimal point there is one, whatever people here write.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Sequence
from dataclasses import replace
from decimal import Decimal
from enum import StrEnum

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.dates import parse_date
from keybundle.core.fields.digits import CHECKS
from keybundle.core.fields.numbers import parse_money, parse_number
from keybundle.core.fields.patterns import SlowPattern, match_whole

LONGEST_VALUE = 2000
# What files tell of themselves.
FILE_PROPERTIES = ("title", "author", "subject", "keywords", "description", "created")


class Kind(StrEnum):
    """What a field holds."""

    TEXT = "text"
    WHOLE = "whole number"
    DECIMAL = "decimal"
    MONEY = "money"
    DATE = "date"
    CHOICE = "choice"
    YES_NO = "yes/no"
    REGISTER = "register"


@dataclass(frozen=True)
class Rule:
    """What a value must satisfy besides its kind; ``low`` and ``high`` are normalised and empty for no limit.

    ``unit`` is what a number is given in; it may stand behind the number on paper or as typed, and is not kept with it.
    """

    kind: Kind = Kind.TEXT
    pattern: str = ""
    choices: Sequence[str] = ()
    check: str = ""
    decimal_mark: str = "."
    day_first: bool = True
    low: str = ""
    high: str = ""
    unit: str = ""


class Kept(str):
    """A value in the form in which it is kept; told by its type from a text that somebody wrote."""


@dataclass(frozen=True)
class Refusal:
    """Why a text is no value of its kind, as a sentence."""

    sentence: str


_YES = {"yes", "y", "true", "x", "1"}
_NO = {"no", "n", "false", "0", "none"}


def normalise(text: str, rule: Rule) -> Kept | Refusal:
    """Return the value that a text stands for as people here write it, or why it is none. Empty text stays empty.

    What no value can hold (control signs, halves of signs) is left out of it.
    """
    body = " ".join(unicodedata.normalize("NFC", without_control(text)).split())
    return _checked(body, rule, _of_kind)


def revive(kept: Kept, rule: Rule) -> Kept | Refusal:
    """Return a value that is kept already, or why it is none of its kind (any more): the locale's marks count for nothing."""
    return _checked(str(kept), rule, _of_kept)


def without_control(text: str) -> str:
    """Return a text without control signs (they become spaces) and without halves of signs, which no file can hold."""
    if text.isprintable():
        return text
    return "".join(
        " " if unicodedata.category(sign) == "Cc" else sign for sign in text if not "\ud800" <= sign <= "\udfff"
    )


def _checked(body: str, rule: Rule, of_kind: Callable[[str, Rule], str | Refusal]) -> Kept | Refusal:
    if not body:
        return Kept("")
    if len(body) > LONGEST_VALUE:
        return Refusal(message("kinds.characters-long-value-holds-most", n=len(body), LONGEST_VALUE=LONGEST_VALUE))
    value = of_kind(body, rule)
    if isinstance(value, Refusal):
        return value
    try:
        fits = not rule.pattern or match_whole(rule.pattern, value) is not None
    except SlowPattern as slow:
        return Refusal(str(slow))
    if not fits:
        return Refusal(message("kinds.does-not-look-like-pattern", value=value, pattern=rule.pattern))
    if rule.check and not CHECKS[rule.check](value):
        return Refusal(message("kinds.check-digit-wrong-compare-page", value=value))
    return _in_range(Kept(value), rule)


def _in_range(value: Kept, rule: Rule) -> Kept | Refusal:
    if not (rule.low or rule.high):
        return value
    as_number = (lambda x: x) if rule.kind is Kind.DATE else Decimal
    if rule.low and as_number(value) < as_number(rule.low):
        return Refusal(message("kinds.under-least-value-usual-here", value=value, low=rule.low))
    if rule.high and as_number(value) > as_number(rule.high):
        return Refusal(message("kinds.over-greatest-value-usual-here", value=value, high=rule.high))
    return value


def _without_unit(body: str, unit: str) -> str:
    has_unit = bool(unit) and body.casefold().endswith(unit.casefold()) and len(body) > len(unit)
    return body[: -len(unit)].rstrip() if has_unit else body


_KEPT_NUMBER = re.compile(r"-?\d+(\.\d+)?")
_KEPT_DAY = re.compile(r"\d{4}-\d{2}-\d{2}")


def _of_kept(body: str, rule: Rule) -> str | Refusal:
    """Return a value of a kind that is in the form in which it is kept; what is in another form is none."""
    is_number = rule.kind in (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE)
    form = _KEPT_DAY if rule.kind is Kind.DATE else _KEPT_NUMBER if is_number else None
    if form is not None and form.fullmatch(body) is None:
        if rule.kind is Kind.DATE:
            return Refusal(message("kinds.not-date-write-like", body=body))
        if rule.kind is Kind.MONEY:
            return Refusal(message("kinds.not-amount-write-like", body=body))
        return Refusal(message("kinds.not", body=body, value=rule.kind.value if rule.kind is Kind.WHOLE else "number"))
    return _of_kind(body, replace(rule, decimal_mark="."))


def _of_kind(body: str, rule: Rule) -> str | Refusal:
    if rule.kind is Kind.DATE:
        day = parse_date(body, day_first=rule.day_first)
        return day.isoformat() if day else Refusal(message("kinds.not-date-write-like", body=body))
    if rule.kind is Kind.MONEY:
        amount = parse_money(body, decimal_mark=rule.decimal_mark)
        return str(amount) if amount is not None else Refusal(message("kinds.not-amount-write-like", body=body))
    if rule.kind in (Kind.DECIMAL, Kind.WHOLE):
        number = parse_number(_without_unit(body, rule.unit), decimal_mark=rule.decimal_mark)
        if number is None or (rule.kind is Kind.WHOLE and number != number.to_integral_value()):
            return Refusal(
                message("kinds.not", body=body, value=rule.kind.value if rule.kind is Kind.WHOLE else "number")
            )
        return str(int(number)) if rule.kind is Kind.WHOLE else format(number, "f")
    if rule.kind is Kind.CHOICE:
        for choice in rule.choices:
            if choice.casefold() == body.casefold():
                return choice
        return Refusal(message("kinds.not-among-choices", body=body, list=", ".join(rule.choices)))
    if rule.kind is Kind.YES_NO:
        word = body.casefold()
        if word in _YES | _NO:
            return "yes" if word in _YES else "no"
        return Refusal(message("kinds.neither-yes-nor-no", body=body))
    return body.replace(" ", "") if rule.check == "IBAN" else body
