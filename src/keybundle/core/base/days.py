"""Days, months and years as a place has them: of moments, which are kept in UTC, and by words such as ``last month``."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

RELATIVE = re.compile(r"today|yesterday|(?:this|last) (?:week|month|year)", re.IGNORECASE)
_STEP = timedelta(milliseconds=1)  # what stamps are kept to


@lru_cache(maxsize=16_384)
def day_of(stamp: str, zone: str) -> str:
    """Return the day of a moment (ISO 8601 with its offset) in a time zone, as ``2026-11-05``."""
    return datetime.fromisoformat(stamp).astimezone(ZoneInfo(zone)).date().isoformat()


def month_of(stamp: str, zone: str) -> str:
    """Return the month of a moment in a time zone, as ``2026-11``; away from a month's ends it is that of UTC."""
    if "02" < stamp[8:10] < "27":
        return stamp[:7]
    # No time zone of today has an offset in seconds, and many documents are filed in one minute.
    is_utc = stamp[10:11] == "T" and stamp.endswith("+00:00")
    return day_of(f"{stamp[:16]}+00:00" if is_utc else stamp, zone)[:7]


def days_of(text: str) -> tuple[date, date] | None:
    """Return the first and the last day of a day, month or year (ISO 8601); None for what is none of them."""
    try:
        year, month, day = [*(int(x) for x in text.split("-")), 0, 0][:3]
        if day:
            return date(year, month, day), date(year, month, day)
        first = date(year, month or 1, 1)
        after = date(year + (month in (0, 12)), 1 if month in (0, 12) else month + 1, 1)
    except (ValueError, OverflowError):
        return None
    return first, after - timedelta(days=1)


def moments_of(first: date, last: date, zone: str) -> tuple[str, str]:
    """Return the first and the last moment of days in a time zone, as stamps are kept (UTC, milliseconds)."""
    place = ZoneInfo(zone)
    begin = datetime.combine(first, time(), place).astimezone(UTC)
    end = datetime.combine(last + timedelta(days=1), time(), place).astimezone(UTC) - _STEP
    return begin.isoformat(timespec="milliseconds"), end.isoformat(timespec="milliseconds")


def relative_days(words: str, today: date) -> tuple[date, date] | None:
    """Return the first and the last day that words such as ``last month`` mean; None for other words. Weeks begin on Monday."""
    said = " ".join(words.split()).casefold()
    if said in ("today", "yesterday"):
        day = today - timedelta(days=said == "yesterday")
        return day, day
    if RELATIVE.fullmatch(said) is None:
        return None
    which, what = said.split()
    if what == "week":
        first = today - timedelta(days=today.weekday() + 7 * (which == "last"))
        return first, first + timedelta(days=6)
    if what == "year":
        return days_of(str(today.year - (which == "last")))
    here = today.replace(day=1) - timedelta(days=which == "last")
    return days_of(f"{here.year:04d}-{here.month:02d}")
