"""What is under way or due, of every kind: one row each, until it is done.

A row with a holder is in hand until ``until``; one without may be taken up from ``until`` on. Whoever takes it up gets a
token, by which alone it is done, kept or let go of: one that was noted anew meanwhile, or taken up by somebody else after
its time, is no longer theirs. What went wrong waits longer each time, and says why. A row that was noted later than now
was written by a clock that has gone back since: it may be taken up at once.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import field
from datetime import timedelta
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, delete, func, or_, select, update
from sqlalchemy.dialects.sqlite import insert

from keybundle.core.base.clock import Clock
from keybundle.core.base.records import dataclass
from keybundle.core.store import schema as t

READING, FILING, RENDITION, COPY, SOURCE = "reading", "filing", "rendition", "copy", "source"
INCOMING = "incoming"
ERASE, ERASE_PICTURES, LEAVING, SENDING = "erase", "erase pictures", "leaving", "sending"
RETRY_SECONDS = (2, 5, 10, 30, 60, 300, 900)
LEASE_SECONDS = 900
MOST_BOUND = 500

_w = t.work.c
_b = t.batch_document.c
# The filing that has a batch's document in hand, within a question about ``batch_document``.
CLAIM = (
    select(_w.token)
    .where(_w.kind == FILING, _w.ref == _b.id)
    .correlate(t.batch_document)
    .scalar_subquery()
    .label("claim")
)
IS_CLAIMED = select(_w.token).where(_w.kind == FILING, _w.ref == _b.id).correlate(t.batch_document).exists()


@dataclass(frozen=True)
class Taken:
    """Work in hand: of what kind and about what, by which token, how often it was tried before, and what belongs to it.

    ``holder`` is who has it in hand; nobody where it is only listed.
    """

    kind: str
    ref: str
    token: str
    tries: int = 0
    data: Mapping[str, Any] = field(default_factory=dict)
    holder: str = ""


def due(c: Connection, at: str, kind: str, ref: str, *, data: Mapping[str, Any] | None = None) -> None:
    """Note work, which may be taken up from ``at`` on; noted again it is as if it was new, whoever has it in hand."""
    row = {
        "holder": "", "token": "", "at": at, "until": at, "tries": 0, "trouble": "",
        "data": dict(data) if data is not None else None,
    }  # fmt: skip
    noted = insert(t.work).values(kind=kind, ref=ref, **row)
    c.execute(noted.on_conflict_do_update(index_elements=[_w.kind, _w.ref], set_=row))


def begin(
    c: Connection, clock: Clock, kind: str, ref: str, holder: str, *, token: str = "", data: Mapping[str, Any] | None = None,
    lease_seconds: float = LEASE_SECONDS,
) -> Taken | None:  # fmt: skip
    """Take in hand what nobody has in hand; None where somebody has it."""
    row = {"holder": holder, "token": token or clock.new_id(), "at": clock.stamp(), "until": _in(clock, lease_seconds)}
    rest = {"tries": 0, "trouble": "", "data": dict(data) if data is not None else None}
    noted = insert(t.work).values(kind=kind, ref=ref, **row, **rest)
    free = noted.on_conflict_do_update(index_elements=[_w.kind, _w.ref], set_=row, where=_is_free(clock, at_once=True))
    if not c.execute(free).rowcount:
        return None
    return Taken(kind, ref, row["token"], 0, data or {})


def list_free(
    c: Connection, clock: Clock, kind: str, *, at_once: bool = False, refs: Collection[str] | None = None,
    where: Sequence[ColumnElement[bool]] = (),
) -> list[str]:  # fmt: skip
    """Return what may be taken up now, the longest due first: a question that holds up nobody who writes."""
    wanted = list(refs or ())
    lots = [None] if refs is None else [wanted[i : i + MOST_BOUND] for i in range(0, len(wanted), MOST_BOUND)]
    asked = (_free(clock, kind, at_once=at_once, refs=lot, where=where).with_only_columns(_w.ref) for lot in lots)
    return [ref for chosen in asked for ref in c.execute(chosen).scalars()]


def take(
    c: Connection, clock: Clock, kind: str, holder: str, *, at_once: bool = False, refs: Collection[str] | None = None,
    most: int = 1, where: Sequence[ColumnElement[bool]] = (), lease_seconds: float = LEASE_SECONDS,
) -> list[Taken]:  # fmt: skip
    """Take up what is due, the longest due first: of these ``refs`` (at most ``MOST_BOUND``), as ``where`` says of ``work``.

    ``at_once`` takes what waits for another try too.
    """
    found = []
    for row in c.execute(_free(clock, kind, at_once=at_once, refs=refs, where=where).limit(most)).all():
        token = clock.new_id()
        changed = {"holder": holder, "token": token, "at": clock.stamp(), "until": _in(clock, lease_seconds)}
        c.execute(update(t.work).where(_w.kind == kind, _w.ref == row.ref).values(changed))
        found.append(Taken(kind, row.ref, token, row.tries, row.data or {}))
    return found


def _free(
    clock: Clock, kind: str, *, at_once: bool, refs: Collection[str] | None, where: Sequence[ColumnElement[bool]]
) -> Select[Any]:
    chosen = select(t.work).where(_w.kind == kind, _is_free(clock, at_once=at_once), *where).order_by(_w.until, _w.ref)
    return chosen if refs is None else chosen.where(_w.ref.in_(list(refs)))


def keep(c: Connection, clock: Clock, token: str, lease_seconds: float = LEASE_SECONDS) -> bool:
    """Keep in hand what somebody has by a token; False where it is theirs no longer."""
    changed = update(t.work).where(_w.token == token).values(at=clock.stamp(), until=_in(clock, lease_seconds))
    return bool(c.execute(changed).rowcount)


def done(c: Connection, taken: Taken) -> bool:
    """Strike off work; False where it is no longer in that hand: what was done does not count then."""
    own = (_w.kind == taken.kind, _w.ref == taken.ref, _w.token == taken.token)
    return bool(c.execute(delete(t.work).where(*own)).rowcount)


def again(
    c: Connection, clock: Clock, taken: Taken, seconds: float, *, trouble: str = "", tries: int = 0,
    data: Mapping[str, Any] | None = None,
) -> None:  # fmt: skip
    """Let work wait for so many seconds; ``data`` takes the place of what belonged to it."""
    changed: dict[str, Any] = {
        "holder": "", "token": "", "at": clock.stamp(), "until": _in(clock, seconds), "tries": tries, "trouble": trouble,
    }  # fmt: skip
    changed |= {} if data is None else {"data": dict(data)}
    own = (_w.kind == taken.kind, _w.ref == taken.ref, _w.token == taken.token)
    c.execute(update(t.work).where(*own).values(changed))


def wait(
    c: Connection, clock: Clock, taken: Taken, trouble: str, *, data: Mapping[str, Any] | None = None,
    longest: float = RETRY_SECONDS[-1],
) -> None:  # fmt: skip
    """Let work that could not be done wait for another try, with what was in the way."""
    seconds = min(seconds_to_wait(taken.tries), longest)
    again(c, clock, taken, seconds, trouble=trouble, tries=taken.tries + 1, data=data)


def let_go(c: Connection, clock: Clock, token: str) -> None:
    """Let go of what somebody has by a token; it is due as it was."""
    freed = {"holder": "", "token": "", "at": clock.stamp(), "until": clock.stamp()}
    c.execute(update(t.work).where(_w.token == token, _w.token != "").values(freed))


def drop(c: Connection, kind: str, refs: Iterable[str]) -> None:
    """Strike off work that nobody wants any more, whoever has it in hand."""
    wanted = list(refs)
    for start in range(0, len(wanted), MOST_BOUND):
        c.execute(delete(t.work).where(_w.kind == kind, _w.ref.in_(wanted[start : start + MOST_BOUND])))


def drop_token(c: Connection, token: str) -> None:
    """Strike off all that somebody has by a token."""
    c.execute(delete(t.work).where(_w.token == token, _w.token != ""))


def free_all_but(c: Connection, clock: Clock, holder: str) -> None:
    """Let go of what others had in hand, who are no longer there: for who holds the data directory alone.

    A claim without its filing is none.
    """
    held = (_w.token != "", _w.holder != holder)
    c.execute(delete(t.work).where(*held, _w.kind == FILING))
    c.execute(update(t.work).where(*held).values(holder="", token="", at=clock.stamp(), until=clock.stamp()))


def list_work(c: Connection, kind: str, *, refs: Collection[str] | None = None) -> list[Taken]:
    """Return all work of a kind, in hand or not."""
    chosen = select(t.work).where(_w.kind == kind).order_by(_w.until, _w.ref)
    if refs is not None:
        chosen = chosen.where(_w.ref.in_(list(refs)))
    return [Taken(kind, r.ref, r.token, r.tries, r.data or {}, r.holder) for r in c.execute(chosen).all()]


def note_trouble(c: Connection, kind: str, ref: str, trouble: str) -> None:
    """Note what is in the way of work that stays in its hand."""
    c.execute(update(t.work).where(_w.kind == kind, _w.ref == ref).values(trouble=trouble))


def count(c: Connection, kind: str) -> int:
    """Return how much work of a kind there is."""
    return int(c.execute(select(func.count()).select_from(t.work).where(_w.kind == kind)).scalar_one())


def troubles(c: Connection, kind: str, where: Sequence[ColumnElement[bool]] = ()) -> tuple[int, str]:
    """Return how much work of a kind waits because something is in the way, and what of that comes first."""
    chosen = (_w.kind == kind, _w.trouble != "", *where)
    n = int(c.execute(select(func.count()).select_from(t.work).where(*chosen)).scalar_one())
    return (n, c.execute(select(_w.trouble).where(*chosen).order_by(_w.until).limit(1)).scalar_one()) if n else (0, "")


def seconds_to_wait(tries: int) -> int:
    """Return after how many seconds something is tried again that has failed so often before."""
    return RETRY_SECONDS[min(tries, len(RETRY_SECONDS) - 1)]


def _is_free(clock: Clock, *, at_once: bool) -> ColumnElement[bool]:
    now = clock.stamp()
    is_time = or_(_w.until <= now, _w.at > now)
    return or_(_w.token == "", is_time) if at_once else is_time


def _in(clock: Clock, seconds: float) -> str:
    return (clock.now() + timedelta(seconds=seconds)).isoformat(timespec="milliseconds")
