"""Routines as text files, and the batches that they are tried on; ``parts.py`` changes them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import func, or_, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Setup, called, name_of
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import read_routines, write_routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.prepare.parts.parts import free_name
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class Sample:
    """A batch that a routine can be tried on."""

    id: BatchId
    told: str
    is_open: bool


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
            name = free_name(routine.name, [r.name for r in (*setup.routines, *fresh)])
            used = workspace.used_ids().get("routines", set())
            changes: dict[str, Any] = {"name": name, "id": fresh_id(name, {*used, *(r.id for r in fresh)})}
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


@needs(Right.LOOK)
def list_samples(session: Session, limit: int = 20) -> list[Sample]:
    """Return batches that a routine can be tried on, the newest first."""
    workspace = session.workspace
    b, p = t.batch.c, t.page.c
    pages = select(func.count()).where(p.batch_id == b.id).scalar_subquery()
    # Of a batch that was closed long ago, or erased, there is nothing left to try a routine on.
    is_measured = select(p.id).where(p.batch_id == b.id, p.facts.is_not(None)).exists()
    is_there = (b.thrown_by.is_(None), or_(b.closed_at.is_(None), is_measured))
    chosen = select(t.batch, pages.label("pages")).where(*is_there, *session.batches())
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
