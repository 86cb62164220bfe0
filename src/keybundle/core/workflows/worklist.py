"""The work list, and what was done today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import func, select

from keybundle.core.batches.model import State
from keybundle.core.store import schema as t
from keybundle.core.workflows.workspace import Workspace


@dataclass(frozen=True)
class WorkRow:
    """A batch in the work list. ``pieces`` are its documents' states with their pages, in order of the work;
    ``unplaced`` sides were captured and are not separated yet."""  # noqa: D205, D209

    id: str
    routine: str
    sign: str
    origin: str
    owner: str
    created_at: str
    age: timedelta
    is_capturing: bool
    pieces: tuple[tuple[State, int], ...]
    unplaced: int
    left_out: int

    def count(self, state: State) -> int:
        """Return how many documents are in a state."""
        return sum(1 for s, _ in self.pieces if s is state)


@dataclass(frozen=True)
class Today:
    """What was done since midnight (UTC): sides captured, documents filed."""

    sides: int
    filed: int
    in_repository: int


def list_work(workspace: Workspace, *, owner: str | None = None) -> list[WorkRow]:
    """Return the unfinished batches, oldest first; of one person where ``owner`` is given."""
    b, p, d = t.batch.c, t.page.c, t.batch_document.c
    now = workspace.clock.now()
    first = select(p.document_id, func.min(p.position).label("place"), func.count().label("pages")).where(
        p.document_id.is_not(None)
    ).group_by(p.document_id).subquery()  # fmt: skip
    pieces: dict[str, list[tuple[State, int]]] = {}
    chosen = select(t.batch).where(b.closed_at.is_(None)).order_by(b.created_at)
    with workspace.place.database.read() as c:
        batches = c.execute(chosen.where(b.owner == owner) if owner else chosen).all()
        ids = [r.id for r in batches]
        rows = c.execute(
            select(d.batch_id, d.state, first.c.pages).join(first, first.c.document_id == d.id)
            .where(d.batch_id.in_(ids)).order_by(d.batch_id, first.c.place)
        )  # fmt: skip
        for row in rows:
            pieces.setdefault(row.batch_id, []).append((State(row.state), row.pages))
        counts = select(p.batch_id, p.disposition, func.count()).where(p.batch_id.in_(ids), p.document_id.is_(None))
        loose = {(r[0], r[1]): r[2] for r in c.execute(counts.group_by(p.batch_id, p.disposition))}
    found = []
    for r in batches:
        routine = workspace.setup.routine(r.routine)
        age = now - datetime.fromisoformat(r.created_at)
        found.append(
            WorkRow(
                r.id, r.routine, routine.sign if routine else "--", r.origin, r.owner, r.created_at, age,
                r.captured_at is None, tuple(pieces.get(r.id, ())), loose.get((r.id, None), 0),
                loose.get((r.id, "left out"), 0),
            )
        )  # fmt: skip
    return found


def count_today(workspace: Workspace) -> Today:
    """Return today's figures."""
    midnight = workspace.clock.now().astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0).isoformat()
    with workspace.place.database.read() as c:
        sides = c.execute(select(func.count()).where(t.page.c.captured_at >= midnight)).scalar() or 0
        kept = t.document.c.removed_at.is_(None)
        filed = c.execute(
            select(func.count()).where(t.document.c.filed_at >= midnight, kept, t.document.c.batch_id.is_not(None))
        ).scalar()
    return Today(int(sides), int(filed or 0), workspace.repository.count())
