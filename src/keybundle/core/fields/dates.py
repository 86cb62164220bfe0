"""Dates as people write them: text in, ``date`` or None out."""

from __future__ import annotations

import re
from datetime import date

_MONTHS = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
]
_ISO = re.compile(r"^(\d{4})-(\d{1,2})-(\d{1,2})$")
_NUMERIC = re.compile(r"^(\d{1,2})\s?([./-])\s?(\d{1,2})\s?\2\s?(\d{4}|\d{2})$")
_DAY_MONTH = re.compile(r"^(\d{1,2})(?:st|nd|rd|th)?[.\s-]*\s*([A-Za-z]{3,9})[.,\s-]*\s*(\d{4}|\d{2})$")
_MONTH_DAY = re.compile(r"^([A-Za-z]{3,9})\.?\s*(\d{1,2})(?:st|nd|rd|th)?,?\s+(\d{4})$")
_WEEKDAY = re.compile(r"^(?:mon|tues?|wed(?:nes)?|thu(?:rs)?|fri|sat(?:ur)?|sun)(?:day)?\.?,?\s+", re.I)


def _month(word: str) -> int | None:
    found = [i for i, name in enumerate(_MONTHS, 1) if name.startswith(word.lower()) and len(word) >= 3]
    return found[0] if len(found) == 1 else (9 if word.lower() == "sept" else None)


def _year(text: str) -> int:
    return int(text) if len(text) == 4 else 2000 + int(text)


def _make(year: int, month: int | None, day: int) -> date | None:
    try:
        return date(year, month, day) if month else None
    except ValueError:
        return None


def parse_date(text: str, *, day_first: bool = True) -> date | None:
    """Return the date in ``text``: ISO 8601, numbers in the locale's order, or with the month's name; else None.

    Two-digit years are of this century. Where the locale's order gives no date but the other one does, the other
    one is taken.
    """
    body = _WEEKDAY.sub("", " ".join(text.split())).strip(" ,;")
    if m := _ISO.match(body):
        return _make(int(m[1]), int(m[2]), int(m[3]))
    if m := _NUMERIC.match(body):
        first, second, year = int(m[1]), int(m[3]), _year(m[4])
        day, month = (first, second) if day_first or m[2] == "." else (second, first)
        return _make(year, month, day) or _make(year, day, month)
    if m := _DAY_MONTH.match(body):
        return _make(_year(m[3]), _month(m[2]), int(m[1]))
    if m := _MONTH_DAY.match(body):
        return _make(int(m[3]), _month(m[1]), int(m[2]))
    return None


def tell_order(text: str) -> str:
    """Return ``day first`` or ``month first`` for a numeric date that can be read in one way only; else empty."""
    m = _NUMERIC.match(" ".join(text.split()))
    if not m:
        return ""
    first, second = int(m[1]), int(m[3])
    if 12 < first <= 31 and second <= 12:
        return "day first"
    return "month first" if 12 < second <= 31 and first <= 12 else ""


def is_ambiguous(text: str) -> bool:
    """Whether a numeric date could be read with day and month exchanged."""
    m = _NUMERIC.match(" ".join(text.split()))
    return bool(m) and m is not None and m[2] != "." and int(m[1]) <= 12 and int(m[3]) <= 12 and m[1] != m[3]
