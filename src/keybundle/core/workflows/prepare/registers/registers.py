"""The entries of registers: looked at in part, typed, pasted, renamed in all places; and how many documents use them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.folding import fold
from keybundle.core.base.messages import message
from keybundle.core.base.sorting import sort_key
from keybundle.core.fields.kinds import Kind
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Register, Setup, called, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.prepare.parts.parts import PartProblem, change_part
from keybundle.core.workflows.session.entries import BroughtBack, EntriesPast, bring_back_entries, entries_history
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_BOUND = 500
MOST_COMPLETED = 8


@needs(Right.LOOK)
def list_keys(
    session: Session, register_id: str, words: str = "", *, by: str = "", descending: bool = False
) -> list[str]:
    """Return the keys of a register's entries that hold all these words, in the order of the register or ``by`` a column."""
    e, register = t.register_entry, _register(session.workspace, register_id)
    wanted, column = words.casefold().split(), register.column_id(by)
    with session.workspace.place.database.read() as c:
        if not wanted and not by:
            chosen = select(e.c.key).where(e.c.register == register_id).order_by(e.c.position)
            return list(c.execute(chosen).scalars())
        rows = c.execute(select(e.c.key, e.c.row).where(e.c.register == register_id).order_by(e.c.position))
        found = [r for r in rows if all(w in " ".join(register.entry(r.row).values()).casefold() for w in wanted)]
    if not by:
        return [r.key for r in found]
    locale = session.workspace.setup.locale
    known = [r for r in found if r.row.get(column)]
    known.sort(key=lambda r: sort_key(r.row[column], locale), reverse=descending)
    return [r.key for r in (*known, *(r for r in found if not r.row.get(column)))]


@needs(Right.LOOK)
def load_entries(session: Session, register_id: str, keys: Sequence[str]) -> dict[str, Entry]:
    """Return entries by their keys; those that are gone are left out."""
    e, register = t.register_entry, _register(session.workspace, register_id)
    found: dict[str, Entry] = {}
    with session.workspace.place.database.read() as c:
        for start in range(0, len(keys), MOST_BOUND):
            some = keys[start : start + MOST_BOUND]
            rows = c.execute(select(e.c.key, e.c.row).where(e.c.register == register_id, e.c.key.in_(some)))
            found |= {r.key: register.entry(r.row) for r in rows}
    return found


@needs(Right.LOOK)
def complete_column(session: Session, register_id: str, column: str, typed: str) -> list[tuple[str, int]]:
    """Return the values of a column that begin with what is typed and how many entries have each, the most frequent first."""
    e = t.register_entry
    value = e.c.row[_register(session.workspace, register_id).column_id(column)].as_string()
    chosen = (
        select(value.label("value"), func.count().label("number"))
        .where(e.c.register == register_id, value != "", value.istartswith(typed, autoescape=True))
        .group_by(value).order_by(func.count().desc(), value).limit(MOST_COMPLETED)
    )  # fmt: skip
    with session.workspace.place.database.read() as c:
        return [(str(r.value), int(r.number)) for r in c.execute(chosen)]


@needs(Right.PREPARE)
def change_entry(session: Session, register_id: str, key: str, changes: Mapping[str, str]) -> Entry:
    """Change values of one entry and return what it was; its key too, where no other has that one.

    Raises InputProblem in words; documents that hold the old key keep it.
    """
    workspace, e = session.workspace, t.register_entry
    with workspace.place.database.atomic() as c:
        register, kept = _entry(workspace, c, register_id, key)
        before = register.entry(kept)
        row = {column: changes.get(column, before.get(column, "")).strip() for column in register.columns}
        fresh = row[register.key]
        if not fresh:
            raise InputProblem(message("slip-help.entry-needs", found_name=register.name, key=register.key))
        if fresh != key and _exists(c, register_id, fresh):
            raise InputProblem(message("slip-help.already-nothing-added", found_name=register.name, key=fresh))
        c.execute(
            update(e)
            .where(e.c.register == register_id, e.c.key == key)
            .values(key=fresh, row={**kept, **register.stored(row)})
        )
        audit.append(c, workspace.clock.stamp(), session.person, "register entry changed", register_id, row)
    workspace.forget_books(register_id)
    return before


@needs(Right.PREPARE)
def change_entries(session: Session, register_id: str, changes: Mapping[str, Mapping[str, str]]) -> dict[str, Entry]:
    """Change values of many entries, by their keys, all or none, and return what they were, by the keys they have now."""
    register = _register(session.workspace, register_id)
    found: dict[str, Entry] = {}
    with session.workspace.place.database.atomic():
        for key, given in changes.items():
            before = change_entry(session, register_id, key, given)
            found[given.get(register.key, key).strip() or key] = before
    return found


@needs(Right.PREPARE)
def add_entries(session: Session, register_id: str, rows: Sequence[Sequence[str]]) -> tuple[int, tuple[str, ...]]:
    """Add entries at the end, each as cells in the order of the columns; return how many, and why others were not.

    So a block of a table can be pasted: a row without a key, or whose key is there already, is told and left out.
    """
    workspace, e = session.workspace, t.register_entry
    told: list[str] = []
    with workspace.place.database.atomic() as c:
        register = _register(workspace, register_id)
        here = c.execute(select(func.max(e.c.position)).where(e.c.register == register_id)).scalar() or 0
        taken = set(c.execute(select(e.c.key).where(e.c.register == register_id)).scalars())
        made: list[dict[str, Any]] = []
        for number, cells in enumerate(rows, 1):
            row = dict(
                zip(register.columns, [*(x.strip() for x in cells), *[""] * len(register.columns)], strict=False)
            )
            key = row[register.key]
            if not key:
                told.append(message("registers.row-without-key", number=number, key=register.key))
            elif key in taken:
                told.append(message("registers.row-taken", number=number, key=key))
            else:
                taken.add(key)
                made.append(
                    {"register": register_id, "key": key, "position": here + len(made) + 1, "row": register.stored(row)}
                )
        if made:
            c.execute(insert(e), made)
            audit.append(
                c,
                workspace.clock.stamp(),
                session.person,
                "register entries added",
                register_id,
                {"entries": len(made)},
            )
    workspace.forget_books(register_id)
    return len(made), tuple(told)


@needs(Right.PREPARE)
def remove_entries(session: Session, register_id: str, keys: Sequence[str]) -> list[tuple[int, Entry]]:
    """Remove entries and return them, as they were kept, with their places, so that they can be put back."""
    workspace, e = session.workspace, t.register_entry
    gone: list[tuple[int, Entry]] = []
    with workspace.place.database.atomic() as c:
        for start in range(0, len(keys), MOST_BOUND):
            here = (e.c.register == register_id, e.c.key.in_(keys[start : start + MOST_BOUND]))
            gone += [(int(r.position), dict(r.row)) for r in c.execute(select(e.c.position, e.c.row).where(*here))]
            c.execute(delete(e).where(*here))
        told = {"entries": len(gone)}
        audit.append(c, workspace.clock.stamp(), session.person, "register entries removed", register_id, told)
    workspace.forget_books(register_id)
    return gone


@needs(Right.PREPARE)
def put_back_entries(session: Session, register_id: str, entries: Sequence[tuple[int, Entry]]) -> None:
    """Put removed entries back at their places; those whose key is taken by now are left out."""
    workspace, e = session.workspace, t.register_entry
    with workspace.place.database.atomic() as c:
        register = _register(workspace, register_id)
        for position, row in entries:
            key = row[register.column_id(register.key)]
            if not _exists(c, register_id, key):
                c.execute(insert(e).values(register=register_id, key=key, position=position, row=row))
        told = {"entries": len(entries)}
        audit.append(c, workspace.clock.stamp(), session.person, "register entries put back", register_id, told)
    workspace.forget_books(register_id)


@needs(Right.LOOK)
def count_uses(session: Session, register_id: str, keys: Sequence[str]) -> int:
    """Return how many filed documents that one may see hold one of these keys in a field that looks into the register."""
    setup, v, d = session.workspace.setup, t.document_value, t.document
    number = 0
    fields = _fields_of(setup, register_id)
    with session.workspace.place.database.read() as c:
        seen = session.view(c).documents()
        for field in fields:
            for start in range(0, len(keys), MOST_BOUND):
                chosen = select(func.count(func.distinct(v.c.document_id))).where(
                    v.c.field == field, v.c.folded.in_([fold(k) for k in keys[start : start + MOST_BOUND]]),
                    v.c.document_id.in_(select(d.c.id).where(d.c.removed_at.is_(None), *seen)),
                )  # fmt: skip
                number += int(c.execute(chosen).scalar() or 0)
    return number


def _fields_of(setup: Setup, register_id: str) -> set[str]:
    register = setup.register(register_id)
    key = register.key if register is not None else ""
    return {
        f.id for kind in setup.document_types for f in kind.fields
        if f.register_name == register_id and f.kind in (Kind.REGISTER, Kind.TEXT) and f.column in ("", key)
    }  # fmt: skip


@needs(Right.PREPARE)
def rename_column(session: Session, register_id: str, old: str, new: str) -> None:
    """Give a column another name, in the register and in the fields that name it; entries know it by its id."""
    workspace = session.workspace
    new = new.strip()

    def change(setup: Setup) -> Setup:
        register = next((r for r in setup.registers if r.id == register_id), None)
        if register is None or old not in register.columns:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        if not new or (new in register.columns and new != old):
            raise PartProblem({"columns": message("registers.column-taken", name=new)})
        columns = tuple(new if c == old else c for c in register.columns)
        key = new if register.key == old else register.key
        ids = {**{c: register.column_id(c) for c in register.columns if c != old}, new: register.column_id(old)}
        source = {new if c == old else c: x for c, x in register.source.columns.items()}
        changes = {"columns": columns, "key": key, "column_ids": {c: i for c, i in ids.items() if c != i}}
        changed = change_part(register, {**changes, "source.columns": source})
        kinds = tuple(
            k.model_copy(
                update={
                    "fields": tuple(
                        f.model_copy(update={"column": new})
                        if f.register_name == register_id and f.column == old
                        else f
                        for f in k.fields
                    )
                }
            )
            for k in setup.document_types
        )
        registers = tuple(changed if r.id == register_id else r for r in setup.registers)
        return setup.model_copy(update={"registers": registers, "document_types": kinds})

    workspace.change_setup(session.person, change)
    workspace.forget_books(register_id)


@needs(Right.LOOK)
def find_register(session: Session, name: str) -> str:
    """Return the id of the register that is called so, in any case of letters, or has that id; raises InputProblem."""
    found = called(session.workspace.setup.registers, name)
    if found is None:
        raise InputProblem(message("registers.none-called", name=name))
    return found.id


@needs(Right.LOOK)
def list_entries_history(session: Session, register_id: str) -> list[EntriesPast]:
    """Return when entries of a register were taken away or changed by many at once, the newest first; ``who`` by name."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        past = entries_history(c, register_id)
    return [replace(x, who=name_of(workspace.setup.people, x.who)) for x in past]


@needs(Right.PREPARE)
def go_back_entries(session: Session, register_id: str, seq: int) -> BroughtBack:
    """Bring back what was taken away at a time of the history, and give changed entries what they said before it.

    What was changed again since stays. Raises InputProblem for a time that the history does not know.
    """
    workspace = session.workspace
    register, at = _register(workspace, register_id), workspace.clock.stamp()
    found = bring_back_entries(workspace.place.database, register, seq, who=session.person, at=at)
    if found is None:
        raise InputProblem(message("registers.no-such-time", name=register.name, seq=seq))
    workspace.forget_books(register_id)
    return found


def _register(workspace: Workspace, register_id: str) -> Register:
    register = workspace.setup.register(register_id)
    if register is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    return register


def _entry(workspace: Workspace, c: Connection, register_id: str, key: str) -> tuple[Register, Entry]:
    register, e = _register(workspace, register_id), t.register_entry
    found = c.execute(select(e.c.row).where(e.c.register == register_id, e.c.key == key)).scalar()
    if found is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    return register, dict(found)


def _exists(c: Connection, register_id: str, key: str) -> bool:
    e = t.register_entry
    return c.execute(select(e.c.key).where(e.c.register == register_id, e.c.key == key)).first() is not None
