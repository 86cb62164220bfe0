"""Throwing a batch away, and what was thrown away: brought back as it was, or erased for good.

What is filed of it stays filed. The sides that are not lie whole for some days (``KEPT_DAYS``); then, or when
somebody erases them sooner, their pictures and words go, and the account keeps how many they were.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import Connection, delete, func, select, update

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import balance
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.store.reserve import making_room
from keybundle.core.workflows.file.closing import KEPT_DAYS
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session import typed
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_SHOWN = 500


@dataclass(frozen=True)
class Thrown:
    """A batch that was thrown away: its routine, where it came from, its open sides, when and by whom."""

    id: BatchId
    routine: str
    origin: str
    sides: int
    at: str
    who: str


@needs(Right.FILE, under="page edits")
def throw_batch_away(session: Session, batch_id: BatchId) -> Changes:
    """Take a batch off the work list with all its sides that are not filed; it can be brought back as it was.

    Raises InputProblem for a batch that is closed, whose sides still come in, or of which a document is being filed.
    """
    workspace, who = session.workspace, session.person
    with workspace.place.database.atomic() as c:
        batch = session.batch(batch_id).throw_away()
        counted = balance(batch)
        told = {"origin": batch.origin, **asdict(counted)}
        audit.append(c, workspace.clock.stamp(), who, "batch thrown away", batch_id, told)
    return Changes(
        frozenset([batch_id]), text=message("throwing.thrown", n=counted.captured - counted.filed, days=KEPT_DAYS)
    )


@needs(Right.FILE)
def bring_batch_back(session: Session, line: Line, batch_id: BatchId) -> Changes:
    """Put a batch that was thrown away on the work list again; the machine goes on where it was."""
    workspace, who = session.workspace, session.person
    with workspace.place.database.atomic() as c:
        session.batch(batch_id).bring_back()
        audit.append(c, workspace.clock.stamp(), who, "batch brought back", batch_id, {})
    line.revise(batch_id)
    return Changes(frozenset([batch_id]), text=message("throwing.brought-back"))


@needs(Right.FILE)
def list_thrown(session: Session) -> list[Thrown]:
    """Return the batches that were thrown away and lie there still, those of last first."""
    workspace, b, p = session.workspace, t.batch.c, t.page.c
    sides = select(func.count()).where(p.batch_id == b.id, p.document_id.is_(None)).scalar_subquery()
    chosen = select(t.batch, sides.label("sides")).where(b.thrown_by.is_not(None), *session.batches())
    chosen = chosen.order_by(b.closed_at.desc()).limit(MOST_SHOWN)
    setup = workspace.setup
    with workspace.place.database.read() as c:
        rows = c.execute(chosen).all()
    return [
        Thrown(r.id, name_of(setup.routines, r.routine), r.origin, r.sides, r.closed_at, name_of(setup.people, r.thrown_by))
        for r in rows
    ]  # fmt: skip


@needs(Right.EMPTY_TRASH)
def erase_thrown(session: Session, batch_ids: Sequence[BatchId]) -> int:
    """Erase for good what batches that were thrown away hold; return how many files go only at a later start."""
    workspace = session.workspace
    with making_room(workspace.place.root):
        for batch_id in batch_ids:
            session.require_batch(batch_id)
            with workspace.place.database.atomic() as c:
                erase_batch(workspace, c, batch_id, session.person)
        return finish_erasing(workspace)


def erase_batch(workspace: Workspace, c: Connection, batch_id: str, who: str) -> None:
    """Erase the sides of a batch that was thrown away, and note it; raises InputProblem where it was not."""
    from keybundle.core.filing import trash

    b = t.batch.c
    if c.execute(select(b.id).where(b.id == batch_id, b.thrown_by.is_not(None))).first() is None:
        raise InputProblem(message("store.batch-not-thrown-away"))
    c.execute(delete(t.draft).where(t.draft.c.place == typed.bench_of(batch_id)))
    sides = trash.erase_sides(c, batch_id, at=workspace.clock.stamp())
    c.execute(update(t.batch).where(b.id == batch_id).values(thrown_by=None))
    audit.append(c, workspace.clock.stamp(), who, "batch erased", batch_id, {"sides": sides})
