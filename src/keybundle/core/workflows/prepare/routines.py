"""Changing routines: each change is kept at once as a new version of the set-up."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, Setup, called, name_of
from keybundle.core.setup.parts import Part
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import read_routines, write_routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class Sample:
    """A batch that a routine can be tried on."""

    id: str
    told: str
    is_open: bool


def make_routine(base: Routine, changes: Mapping[str, Any]) -> Routine:
    """Return a routine with some parts changed; raises InputProblem in words where they do not hold together."""
    try:
        return Routine.model_validate({**base.model_dump(), **changes})
    except ValidationError as error:
        said = [str(e["msg"]).removeprefix("Value error, ") for e in error.errors()]
        raise InputProblem(message("prepare.nothing-changed", said="; ".join(dict.fromkeys(said)))) from error


@needs(Right.PREPARE)
def save_routine(session: Session, routine: Routine, base: Routine | None = None) -> None:
    """Keep a routine in place of the one with its id; raises InputProblem when its new name or key is taken.

    ``base`` is the routine that was changed: where somebody else has changed it meanwhile, nothing is kept.
    """
    workspace, who = session.workspace, session.person

    def change(setup: Setup) -> Setup:
        refuse_changed(setup.routine(routine.id), base, message("thing.routine", name=routine.name))
        others = [r for r in setup.routines if r.id != routine.id]
        if any(r.name.casefold() == routine.name.casefold() for r in others):
            raise InputProblem(message("routines.routine-already-choose-another-name", routine_name=routine.name))
        if routine.key and any(r.key.casefold() == routine.key.casefold() for r in others):
            raise InputProblem(message("routines.key-starts-another-routine-already", key=routine.key))
        changed = tuple(routine if r.id == routine.id else r for r in setup.routines)
        return setup.model_copy(update={"routines": changed})

    workspace.change_setup(who, change)


def refuse_changed(now: Part | None, base: Part | None, what: str) -> None:
    """Raise InputProblem where a part of the set-up is gone, or is no longer what the change was made on; it says what is new."""
    if now is None:
        raise InputProblem(message("routines.no-longer-nothing-changed", what=what))
    if base is not None and now != base:
        before, after = base.model_dump(), now.model_dump()
        new = ", ".join(key.replace("_", " ") for key in after if after[key] != before.get(key))
        raise InputProblem(message("routines.been-changed-somebody-else-meanwhile", what=what, new=new))


@needs(Right.PREPARE)
def copy_routine(session: Session, routine_id: str) -> str:
    """Make a copy of a routine and return the copy's id."""
    workspace, who = session.workspace, session.person

    def change(setup: Setup) -> Setup:
        base = setup.routine(routine_id)
        if base is None:
            raise InputProblem(message("routines.no-routine-any-more", routine_id=routine_id))
        name = _free_name(setup, base.name)
        copied = base.model_copy(update={"id": _new_id(workspace, "routines", name), "name": name, "key": ""})
        return setup.model_copy(update={"routines": (*setup.routines, copied)})

    return workspace.change_setup(who, change).routines[-1].id


def _new_id(workspace: Workspace, part: str, name: str, besides: Collection[str] = ()) -> str:
    return fresh_id(name, {*workspace.used_ids().get(part, ()), *besides})


@needs(Right.PREPARE)
def remove_routine(session: Session, routine_id: str, base: Routine | None = None) -> int:
    """Remove a routine and return the place it had; raises InputProblem while batches of it are open."""
    workspace, who = session.workspace, session.person
    places: list[int] = []

    def change(setup: Setup) -> Setup:
        found = setup.routine(routine_id)
        name = found.name if found is not None else routine_id
        refuse_changed(found, base, message("thing.routine", name=name))
        b = t.batch.c
        with workspace.place.database.read() as c:
            asked = select(func.count()).where(b.routine == routine_id, b.closed_at.is_(None))
            waiting = int(c.execute(asked).scalar() or 0)
        if waiting:
            what = message("routines.batches-of-it", n=waiting)
            raise InputProblem(message("routines.still-open-file-close-them", waiting=waiting, what=what, name=name))
        places.append([r.id for r in setup.routines].index(routine_id))
        return setup.model_copy(update={"routines": tuple(r for r in setup.routines if r.id != routine_id)})

    workspace.change_setup(who, change)
    return places[-1]


@needs(Right.PREPARE)
def put_routine(session: Session, routine: Routine, place: int) -> None:
    """Put a routine that was removed at its place again; raises InputProblem where its name is taken by then."""
    workspace, who = session.workspace, session.person

    def change(setup: Setup) -> Setup:
        if any(r.id == routine.id or r.name.casefold() == routine.name.casefold() for r in setup.routines):
            raise InputProblem(message("routines.routine-already-nothing-changed", routine_name=routine.name))
        return setup.model_copy(update={"routines": (*setup.routines[:place], routine, *setup.routines[place:])})

    workspace.change_setup(who, change)


@needs(Right.LOOK)
def export_routine(session: Session, routine_id: str, path: Path) -> None:
    """Write a routine as a text file, its document type by name."""
    workspace = session.workspace
    routine = workspace.setup.routine(routine_id)
    if routine is None:
        raise InputProblem(message("routines.no-routine-any-more", routine_id=routine_id))
    named = name_of(workspace.setup.document_types, routine.document_type)
    write_atomic(path, write_routine(routine.model_copy(update={"document_type": named})).encode())


@needs(Right.PREPARE)
def import_routines(session: Session, path: Path) -> tuple[str, tuple[str, ...]]:
    """Bring the routines of a text file in under free names; return the first one's id and what they still need.

    A document type that is not there yet is left open, and told.
    """
    workspace, who = session.workspace, session.person
    try:
        found = read_routines(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise InputProblem(message("routines.cannot-read-text-nothing-changed", path_name=path.name)) from error
    told: list[str] = []
    ids: list[str] = []

    def change(setup: Setup) -> Setup:
        fresh: list[Routine] = []
        taken = {r.key.casefold() for r in setup.routines if r.key}
        for routine in found:
            name = _free_name(setup, routine.name, [r.name for r in fresh])
            changes: dict[str, Any] = {
                "name": name, "id": _new_id(workspace, "routines", name, [r.id for r in fresh])
            }  # fmt: skip
            kind = called(setup.document_types, routine.document_type) if routine.document_type else None
            if kind is not None:
                changes["document_type"] = kind.id
            elif routine.document_type:
                told.append(
                    message(
                        "routines.made-document-type-which-not",
                        changes=changes["name"],
                        document_type=routine.document_type,
                    )
                )
                changes["document_type"] = ""
            if routine.key.casefold() in taken:
                changes["key"] = ""
            fresh.append(routine.model_copy(update=changes))
        ids.extend(r.id for r in fresh)
        return setup.model_copy(update={"routines": (*setup.routines, *fresh)})

    workspace.change_setup(who, change)
    return ids[0], tuple(told)


@needs(Right.PREPARE)
def make_type(session: Session, name: str, cabinet: str) -> str:
    """Make a document type with a title field, and its cabinet where that is missing too; return the type's id.

    Raises InputProblem for a name that is taken or empty.
    """
    workspace, who = session.workspace, session.person
    name, cabinet = name.strip(), cabinet.strip()
    if not name or not cabinet:
        raise InputProblem(message("routines.document-type-needs-name-cabinet"))

    def change(setup: Setup) -> Setup:
        if any(k.name.casefold() == name.casefold() for k in setup.document_types):
            raise InputProblem(message("routines.document-type-already-choose-another", name=name))
        known = next((c for c in setup.cabinets if c.name.casefold() == cabinet.casefold()), None)
        home = known or Cabinet(id=_new_id(workspace, "cabinets", cabinet), name=cabinet)
        cabinets = setup.cabinets if known else (*setup.cabinets, home)
        levels = [f.name for f in home.folder_fields]
        title = FieldSpec(name="Title", required=True, labels=("Title", "Subject"))
        fields = (title, *(FieldSpec(name=n, required=True, labels=(n,)) for n in levels if n != "Title"))
        kind = DocumentType(
            id=_new_id(workspace, "document_types", name), name=name, cabinet=home.id, caption="{Title}", words=(name,),
            folder={f.id: f.name for f in home.folder_fields}, fields=fields,
        )  # fmt: skip
        return setup.model_copy(update={"cabinets": cabinets, "document_types": (*setup.document_types, kind)})

    return workspace.change_setup(who, change).document_types[-1].id


def _free_name(setup: Setup, name: str, besides: Sequence[str] = ()) -> str:
    """Return the name, or with “copy” and a number behind it where it is taken."""
    names = {r.name for r in setup.routines} | set(besides)
    if name not in names:
        return name
    return next(n for i in range(1, 1000) if (n := f"{name} copy" + (f" {i}" if i > 1 else "")) not in names)


@needs(Right.LOOK)
def list_samples(session: Session, limit: int = 20) -> list[Sample]:
    """Return batches that a routine can be tried on, the newest first."""
    workspace = session.workspace
    pages = select(func.count()).where(t.page.c.batch_id == t.batch.c.id).scalar_subquery()
    chosen = select(t.batch, pages.label("pages")).where(*session.batches())
    chosen = chosen.order_by(t.batch.c.created_at.desc()).limit(limit)
    routines = workspace.setup.routines
    with workspace.place.database.read() as c:
        rows = c.execute(chosen).all()
    return [
        Sample(
            r.id,
            message(
                "routines.closed-sample" if r.closed_at else "routines.sample",
                name=name_of(routines, r.routine),
                origin=r.origin,
                n=int(r.pages),
            ),
            r.closed_at is None,
        )
        for r in rows
    ]


@needs(Right.LOOK)
def open_batches(session: Session, routine: str) -> list[str]:
    """Return the open batches of a routine, whose pages have all come in."""
    workspace = session.workspace
    b = t.batch.c
    chosen = select(b.id).where(
        b.routine == routine, b.closed_at.is_(None), b.captured_at.is_not(None), *session.batches()
    )
    with workspace.place.database.read() as c:
        return list(c.execute(chosen.order_by(b.created_at)).scalars())
