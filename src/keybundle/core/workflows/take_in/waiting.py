"""Files that somebody handed over and that are not taken in yet: noted until they are, whatever becomes of the window.

The rows are work that nobody takes up by itself: the person is asked, for what was meant then may not be meant now. How many
of the files were taken in, in their order, counts as the tries of a row.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from pathlib import Path

from sqlalchemy import select, update

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.store import work
from keybundle.core.workflows.session.session import Session, needs

_w = t.work.c


@dataclass(frozen=True)
class Waiting:
    """Files of a person that come in under a routine: into an open batch or a new one, with values and levels of folders.

    ``order`` are the single files in the order in which they are taken in, once that has begun; ``taken`` of them are.
    """

    id: str
    routine: str
    files: tuple[Path, ...]
    into: BatchId | None = None
    given: Mapping[str, str] = field(default_factory=dict)
    levels: Mapping[int, str] = field(default_factory=dict)
    order: tuple[Path, ...] = ()
    taken: int = 0

    @property
    def done(self) -> frozenset[Path]:
        """The files that are taken in."""
        return frozenset(self.order[: self.taken])

    @property
    def left(self) -> int:
        """How many files, or folders with files, are still to be taken in."""
        return len(self.order or self.files) - self.taken


@needs(Right.BRING_IN)
def note_waiting(session: Session, waiting: Waiting) -> None:
    """Note files that are to be taken in."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        work.due(c, workspace.clock.stamp(), work.INCOMING, waiting.id, data=_data(session, waiting))


def _data(session: Session, waiting: Waiting) -> dict[str, object]:
    levels = {str(number): name for number, name in waiting.levels.items()}
    return {
        "person": session.person, "routine": waiting.routine, "files": [str(f) for f in waiting.files],
        "order": [str(f) for f in waiting.order], "into": waiting.into, "given": dict(waiting.given), "levels": levels,
    }  # fmt: skip


@needs(Right.BRING_IN)
def list_waiting(session: Session) -> list[Waiting]:
    """Return what the person handed over and what is not taken in yet, the first first."""
    with session.workspace.place.database.read() as c:
        rows = c.execute(select(t.work).where(_w.kind == work.INCOMING).order_by(_w.at, _w.ref)).all()
    found = [
        Waiting(
            r.ref, r.data["routine"], tuple(map(Path, r.data["files"])), r.data["into"], r.data["given"],
            {int(k): v for k, v in r.data["levels"].items()}, tuple(map(Path, r.data["order"])), r.tries,
        )
        for r in rows
        if r.data["person"] == session.person
    ]  # fmt: skip
    return [w for w in found if w.left]


@needs(Right.BRING_IN)
def forget_waiting(session: Session, waiting_id: str) -> None:
    """Forget files that are taken in, or that nobody wants any more."""
    with session.workspace.place.database.atomic() as c:
        work.drop(c, work.INCOMING, [waiting_id])


@needs(Right.BRING_IN)
def note_taken(session: Session, waiting_id: str, taken: int, into: BatchId | None) -> None:
    """Note how many of the files were taken in, and the batch where they lie."""
    with session.workspace.place.database.atomic() as c:
        own = (_w.kind == work.INCOMING, _w.ref == waiting_id)
        c.execute(update(t.work).where(*own).values(tries=taken))
        noted = c.execute(select(_w.data["into"].as_string()).where(*own)).first()
        if into is not None and noted is not None and noted[0] != into:  # another day it goes on in the same batch
            data = c.execute(select(_w.data).where(*own)).scalar_one()
            c.execute(update(t.work).where(*own).values(data={**data, "into": into}))


@needs(Right.BRING_IN)
def note_order(session: Session, waiting: Waiting, order: Sequence[Path]) -> None:
    """Note the single files of what was handed over, in the order in which they are taken in from now on."""
    with session.workspace.place.database.atomic() as c:
        own = (_w.kind == work.INCOMING, _w.ref == waiting.id)
        data = c.execute(select(_w.data).where(*own)).scalar()
        if data is not None:
            whole = [str(f) for f in (*waiting.order[: waiting.taken], *order)]
            c.execute(update(t.work).where(*own).values(data={**data, "order": whole}))
