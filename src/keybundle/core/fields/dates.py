"""Dates as people write them: text in, ``date`` or None out."""

from __future__ import annotations

import re
import unicodedata
from datetime import date

# Month names, folded, of the languages whose paper comes in most: English, German, French, Dutch, Spanish, Italian,
# Portuguese, Swedish, Danish, Norwegian, Polish (as they stand in dates).
_MONTHS = tuple(
    tuple(names.split())
    for names in (
        "january januar janvier januari enero gennaio janeiro stycznia",
        "february februar fevrier februari febrero febbraio fevereiro lutego",
        "march marz mars maart marzo marco marts marca",
        "april avril abril aprile kwietnia",
        "may mai mei mayo maggio maio maj maja",
        "june juni juin junio giugno junho czerwca",
        "july juli juillet julio luglio julho lipca",
        "august aout augustus agosto augusti sierpnia",
        "september septembre septiembre settembre setembro wrzesnia",
        "october oktober octobre octubre ottobre outubro pazdziernika",
        "november novembre noviembre novembro listopada",
        "december dezember decembre diciembre dicembre dezembro desember grudnia",
    )
)
FIRST_OF_LAST_CENTURY = 69
_ISO = re.compile(r"^(\d{4})-(\d{1,2})-(\d{1,2})$")
_NUMERIC = re.compile(r"^(\d{1,2})\s?([./-])\s?(\d{1,2})\s?\2\s?(\d{4}|\d{2})$")
_DAY_MONTH = re.compile(
    r"^(\d{1,2})(?:st|nd|rd|th|er)?[.\s-]*\s*(?:de\s+)?([^\W\d_]{3,12})[.,\s-]*\s*(?:de\s+)?(\d{4}|\d{2})$"
)
_MONTH_DAY = re.compile(r"^([^\W\d_]{3,12})\.?\s*(\d{1,2})(?:st|nd|rd|th)?(?:,\s*|\s+)(\d{4})$")
_WEEKDAY = re.compile(r"^(?:mon|tues?|wed(?:nes)?|thu(?:rs)?|fri|sat(?:ur)?|sun)(?:day)?\.?,?\s+", re.I)


def _month(word: str) -> int | None:
    """Return the number of the month that a word names, or whose names alone begin with it."""
    folded = "".join(c for c in unicodedata.normalize("NFKD", word.lower()) if not unicodedata.combining(c))
    found = [i for i, names in enumerate(_MONTHS, 1) if any(name.startswith(folded) for name in names)]
    exact = [i for i, names in enumerate(_MONTHS, 1) if folded in names]
    return exact[0] if exact else found[0] if len(found) == 1 else None


def _year(text: str) -> int:
    if len(text) == 4:
        return int(text)
    return int(text) + (1900 if int(text) >= FIRST_OF_LAST_CENTURY else 2000)


def _make(year: int, month: int | None, day: int) -> date | None:
    try:
        return date(year, month, day) if month else None
    except ValueError:
        return None


def parse_date(text: str, *, day_first: bool = True) -> date | None:
    """Return the date in ``text``: ISO 8601, numbers in the locale's order, or with the month's name; else None.

    Two-digit years from 69 on are of the last century, the others of this one (POSIX, strptime). Where the locale's
    order gives no date but the other one does, the other one is taken.
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
