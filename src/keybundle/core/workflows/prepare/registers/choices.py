"""Choices of a field that are there already elsewhere: a column of a register, or the folders of a level, in one go."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs

MOST_CHOICES = 500


@needs(Right.PREPARE)
def choices_of_register(session: Session, register_id: str, column: str) -> tuple[str, ...]:
    """Return what a column of a register holds, each once and in its order; raises InputProblem for none or too many."""
    return _few(entry.get(column, "") for entry in session.workspace.entries(register_id))


@needs(Right.PREPARE)
def choices_of_folders(session: Session, cabinet_id: str, level: str) -> tuple[str, ...]:
    """Return the names of the folders of a level that one may see, sorted; raises InputProblem for none or too many."""
    f = t.folder.c
    with session.workspace.place.database.read() as c:
        names = c.execute(
            select(f.value)
            .where(f.cabinet == cabinet_id, f.field == level, f.became.is_(None), *session.view(c).folders())
            .distinct()
            .order_by(f.value)
        )
        return _few(names.scalars())


def _few(values: Iterable[str]) -> tuple[str, ...]:
    found = tuple(dict.fromkeys(v.strip() for v in values if v.strip()))
    if not found:
        raise InputProblem(message("choices.none"))
    if len(found) > MOST_CHOICES:
        raise InputProblem(message("choices.too-many", n=len(found), most=MOST_CHOICES))
    return found
