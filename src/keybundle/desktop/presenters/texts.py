"""Wording shared by the screens: counts, ages, states."""

from __future__ import annotations

from datetime import timedelta


def count(number: int, one: str, many: str = "") -> str:
    """Return ``1 page`` or ``3 pages``."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def say_age(age: timedelta) -> str:
    """Return an age as people say it."""
    minutes = int(age.total_seconds() // 60)
    if minutes < 1:
        return "just now"
    if minutes < 60:
        return f"{count(minutes, 'minute')} old"
    hours = minutes // 60
    return f"{count(hours, 'hour')} old" if hours < 48 else f"{count(hours // 24, 'day')} old"


def join_words(parts: list[str]) -> str:
    """Return ``a, b and c``."""
    return parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + " and " + parts[-1] if parts else ""
