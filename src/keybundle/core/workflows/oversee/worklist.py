"""The work list, and what was done today."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import func, select

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import State
from keybundle.core.finding.columns import count_in
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class WorkRow:
    """A batch in the work list. ``pieces`` are its documents' states with their pages, in order of the work;
    ``unplaced`` sides were captured and are not separated yet."""  # noqa: D205, D209

    id: BatchId
    routine: str
    routine_name: str
    sign: str
    origin: str
    owner: str
    owner_name: str
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
    """What was done since midnight in the repository's time zone: sides captured, documents filed."""

    sides: int
    filed: int
    in_repository: int


@needs(Right.LOOK)
def list_work(session: Session, *, owner: str | None = None) -> list[WorkRow]:
    """Return the unfinished batches, oldest first; of one person where ``owner`` is given."""
    workspace = session.workspace
    b, p, d = t.batch.c, t.page.c, t.batch_document.c
    now = workspace.clock.now()
    chosen = select(t.batch).where(b.closed_at.is_(None), *session.batches()).order_by(b.created_at)
    pieces: dict[str, list[tuple[State, int]]] = {}
    loose: dict[tuple[str, str | None], int] = {}
    with workspace.place.database.read() as c:
        batches = c.execute(chosen.where(b.owner == owner) if owner else chosen).all()
        ids = [r.id for r in batches]
        own = (
            select(p.batch_id, p.document_id, func.min(p.position).label("place"), func.count().label("pages"))
            .where(p.batch_id.in_(ids), p.document_id.is_not(None))
            .group_by(p.batch_id, p.document_id)
            .subquery()
        )
        rows = select(own.c.batch_id, d.state, own.c.pages).join(t.batch_document, d.id == own.c.document_id)
        for row in c.execute(rows.order_by(own.c.batch_id, own.c.place)):
            pieces.setdefault(row.batch_id, []).append((State(row.state), row.pages))
        counts = select(p.batch_id, p.disposition, func.count()).where(p.batch_id.in_(ids), p.document_id.is_(None))
        for loose_row in c.execute(counts.group_by(p.batch_id, p.disposition)):
            loose[loose_row[0], loose_row[1]] = loose_row[2]
    found = []
    for r in batches:
        routine = workspace.setup.routine(r.routine)
        age = now - datetime.fromisoformat(r.created_at)
        found.append(
            WorkRow(
                r.id, r.routine, routine.name if routine else r.routine, routine.sign if routine else "--", r.origin, r.owner,
                name_of(workspace.setup.people, r.owner), r.created_at, age,
                r.captured_at is None, tuple(pieces.get(r.id, ())), loose.get((r.id, None), 0),
                loose.get((r.id, "left out"), 0),
            )
        )  # fmt: skip
    return found


@needs(Right.LOOK)
def count_today(session: Session) -> Today:
    """Return today's figures."""
    workspace = session.workspace
    local = workspace.clock.now().astimezone(ZoneInfo(workspace.setup.time_zone))
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0).astimezone(UTC).isoformat()
    with workspace.place.database.read() as c:
        view, own, d = session.view(c), session.batches(), t.document.c
        captured = select(func.count()).where(t.page.c.captured_at >= midnight)
        if own:
            # Put together, so that the planner begins with the few pages of today and not with all of one's batches.
            captured = captured.where(t.page.c.batch_id.concat("").in_(select(t.batch.c.id).where(*own)))
        sides = c.execute(captured).scalar() or 0
        new = (d.filed_at >= midnight, d.removed_at.is_(None), d.batch_id.is_not(None))
        filed = c.execute(select(func.count()).where(*new, *view.documents())).scalar()
        return Today(int(sides), int(filed or 0), count_in(c, "", view=view))
