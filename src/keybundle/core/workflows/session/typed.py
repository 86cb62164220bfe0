"""What somebody typed and did not keep yet: noted for them until it is kept or let go of, whatever becomes of their window."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.sqlite import insert

from keybundle.core.base.records import dataclass
from keybundle.core.store import schema as t
from keybundle.core.store.work import MOST_BOUND
from keybundle.core.workflows.session.session import Session, needs

Key = tuple[str, str, str]
DOCUMENTS, LETTERS = "documents", "letters"
OF_DOCUMENTS = (DOCUMENTS, LETTERS)
MANY = "\n"  # between the ids of documents that something was typed for together
_d = t.draft.c


def bench_of(batch_id: str) -> str:
    """Return the place where what is typed for a batch is noted."""
    return f"bench {batch_id}"


@dataclass(frozen=True)
class Noted:
    """A text as it was typed: at a place, for a subject, under a name; over what ``stood`` there, ``seen`` at a revision.

    ``told`` is what the subject was called then, ``within`` the cabinet or part where it lay. ``is_gone`` where its batch is
    closed by now: no bench will take it up.
    """

    place: str
    subject: str
    name: str
    text: str
    stood: str = ""
    seen: int = 0
    told: str = ""
    within: str = ""
    at: str = ""
    is_gone: bool = False

    @property
    def key(self) -> Key:
        """What tells it from all others of one person."""
        return self.place, self.subject, self.name


@needs()
def list_noted(session: Session) -> tuple[Noted, ...]:
    """Return all that the person typed and did not keep yet, as it was typed first."""
    with session.workspace.place.database.read() as c:
        rows = c.execute(select(t.draft).where(_d.person == session.person).order_by(_d.at, _d.place, _d.subject)).all()
        open_ = set(c.execute(select(t.batch.c.id).where(t.batch.c.closed_at.is_(None))).scalars())
    benches = {bench_of(batch_id) for batch_id in open_}
    return tuple(
        Noted(
            r.place, r.subject, r.name, r.text, r.stood, r.seen, r.told, r.within, r.at,
            is_gone=r.place.startswith(bench_of("")) and r.place not in benches,
        )
        for r in rows
    )  # fmt: skip


@needs()
def note_typed(session: Session, noted: Sequence[Noted], gone: Collection[Key] = ()) -> None:
    """Note what the person typed, each in place of what was noted there, and forget what is kept or let go of.

    Of a document that is erased nothing is noted: it was typed over words of it.
    """
    person, at = session.person, session.workspace.clock.stamp()
    with session.workspace.place.database.atomic() as c:
        for place, subject, name in gone:
            mine = (_d.person == person, _d.place == place, _d.subject == subject, _d.name == name)
            c.execute(delete(t.draft).where(*mine))
        wanted = [i for n in noted if n.place in OF_DOCUMENTS for i in n.subject.split(MANY)]
        there = _list_there(c, wanted)
        rows = [
            {
                "person": person, "place": n.place, "subject": n.subject, "name": n.name, "text": n.text,
                "stood": n.stood, "seen": n.seen, "told": n.told, "within": n.within, "at": n.at or at,
            }
            for n in noted
            if n.place not in OF_DOCUMENTS or there.issuperset(n.subject.split(MANY))
        ]  # fmt: skip
        if rows:
            put = insert(t.draft)
            anew = {name: put.excluded[name] for name in ("text", "stood", "seen", "told", "within")}
            c.execute(
                put.on_conflict_do_update(index_elements=[_d.person, _d.place, _d.subject, _d.name], set_=anew), rows
            )


def _list_there(c: Connection, ids: Sequence[str]) -> set[str]:
    d, found = t.document.c, set[str]()
    for start in range(0, len(ids), MOST_BOUND):
        found |= set(c.execute(select(d.id).where(d.id.in_(ids[start : start + MOST_BOUND]))).scalars())
    return found
