"""Changing routines: each change is kept at once as a new version of the set-up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, Setup
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import read_routines, write_routine
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


def save_routine(workspace: Workspace, who: str, name: str, routine: Routine, base: Routine | None = None) -> None:
    """Keep a routine in place of the one of that name; raises InputProblem when its new name or key is taken.

    ``base`` is the routine that was changed: where somebody else has changed it meanwhile, nothing is kept.
    """
    may_prepare(workspace, who)

    def change(setup: Setup) -> Setup:
        refuse_changed(setup.routine(name), base, f"The routine {name}")
        others = [r for r in setup.routines if r.name != name]
        if any(r.name.casefold() == routine.name.casefold() for r in others):
            raise InputProblem(f"There is a routine “{routine.name}” already; choose another name.")
        if routine.key and any(r.key.casefold() == routine.key.casefold() for r in others):
            raise InputProblem(f"The key {routine.key} starts another routine already; choose another one.")
        return setup.model_copy(update={"routines": tuple(routine if r.name == name else r for r in setup.routines)})

    workspace.change_setup(who, change)


def refuse_changed(now: object | None, base: object | None, what: str) -> None:
    """Raise InputProblem where a part of the set-up is gone, or is no longer what the change was made on."""
    if now is None:
        raise InputProblem(f"{what} is no longer there. Nothing was changed.")
    if base is not None and now != base:
        raise InputProblem(
            f"{what} has been changed by somebody else meanwhile. Nothing was changed; look at it again, then repeat it."
        )


def copy_routine(workspace: Workspace, who: str, name: str) -> str:
    """Make a copy of a routine and return its name."""
    may_prepare(workspace, who)

    def change(setup: Setup) -> Setup:
        base = setup.routine(name)
        if base is None:
            raise InputProblem(f"There is no routine “{name}” any more.")
        copied = base.model_copy(update={"name": _free_name(setup, name), "key": ""})
        return setup.model_copy(update={"routines": (*setup.routines, copied)})

    return workspace.change_setup(who, change).routines[-1].name


def remove_routine(workspace: Workspace, who: str, name: str, base: Routine | None = None) -> int:
    """Remove a routine and return the place it had; raises InputProblem while batches of it are open."""
    may_prepare(workspace, who)
    places: list[int] = []

    def change(setup: Setup) -> Setup:
        refuse_changed(setup.routine(name), base, f"The routine {name}")
        b = t.batch.c
        with workspace.place.database.read() as c:
            asked = select(func.count()).where(b.routine == name, b.closed_at.is_(None))
            waiting = int(c.execute(asked).scalar() or 0)
        if waiting:
            what = "batch of it is" if waiting == 1 else "batches of it are"
            raise InputProblem(f"{waiting} {what} still open. File and close them first; {name} stays.")
        places.append([r.name for r in setup.routines].index(name))
        return setup.model_copy(update={"routines": tuple(r for r in setup.routines if r.name != name)})

    workspace.change_setup(who, change)
    return places[-1]


def put_routine(workspace: Workspace, who: str, routine: Routine, place: int) -> None:
    """Put a routine that was removed at its place again; raises InputProblem where its name is taken by then."""
    may_prepare(workspace, who)

    def change(setup: Setup) -> Setup:
        if setup.routine(routine.name) is not None:
            raise InputProblem(f"There is a routine “{routine.name}” already. Nothing was changed.")
        return setup.model_copy(update={"routines": (*setup.routines[:place], routine, *setup.routines[place:])})

    workspace.change_setup(who, change)


def export_routine(workspace: Workspace, name: str, path: Path) -> None:
    """Write a routine as a text file."""
    routine = workspace.setup.routine(name)
    if routine is None:
        raise InputProblem(f"There is no routine “{name}” any more.")
    write_atomic(path, write_routine(routine).encode())


def import_routines(workspace: Workspace, who: str, path: Path) -> tuple[str, tuple[str, ...]]:
    """Bring the routines of a text file in under free names; return the first one's name and what they still need.

    A document type that is not there yet is left open, and told.
    """
    may_prepare(workspace, who)
    try:
        found = read_routines(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise InputProblem(f"“{path.name}” cannot be read as text. Nothing was changed.") from error
    told: list[str] = []
    names: list[str] = []

    def change(setup: Setup) -> Setup:
        fresh: list[Routine] = []
        taken = {r.key.casefold() for r in setup.routines if r.key}
        for routine in found:
            changes: dict[str, Any] = {"name": _free_name(setup, routine.name, [r.name for r in fresh])}
            if routine.document_type and setup.document_type(routine.document_type) is None:
                told.append(
                    f"{changes['name']} is made for the document type “{routine.document_type}”, which is not there."
                )
                changes["document_type"] = ""
            if routine.key.casefold() in taken:
                changes["key"] = ""
            fresh.append(routine.model_copy(update=changes))
        names.extend(r.name for r in fresh)
        return setup.model_copy(update={"routines": (*setup.routines, *fresh)})

    workspace.change_setup(who, change)
    return names[0], tuple(told)


def make_type(workspace: Workspace, who: str, name: str, cabinet: str) -> None:
    """Make a document type with a title field, and its cabinet where that is missing too.

    Raises InputProblem for a name that is taken or empty.
    """
    may_prepare(workspace, who)
    name, cabinet = name.strip(), cabinet.strip()
    if not name or not cabinet:
        raise InputProblem("A document type needs a name and a cabinet to go to.")

    def change(setup: Setup) -> Setup:
        if setup.document_type(name) is not None:
            raise InputProblem(f"There is a document type “{name}” already; choose another name.")
        known = setup.cabinet(cabinet)
        cabinets = setup.cabinets if known else (*setup.cabinets, Cabinet(name=cabinet))
        title = FieldSpec(name="Title", required=True, labels=("Title", "Subject"))
        levels = known.folder_fields if known else ()
        fields = (title, *(FieldSpec(name=n, required=True, labels=(n,)) for n in levels if n != "Title"))
        kind = DocumentType(
            name=name, cabinet=cabinet, caption="{Title}", words=(name,), folder={n: n for n in levels}, fields=fields
        )
        return setup.model_copy(update={"cabinets": cabinets, "document_types": (*setup.document_types, kind)})

    workspace.change_setup(who, change)


def _free_name(setup: Setup, name: str, besides: Sequence[str] = ()) -> str:
    """Return the name, or with “copy” and a number behind it where it is taken."""
    names = {r.name for r in setup.routines} | set(besides)
    if name not in names:
        return name
    return next(n for i in range(1, 1000) if (n := f"{name} copy" + (f" {i}" if i > 1 else "")) not in names)


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
