"""Defaults that are made at the moment: the day, the operator, a person's own values, counters."""

from __future__ import annotations

import re
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import insert, select, update

from keybundle.core.batches.model import Batch
from keybundle.core.store import schema as t
from keybundle.core.workflows.workspace import Workspace

_MADE = re.compile(r"^\{(today|received|operator|counter|person)(?: ([^}]+))?\}$")


def make_default(workspace: Workspace, default: str, batch: Batch) -> str:
    """Return the value that a field's default stands for now; empty where it stands for nothing."""
    match = _MADE.match(default.strip())
    if match is None:
        return default
    name, what = match[1], match[2] or ""
    if name == "today":
        return today(workspace)
    if name == "received":
        return local_day(workspace, batch.created_at)
    if name == "operator":
        return batch.owner
    if name == "counter":
        return str(count_up(workspace, what))
    person = workspace.setup.person(batch.owner)
    return person.values.get(what, "") if person else ""


def today(workspace: Workspace) -> str:
    """Return the day in the repository's time zone, ISO 8601."""
    return local_day(workspace, workspace.clock.stamp())


def local_day(workspace: Workspace, stamp: str) -> str:
    """Return the day of a moment in the repository's time zone, ISO 8601."""
    return datetime.fromisoformat(stamp).astimezone(ZoneInfo(workspace.setup.time_zone)).date().isoformat()


def count_up(workspace: Workspace, name: str) -> int:
    """Return the next number of a counter, from 1; no number is given twice."""
    with workspace.place.database.atomic() as c:
        last = c.execute(select(t.counter.c.last).where(t.counter.c.name == name)).scalar()
        if last is None:
            c.execute(insert(t.counter).values(name=name, last=1))
            return 1
        c.execute(update(t.counter).where(t.counter.c.name == name).values(last=last + 1))
        return int(last) + 1
