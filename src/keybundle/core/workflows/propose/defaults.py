"""Defaults that are made at the moment: the day, the operator, a person's own values, counters."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import insert, select, update

from keybundle.core.batches.model import Batch
from keybundle.core.setup.formulas import read_default
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.workspace import Workspace


def make_default(workspace: Workspace, default: str, batch: Batch) -> str:
    """Return the value that a field's default stands for now; empty where it stands for nothing."""
    made = read_default(default)
    if made is None:
        return default
    if made.what == "today":
        return today(workspace)
    if made.what == "received":
        return local_day(workspace, batch.created_at)
    if made.what == "operator":
        return name_of(workspace.setup.people, batch.owner)
    if made.what == "counter":
        return str(count_up(workspace, made.name))
    person = workspace.setup.person(batch.owner)
    return person.values.get(made.name, "") if person else ""


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
