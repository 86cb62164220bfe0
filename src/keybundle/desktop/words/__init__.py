"""What the window says, in the language that is spoken: its own words by gettext, the core's messages by their codes.

The window's own words stand in English where they are used, marked by ``tr`` (``trn`` where a number decides between
one and many, ``mark`` where they stand in a table and are worded later). ``scripts/words`` gathers them into
``window.pot``; a language is ``window.LANGUAGE.po`` beside it, compiled.
"""

from __future__ import annotations

import functools
import gettext
import re
import string
from datetime import date
from importlib.resources import files
from typing import Any

from keybundle.core.base.messages import PSEUDO, SOURCE, pseudo, say
from keybundle.core.fields.locales import LAST_RESORT, is_locale

_spoken = [SOURCE, LAST_RESORT]
UNGROUPED = 100  # counts below it are written alike in all locales, without CLDR's tables
_HOW = re.compile(r"\{\w+:")  # a parameter that says how it is written


def speak(language: str, locale: str = "") -> None:
    """Let the window speak a language (empty: English) from now on, with numbers as a locale writes them."""
    _spoken[:] = language or SOURCE, locale if is_locale(locale) else LAST_RESORT


def spoken() -> str:
    """Return the language that is spoken."""
    return _spoken[0]


def worded(what: object) -> str:
    """Return a message, or an error that carries one, in the language that is spoken; any other text as it is."""
    if isinstance(what, BaseException):
        what = what.args[0] if what.args and isinstance(what.args[0], str) else str(what)
    return say(what, _spoken[0]) if isinstance(what, str) else str(what)


def mark(text: str) -> str:
    """Return words that stand in a table as they are, so that they are gathered; whoever shows them says ``tr``."""
    return text


def tr(text: str, **params: object) -> str:
    """Return words of the window in the language that is spoken, with parameters in their braces.

    Without parameters braces are braces. A number with ``:,`` or ``:.0%`` is written as the locale does.
    """
    return _fill(_catalogue(_spoken[0]).gettext(text) if text else text, params)


def trn(one: str, many: str, n: int, **params: object) -> str:
    """Return the words for one, or for ``n``, in the language that is spoken; ``{n}`` is the number."""
    return _fill(_catalogue(_spoken[0]).ngettext(one, many, n), {"n": n, **params})


def language_name(code: str) -> str:
    """Return what the speakers of a language call it, by CLDR; the code itself where CLDR has none."""
    from babel import Locale, UnknownLocaleError

    try:
        return str(Locale.parse(code).get_display_name(code) or code).capitalize()
    except (UnknownLocaleError, ValueError):
        return code


def say_day(day: date, *, with_year: bool = True) -> str:
    """Return a day with its month's short name, such as ``23 Nov 2025``, in the language that is spoken."""
    from babel.dates import format_date

    return str(format_date(day, "d MMM y" if with_year else "d MMM", locale=_cldr()))


def say_month(month: int, *, short: bool = False) -> str:
    """Return the name of a month, 1 to 12, as it stands by itself."""
    from babel.dates import get_month_names

    return str(get_month_names("abbreviated" if short else "wide", "stand-alone", _cldr())[month])


def say_language(code: str) -> str:
    """Return the name of a language by its ISO 639 code; the code itself where CLDR has none."""
    from babel import Locale
    from babel.core import get_global

    alias = str(get_global("language_aliases").get(code, code))
    return str(Locale.parse(_cldr()).languages.get(alias, code))


def number(value: float) -> str:
    """Return a number as the locale writes it."""
    if isinstance(value, int) and 0 <= value < UNGROUPED:
        return str(value)
    from babel.numbers import format_decimal

    return str(format_decimal(value, locale=_spoken[1]))


def _cldr() -> str:
    return _spoken[0] if is_locale(_spoken[0]) else LAST_RESORT


def _fill(text: str, params: dict[str, Any]) -> str:
    if _spoken[0] == PSEUDO and text:
        text = pseudo(text)
    if not params:
        return text
    told = {k: worded(v) if isinstance(v, str) else v for k, v in params.items()}
    return _LocaleFormatter().vformat(text, (), told) if _HOW.search(text) else text.format_map(told)


class _LocaleFormatter(string.Formatter):
    """Formats as Python does, but for numbers with thousands and for shares, which the locale writes."""

    def format_field(self, value: Any, format_spec: str) -> str:
        if format_spec == ",":
            return number(value)
        if format_spec.endswith("%"):
            from babel.numbers import format_percent

            places = int(format_spec[1:-1] or 0) if format_spec.startswith(".") else 0
            return str(format_percent(round(value, places + 2), locale=_spoken[1], decimal_quantization=False))
        return str(super().format_field(value, format_spec))


@functools.cache
def _catalogue(language: str) -> gettext.NullTranslations:
    place = files(__package__).joinpath(f"window.{language}.mo")
    if not place.is_file():
        return gettext.NullTranslations()
    with place.open("rb") as file:
        return gettext.GNUTranslations(file)
