"""What this system says of its locale and time zone, proposed to a new repository; and all that can be taken."""

from __future__ import annotations

import os
from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from keybundle.core.fields.locales import LAST_RESORT, is_locale

ZONES = "zoneinfo/"


def system_locale() -> str:
    """Return the locale that this system speaks, such as ``en_GB``; a usual one where it speaks none."""
    told = next((v for name in ("LC_ALL", "LC_NUMERIC", "LANG") if (v := os.environ.get(name))), "")
    name = told.split(".")[0].split("@")[0]
    return name if "_" in name and is_locale(name) else LAST_RESORT


def system_time_zone(link: Path = Path("/etc/localtime")) -> str:
    """Return the time zone of this system, such as ``Europe/Berlin``; UTC where it tells none."""
    told = os.environ.get("TZ", "").lstrip(":")
    if not told and link.is_symlink():
        target = os.readlink(link)
        told = target.partition(ZONES)[2] if ZONES in target else ""
    try:
        ZoneInfo(told)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return "UTC"
    return told


def show_locale(locale: str) -> str:
    """Return how a locale writes a day and a number, as an example; empty for one that CLDR does not know."""
    if not is_locale(locale):
        return ""
    from babel.dates import format_date
    from babel.numbers import format_decimal

    day, number = date(2026, 3, 31), format_decimal(1234.5, locale=locale, format="#,##0.00")
    return f"{format_date(day, 'short', locale=locale)}   {number}"


def list_locales() -> list[str]:
    """Return the locales of a language in a country that CLDR knows, by name."""
    from babel.localedata import locale_identifiers

    return sorted(name for name in locale_identifiers() if len(name.split("_")) == 2 and name[-2:].isupper())


def list_time_zones() -> list[str]:
    """Return the time zones by name."""
    return sorted(available_timezones())
