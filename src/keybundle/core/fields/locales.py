"""What a locale says of numbers and dates, by CLDR (through Babel)."""

from __future__ import annotations

import functools
from datetime import datetime

LAST_RESORT = "en_GB"


@functools.cache
def decimal_mark(locale: str) -> str:
    """Return the sign between units and tenths, such as ``.`` or ``,``."""
    from babel.numbers import get_decimal_symbol

    return str(get_decimal_symbol(_known(locale)))


@functools.cache
def is_day_first(locale: str) -> bool:
    """Whether the day stands before the month in a date of numbers."""
    from babel.dates import get_date_format

    pattern = get_date_format("short", locale=_known(locale)).pattern
    return pattern.find("d") < pattern.find("M")


@functools.cache
def is_locale(name: str) -> bool:
    """Whether CLDR knows a locale of that name."""
    if name == LAST_RESORT:  # asked for at every start, and known without CLDR's tables
        return True
    from babel import Locale, UnknownLocaleError

    try:
        return bool(Locale.parse(name))
    except (UnknownLocaleError, ValueError, TypeError):
        return False


def format_moment(at: datetime, language: str) -> str:
    """Return a moment with its day and month in a language, such as ``5 March 2026, 14:05``."""
    from babel.dates import format_datetime

    return str(format_datetime(at, "d MMMM y, HH:mm", locale=_known(language)))


def _known(locale: str) -> str:
    return locale if is_locale(locale) else LAST_RESORT
