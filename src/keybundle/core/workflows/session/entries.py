"""The entries of a register brought to others at once, whoever brings them: a set-up file, a CSV file, a database.

What is not among the new ones is taken away, what reads otherwise is changed; both are told, and kept in a history from
which they can be brought back. Rows are kept by the ids of columns, so that a column can be called otherwise.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, bindparam, delete, func, insert, or_, select, update

from keybundle.core.base.records import dataclass
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.setup.model import Register
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database

MOST_TOLD, MOST_BOUND, MOST_KEPT, PIECE, TURN_SECONDS = 200, 500, 100, 400, 0.002


@dataclass(frozen=True)
class EntriesBrought:
    """How many entries of a register (by id) were added, changed and taken away; ``seq`` is its place in the history."""

    register: str
    added: int
    changed: int
    removed: int
    seq: int | None = None

    @property
    def is_any(self) -> bool:
        """Whether anything is another than before."""
        return bool(self.added or self.changed or self.removed)


@dataclass(frozen=True)
class _Difference:
    """What is to be done to the rows there are: those wanted by key, and which of them are new, changed or gone."""

    there: Mapping[str, Any]
    wanted: Mapping[str, dict[str, str]]
    added: list[str]
    changed: list[str]
    removed: list[str]

    def only(self, keys: Sequence[str]) -> _Difference:
        """Return the part of it that is about some keys."""
        some = set(keys)
        pick = ([k for k in keys_of if k in some] for keys_of in (self.added, self.changed, self.removed))
        return _Difference(self.there, self.wanted, *pick)

    @property
    def is_any(self) -> bool:
        return bool(self.added or self.changed or self.removed)

    def told(self) -> dict[str, list[str]]:
        """Return what the audit trail says of it."""
        pairs = (("added", self.added), ("changed", self.changed), ("removed", self.removed))
        return {name: keys[:MOST_TOLD] for name, keys in pairs}


_e = t.register_entry.c
_SET_ROW = update(t.register_entry).where(_e.register == bindparam("of"), _e.key == bindparam("at_key"))
_SET_ROW = _SET_ROW.values(row=bindparam("now"))
_SET_PLACE = update(t.register_entry).where(_e.register == bindparam("of"), _e.key == bindparam("at_key"))
_SET_PLACE = _SET_PLACE.values(position=bindparam("now"))
_DROP = delete(t.register_entry).where(_e.register == bindparam("of"), _e.key == bindparam("at_key"))


def _compare(
    c: Connection, register: Register, wanted: Mapping[str, dict[str, str]], keys: Sequence[str] = ()
) -> _Difference:
    rows: list[Any] = []
    asked = select(_e.key, _e.row, _e.position).where(_e.register == register.id)
    for start in range(0, len(keys), MOST_BOUND) if keys else (0,):
        some = asked.where(_e.key.in_(keys[start : start + MOST_BOUND])) if keys else asked
        rows += c.execute(some).all()
    there = {r.key: r for r in rows}
    added = [key for key in wanted if key not in there]
    changed = [key for key in wanted if key in there and not _says(there[key].row, wanted[key])]
    return _Difference(there, wanted, added, changed, [key for key in there if key not in wanted])


def _write(c: Connection, register: Register, found: _Difference, places: Mapping[str, int]) -> None:
    of = register.id
    if found.removed:
        c.execute(_DROP, [{"of": of, "at_key": key} for key in found.removed])
    if found.changed:
        now = [{"of": of, "at_key": k, "now": {**found.there[k].row, **found.wanted[k]}} for k in found.changed]
        c.execute(_SET_ROW, now)
    if found.added:
        told = [{"register": of, "key": k, "position": places[k], "row": found.wanted[k]} for k in found.added]
        c.execute(insert(t.register_entry), told)


def bring_entries(
    c: Connection, register: Register, fresh: Mapping[str, Entry], *, who: str, at: str, what: str
) -> EntriesBrought:
    """Bring the entries of a register to these (by key; columns by name), in this order, in the caller's transaction.

    ``what`` is what the audit trail calls it.
    """
    wanted = {key: register.stored(entry) for key, entry in fresh.items()}
    found = _compare(c, register, wanted)
    seq = _note(c, register, found, who=who, at=at) if found.changed or found.removed else None
    places = {key: i for i, key in enumerate(wanted, 1)}
    _write(c, register, found, places)
    moved = [k for k in wanted if k in found.there and found.there[k].position != places[k]]
    if moved:
        c.execute(_SET_PLACE, [{"of": register.id, "at_key": key, "now": places[key]} for key in moved])
    if found.is_any:
        audit.append(c, at, who, what, register.id, found.told())
    return EntriesBrought(register.id, len(found.added), len(found.changed), len(found.removed), seq)


def bring_many_entries(
    database: Database, register: Register, fresh: Mapping[str, Entry], *, who: str, at: str, what: str
) -> EntriesBrought:
    """Bring the entries of a register to these, new ones at the end, in pieces that hold nobody up who writes.

    What is changed by hand while it goes on is compared anew in its piece. Who reads meanwhile sees some of each; a stop in
    between leaves what was brought, and the next reading goes on from there.
    """
    wanted = {key: register.stored(entry) for key, entry in fresh.items()}
    with database.read() as c:
        found = _compare(c, register, wanted)
    last = max((r.position for r in found.there.values()), default=0)
    places = {key: last + i for i, key in enumerate(found.added, 1)}
    keys = [*found.removed, *found.changed, *found.added]
    done, seq = {"added": 0, "changed": 0, "removed": 0}, None
    for start in range(0, len(keys), PIECE):
        some = keys[start : start + PIECE]
        with database.atomic() as c:
            now = _compare(c, register, {k: wanted[k] for k in some if k in wanted}, some)
            if now.changed or now.removed:
                first = _note(c, register, now, who=who, at=at, part_of=seq)
                seq = seq if seq is not None else first
            _write(c, register, now, {**dict.fromkeys(now.added, last + len(keys)), **places})
        for name, count in (("added", now.added), ("changed", now.changed), ("removed", now.removed)):
            done[name] += len(count)
        time.sleep(TURN_SECONDS)  # whoever waits to write gets a turn: the lock goes to who asks first
    if found.is_any:
        with database.atomic() as c:
            audit.append(c, at, who, what, register.id, {**found.told(), "counts": done})
    return EntriesBrought(register.id, done["added"], done["changed"], done["removed"], seq)


def _says(stored: Mapping[str, str], wanted: Mapping[str, str]) -> bool:
    """Whether a stored row says all that is wanted; what it has besides, of columns that are gone, is its own."""
    return all(stored.get(column, "") == value for column, value in wanted.items())


def _note(
    c: Connection, register: Register, found: _Difference, *, who: str, at: str, part_of: int | None = None
) -> int:
    """Keep what is taken away, changed and added, so that it can be brought back; ``part_of``: what it belongs to there."""
    row = {
        "register": register.id, "at": at, "who": who, "added": found.added, "part_of": part_of,
        "changed": [[key, dict(found.there[key].row), dict(found.wanted[key])] for key in found.changed],
        "removed": [[key, found.there[key].position, dict(found.there[key].row)] for key in found.removed],
    }  # fmt: skip
    seq = int(c.execute(insert(t.entry_history).values(row).returning(_h.seq)).scalar_one())
    own = (_h.register == register.id,)
    kept = select(_h.seq).where(*own, _h.part_of.is_(None)).order_by(_h.seq.desc()).limit(MOST_KEPT)
    oldest = c.execute(select(func.min(kept.subquery().c.seq))).scalar()
    c.execute(delete(t.entry_history).where(*own, _h.seq < oldest))
    return seq


_h = t.entry_history.c


@dataclass(frozen=True)
class EntriesPast:
    """A time when entries of a register were taken away or changed: how many, when (ISO 8601, UTC), and by whom (id)."""

    seq: int
    at: str
    who: str
    removed: int
    changed: int
    added: int


def entries_history(c: Connection, register: str, limit: int = 100) -> list[EntriesPast]:
    """Return when entries of a register were taken away or changed by many at once, the newest first."""
    first = func.coalesce(_h.part_of, _h.seq).label("first")
    counts = [func.sum(func.json_array_length(x)).label(x.name) for x in (_h.removed, _h.changed, _h.added)]
    chosen = select(first, func.min(_h.at).label("at"), func.min(_h.who).label("who"), *counts)
    chosen = chosen.where(_h.register == register).group_by(first).order_by(first.desc()).limit(limit)
    return [EntriesPast(r.first, r.at, r.who, r.removed, r.changed, r.added) for r in c.execute(chosen)]


@dataclass(frozen=True)
class BroughtBack:
    """The entries that were brought back (by key), and those that say again what they said, with what they said until now."""

    keys: tuple[str, ...]
    before: Mapping[str, Entry]


def bring_back_entries(database: Database, register: Register, seq: int, *, who: str, at: str) -> BroughtBack | None:
    """Put back what was taken away then, and give changed entries what they said; None where there was no such time.

    In pieces that hold nobody up. What was changed again since, and keys that are taken by now, stay as they are.
    """
    with database.read() as c:
        parts = c.execute(
            select(t.entry_history).where(_h.register == register.id, or_(_h.seq == seq, _h.part_of == seq))
        ).all()
    if not any(part.seq == seq for part in parts):
        return None
    removed = [tuple(x) for part in parts for x in part.removed]
    changed = [tuple(x) for part in parts for x in part.changed]
    keys, before = list[str](), dict[str, Entry]()
    for start in range(0, len(removed) + len(changed), PIECE):
        gone, left = removed[start : start + PIECE], start - len(removed)
        others = changed[max(0, left) : max(0, left + PIECE)]
        with database.atomic() as c:
            rows = _rows(c, register, [key for key, *_ in (*gone, *others)])
            back = [(key, position, row) for key, position, row in gone if key not in rows]
            again = [(key, was) for key, was, after in others if key in rows and _says(rows[key], after)]
            if back:
                told = [{"register": register.id, "key": k, "position": p, "row": r} for k, p, r in back]
                c.execute(insert(t.register_entry), told)
            if again:
                c.execute(_SET_ROW, [{"of": register.id, "at_key": k, "now": {**rows[k], **was}} for k, was in again])
        keys += [key for key, *_ in back]
        before |= {key: register.entry(rows[key]) for key, _ in again}
        time.sleep(TURN_SECONDS)
    with database.atomic() as c:
        said = {"entries": keys[:MOST_TOLD], "changed": list(before)[:MOST_TOLD]}
        audit.append(c, at, who, "register entries put back", register.id, said)
    return BroughtBack(tuple(keys), before)


def _rows(c: Connection, register: Register, keys: Sequence[str]) -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {}
    for start in range(0, len(keys), MOST_BOUND):
        some = select(_e.key, _e.row).where(_e.register == register.id, _e.key.in_(keys[start : start + MOST_BOUND]))
        found |= {r.key: dict(r.row) for r in c.execute(some)}
    return found
