"""The entries of a register brought to others at once, whoever brings them: a set-up file, a CSV file, a database.

What is not among the new ones is taken away, what reads otherwise is changed; both are told, and kept in a history from
which they can be brought back. Rows are kept by the ids of columns, so that a column can be called otherwise.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, delete, insert, select, update

from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.setup.model import Register
from keybundle.core.store import schema as t

MOST_TOLD, MOST_BOUND, MOST_KEPT = 200, 500, 100


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


def bring_entries(
    c: Connection,
    register: Register,
    fresh: Mapping[str, Entry],
    *,
    who: str,
    at: str,
    what: str,
    in_order: bool = True,
) -> EntriesBrought:
    """Bring the entries of a register to these (by key; columns by name), in the caller's transaction.

    ``what`` is what the audit trail calls it; ``in_order``: they stand in the order given, else new ones at the end.
    """
    e = t.register_entry
    rows = c.execute(select(e.c.key, e.c.row, e.c.position).where(e.c.register == register.id)).all()
    there = {r.key: r for r in rows}
    wanted = {key: register.stored(entry) for key, entry in fresh.items()}
    added = [key for key in wanted if key not in there]
    changed = [key for key in wanted if key in there and not _says(there[key].row, wanted[key])]
    removed = [key for key in there if key not in wanted]
    seq = _note(c, register, there, wanted, added, changed, removed, who=who, at=at) if changed or removed else None
    for start in range(0, len(removed), MOST_BOUND):
        c.execute(delete(e).where(e.c.register == register.id, e.c.key.in_(removed[start : start + MOST_BOUND])))
    for key in changed:
        own = {**there[key].row, **wanted[key]}
        c.execute(update(e).where(e.c.register == register.id, e.c.key == key).values(row=own))
    last = max((r.position for r in rows), default=0)
    places = {key: i if in_order else last + i for i, key in enumerate(wanted if in_order else added, 1)}
    if added:
        told = [{"register": register.id, "key": k, "position": places[k], "row": wanted[k]} for k in added]
        c.execute(insert(e), told)
    if in_order:
        for key in (k for k in wanted if k in there and there[k].position != places[k]):
            c.execute(update(e).where(e.c.register == register.id, e.c.key == key).values(position=places[key]))
    if added or changed or removed:
        said = {"added": added[:MOST_TOLD], "changed": changed[:MOST_TOLD], "removed": removed[:MOST_TOLD]}
        audit.append(c, at, who, what, register.id, said)
    return EntriesBrought(register.id, len(added), len(changed), len(removed), seq)


def _says(stored: Mapping[str, str], wanted: Mapping[str, str]) -> bool:
    """Whether a stored row says all that is wanted; what it has besides, of columns that are gone, is its own."""
    return all(stored.get(column, "") == value for column, value in wanted.items())


def _note(
    c: Connection, register: Register, there: Mapping[str, Any], wanted: Mapping[str, Mapping[str, str]],
    added: list[str], changed: list[str], removed: list[str], *, who: str, at: str,
) -> int:  # fmt: skip
    row = {
        "register": register.id, "at": at, "who": who, "added": added,
        "changed": [[key, dict(there[key].row), dict(wanted[key])] for key in changed],
        "removed": [[key, there[key].position, dict(there[key].row)] for key in removed],
    }  # fmt: skip
    h = t.entry_history.c
    seq = int(c.execute(insert(t.entry_history).values(row).returning(h.seq)).scalar_one())
    kept = select(h.seq).where(h.register == register.id).order_by(h.seq.desc()).limit(MOST_KEPT)
    c.execute(delete(t.entry_history).where(h.register == register.id, h.seq.not_in(kept)))
    return seq


@dataclass(frozen=True)
class EntriesPast:
    """A time when entries of a register were taken away or changed: how many, when (ISO 8601, UTC), and by whom (id)."""

    seq: int
    at: str
    who: str
    removed: tuple[str, ...]
    changed: int
    added: int


def entries_history(c: Connection, register: str, limit: int = 100) -> list[EntriesPast]:
    """Return when entries of a register were taken away or changed by many at once, the newest first."""
    h = t.entry_history.c
    rows = c.execute(select(t.entry_history).where(h.register == register).order_by(h.seq.desc()).limit(limit))
    return [
        EntriesPast(r.seq, r.at, r.who, tuple(key for key, *_ in r.removed), len(r.changed), len(r.added)) for r in rows
    ]


@dataclass(frozen=True)
class BroughtBack:
    """The entries that were brought back (by key), and those that say again what they said, with what they said until now."""

    keys: tuple[str, ...]
    before: Mapping[str, Entry]


def bring_back_entries(c: Connection, register: Register, seq: int, *, who: str, at: str) -> BroughtBack | None:
    """Put back what was taken away then, and give changed entries what they said; None where there was no such time.

    What was changed again since, and keys that are taken by now, stay as they are.
    """
    h, e = t.entry_history.c, t.register_entry
    past = c.execute(select(t.entry_history).where(h.register == register.id, h.seq == seq)).first()
    if past is None:
        return None
    rows = {r.key: dict(r.row) for r in c.execute(select(e.c.key, e.c.row).where(e.c.register == register.id))}
    back = [(key, position, row) for key, position, row in past.removed if key not in rows]
    again = [(key, before) for key, before, after in past.changed if key in rows and _says(rows[key], after)]
    if back:
        c.execute(insert(e), [{"register": register.id, "key": k, "position": p, "row": r} for k, p, r in back])
    for key, before in again:
        c.execute(update(e).where(e.c.register == register.id, e.c.key == key).values(row={**rows[key], **before}))
    found = BroughtBack(tuple(key for key, *_ in back), {key: register.entry(rows[key]) for key, _ in again})
    told = {"entries": found.keys[:MOST_TOLD], "changed": list(found.before)[:MOST_TOLD]}
    audit.append(c, at, who, "register entries put back", register.id, told)
    return found
