"""Wording shared by the screens: counts, ages, states."""

from __future__ import annotations

from datetime import datetime, timedelta, tzinfo

from keybundle.core.workflows.line.line import Line
from keybundle.desktop.words import say_day, tr, trn


def join_documents(documents: int, pages: int) -> str:
    """Return ``3 documents, 12 pages``."""
    return f"{trn('{n:,} document', '{n:,} documents', documents)}, {trn('{n:,} page', '{n:,} pages', pages)}"


def say_age(age: timedelta) -> str:
    """Return an age as people say it."""
    minutes = int(age.total_seconds() // 60)
    if minutes < 1:
        return tr("just now")
    if minutes < 60:
        return tr("{minutes} old", minutes=trn("{n:,} minute", "{n:,} minutes", minutes))
    hours = minutes // 60
    return (
        tr("{hours} old", hours=trn("{n:,} hour", "{n:,} hours", hours))
        if hours < 48
        else tr("{days} old", days=trn("{n:,} day", "{n:,} days", hours // 24))
    )


def say_time(stamp: str, now: datetime, zone: tzinfo) -> str:
    """Return a moment (ISO 8601) as the clock on the wall says it, with its day: ``today 14:05``, ``23 Nov 2025 09:12``."""
    at, here = datetime.fromisoformat(stamp).astimezone(zone), now.astimezone(zone)
    days = (here.date() - at.date()).days
    day = (
        tr("today")
        if days == 0
        else tr("yesterday")
        if days == 1
        else say_day(at.date(), with_year=at.year != here.year)
    )
    return f"{day} {at:%H:%M}"


def join_words(parts: list[str]) -> str:
    """Return ``a, b and c``."""
    return parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + tr(" and ") + parts[-1] if parts else ""


def tell_line(line: Line) -> str:
    """Return what goes on behind the screens: a trouble, what is left to read and for how long, what was stopped."""
    if line.problem:
        return (
            tr("{problem} It is tried again by itself; Ctrl+Shift+Y: at once", problem=line.problem)
            if line.waits
            else line.problem
        )
    stopped = (
        tr("reading stopped in {batches}", batches=trn("{n:,} batch", "{n:,} batches", len(line.stopped)))
        if line.stopped
        else ""
    )
    if line.pages_to_read:
        seconds = line.seconds_to_read
        left = tr(", about {time}", time=say_seconds(seconds)) if seconds is not None else ""
        return join_words(
            [
                tr("{pages} to read{left}", pages=trn("{n:,} page", "{n:,} pages", line.pages_to_read), left=left),
                *filter(None, [stopped]),
            ]
        )
    if line.busy:
        return tr("Looking at pages that came in")
    return stopped.capitalize() or tr("All pages are read")


def say_seconds(seconds: float) -> str:
    """Return a rough duration: seconds in fives, else minutes."""
    if seconds < 57.5:
        return f"{max(5, 5 * round(seconds / 5))} s"
    return trn("{n:,} minute", "{n:,} minutes", max(1, round(seconds / 60)))
