"""Changing routines: each change is kept at once as a new version of the set-up, and can be taken back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.setup.model import Setup
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import load_setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.workspace import Workspace

PREPARERS = ("administrator", "supervisor")


@dataclass(frozen=True)
class Sample:
    """A batch that a routine can be tried on."""

    id: str
    told: str
    is_open: bool


def may_prepare(workspace: Workspace, who: str) -> None:
    """Raise InputProblem for a person who may not change the set-up."""
    person = workspace.person(who)
    if person.role not in PREPARERS:
        raise InputProblem(
            f"{person.name} may look at the set-up but not change it. Ask a supervisor or administrator."
        )


def make_routine(base: Routine, changes: Mapping[str, Any]) -> Routine:
    """Return a routine with some parts changed; raises InputProblem in words where they do not hold together."""
    try:
        return Routine.model_validate({**base.model_dump(), **changes})
    except ValidationError as error:
        said = [str(e["msg"]).removeprefix("Value error, ") for e in error.errors()]
        raise InputProblem("; ".join(dict.fromkeys(said)) + ". Nothing was changed.") from error


def save_routine(workspace: Workspace, who: str, name: str, routine: Routine) -> None:
    """Keep a routine in place of the one of that name; raises InputProblem when its new name or key is taken."""
    may_prepare(workspace, who)
    others = [r for r in workspace.setup.routines if r.name != name]
    if any(r.name.casefold() == routine.name.casefold() for r in others):
        raise InputProblem(f"There is a routine “{routine.name}” already; choose another name.")
    if routine.key and any(r.key.casefold() == routine.key.casefold() for r in others):
        raise InputProblem(f"The key {routine.key} starts another routine already; choose another one.")
    routines = tuple(routine if r.name == name else r for r in workspace.setup.routines)
    _put(workspace, who, workspace.setup.model_copy(update={"routines": routines}))


def copy_routine(workspace: Workspace, who: str, name: str) -> str:
    """Make a copy of a routine and return its name."""
    may_prepare(workspace, who)
    base = workspace.setup.routine(name)
    if base is None:
        raise InputProblem(f"There is no routine “{name}” any more.")
    names = {r.name for r in workspace.setup.routines}
    fresh = next(n for i in range(1, 1000) if (n := f"{name} copy" + (f" {i}" if i > 1 else "")) not in names)
    copied = base.model_copy(update={"name": fresh, "key": ""})
    _put(workspace, who, workspace.setup.model_copy(update={"routines": (*workspace.setup.routines, copied)}))
    return fresh


def undo_setup(workspace: Workspace, who: str) -> None:
    """Put the version before the present set-up in force again, as a new version."""
    may_prepare(workspace, who)
    with workspace.place.database.read() as c:
        rows = c.execute(select(t.setup_version.c.text).order_by(t.setup_version.c.id.desc()).limit(2)).scalars().all()
    if len(rows) < 2:
        raise InputProblem("This is the first set-up; there is none before it.")
    _put(workspace, who, load_setup(rows[1]))


def _put(workspace: Workspace, who: str, setup: Setup) -> None:
    workspace.put_setup(setup, who)


def list_samples(workspace: Workspace, limit: int = 20) -> list[Sample]:
    """Return batches that a routine can be tried on, the newest first."""
    pages = select(func.count()).where(t.page.c.batch_id == t.batch.c.id).scalar_subquery()
    chosen = select(t.batch, pages.label("pages")).order_by(t.batch.c.created_at.desc()).limit(limit)
    with workspace.place.database.read() as c:
        rows = c.execute(chosen).all()
    return [
        Sample(
            r.id, f"{r.routine}: {r.origin}, {r.pages} sides" + (", closed" if r.closed_at else ""), r.closed_at is None
        )
        for r in rows
    ]


def open_batches(workspace: Workspace, routine: str) -> list[str]:
    """Return the open batches of a routine, whose pages have all come in."""
    b = t.batch.c
    chosen = select(b.id).where(b.routine == routine, b.closed_at.is_(None), b.captured_at.is_not(None))
    with workspace.place.database.read() as c:
        return list(c.execute(chosen.order_by(b.created_at)).scalars())
