"""What a change of the set-up may do, whoever brings it: the window, a file, an earlier state, a reset.

It is asked where the set-up is put in force, of what was changed: rights by the kinds of parts, and what hangs on parts that
are dropped or made otherwise.
"""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, func, select

from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.messages import join_comma, message
from keybundle.core.fields.kinds import without_control
from keybundle.core.repository.access import count_named
from keybundle.core.rights.model import Right
from keybundle.core.search.query import SPECIAL
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Register, Setup, name_of
from keybundle.core.setup.parts import PartProblem
from keybundle.core.store import schema as t
from keybundle.core.store.files import marked
from keybundle.core.store.place import Place
from keybundle.core.store.setup_parts import GENERAL, PartChange

GIVE_RIGHTS = ("people", "groups", "roles")
LISTED = {"groups": "group", "roles": "role"}  # what lists of who may name
SIGNING_IN = ("sign_in",)  # what of the general part lets people in
SIGNS = set('{}<>="\u201c\u201d')  # those of the query line and of file names
BUILT_IN = {*SPECIAL, "caption", "number", "counter", "source", "folder"}
HOLDS_FIELDS = {"document_types": "fields", "cabinets": "folder_fields"}
OWN = {"language", "values"}  # what somebody may change of themselves


def require_rights(before: Setup, who: str, changes: Sequence[PartChange]) -> None:
    """Raise NotAllowed where somebody may not make one of these changes; nobody (empty) is the machine, which may.

    Rights are those of before the change. Of themselves people may change their language and their own values.
    """
    has, name = before.holder(who).rights, name_of(before.people, who)
    for change in changes if who else ():
        if change.kind == "people" and change.id == who and _differs(change) <= OWN:
            continue
        gives = change.kind in GIVE_RIGHTS or (change.kind == GENERAL and bool(_differs(change) & set(SIGNING_IN)))
        needed = [Right.GIVE_RIGHTS] if gives else []
        for right in (Right.PREPARE, *needed):
            if right not in has:
                raise NotAllowed(message("session.may-not-none-their-roles", name=name, missing=right))


def _differs(change: PartChange) -> set[str]:
    before, after = change.before or {}, change.after or {}
    return {key for key in {*before, *after} if before.get(key) != after.get(key)}


def refuse_loss(c: Connection, place: Place, changes: Sequence[PartChange], *, refiles: bool = False) -> None:
    """Raise InputProblem where a change would leave something without what it needs, with the numbers that it would touch.

    ``refiles``: the documents of a cabinet whose levels change are filed anew by whoever asks.
    """
    for change in changes:
        if change.what == "dropped" and change.kind == "storage_areas":
            _refuse_files(c, place, change)
    dropped = [(x, n) for x in changes if x.what == "dropped" and (n := count_hanging(c, x.kind, x.id))]
    if dropped:
        kept = join_comma([f"{x.name} ({say_count(x.kind, n)})" for x, n in dropped])
        raise InputProblem(message("setup-admin.set-up-no-any-more", list=kept))
    for change in changes:
        is_listed = change.what == "dropped" and change.kind in LISTED
        if is_listed and (named := count_named(c, LISTED[change.kind], change.id)):
            raise InputProblem(message("parts.named-in-lists", name=change.name, n=named))
        if change.what == "changed" and change.kind == "cabinets" and not refiles:
            _refuse_levels(c, change)
        if change.what == "changed" and change.kind == "storage_areas":
            _refuse_place(c, place, change)
        if change.what == "changed" and change.kind == "registers":
            _refuse_key(c, change)


def refuse_names(changes: Sequence[PartChange]) -> None:
    """Raise InputProblem for a field or level whose new name the query line or file names would take for something else."""
    for change in (x for x in changes if x.what != "dropped" and x.kind in HOLDS_FIELDS):
        inner = HOLDS_FIELDS[change.kind]
        before, after = ({_name(x) for x in (data or {}).get(inner, ())} for data in (change.before, change.after))
        for name in sorted(after - before):
            is_plain = without_control(name) == name and name == " ".join(name.split()) and not set(name) & SIGNS
            if name.casefold() in BUILT_IN or not is_plain:
                raise InputProblem(message("setup-rules.name-taken", name=name))


def _name(data: Any) -> str:
    return data if isinstance(data, str) else str(data.get("name") or data.get("id"))


def _refuse_levels(c: Connection, change: PartChange) -> None:
    before, after = (_levels(x or {}) for x in (change.before, change.after))
    d = t.document.c
    if before != after and (number := int(c.execute(select(func.count()).where(d.cabinet == change.id)).scalar() or 0)):
        raise InputProblem(message("parts.levels-hold-documents", name=change.name, n=number))


def _levels(data: Any) -> list[str]:
    """Return the ids of the levels of a cabinet's plain data."""
    return [x if isinstance(x, str) else str(x.get("id") or x.get("name")) for x in data.get("folder_fields", ())]


def _refuse_place(c: Connection, place: Place, change: PartChange) -> None:
    before, after = ((x or {}).get("path", "") for x in (change.before, change.after))
    if (place.root / str(before)).resolve() == (place.root / str(after)).resolve():
        return
    with contextlib.suppress(OSError):
        if marked(place.root / str(after)) == change.id:
            return  # the same area, found elsewhere by now
    _refuse_files(c, place, change)


def _refuse_files(c: Connection, place: Place, change: PartChange) -> None:
    """Raise PartProblem where files lie in a storage area, or folders say that theirs do: its folder cannot just be another."""
    f, before = t.folder.c, str((change.before or {}).get("path", ""))
    if place.root / before == place.files.root:
        raise PartProblem({"path": message("areas.own", name=change.name)})
    files = count_touched(c, "storage_areas", change.id)
    folders = int(c.execute(select(func.count()).where(f.storage_area == change.id)).scalar() or 0)
    if files or folders:
        raise PartProblem({"path": message("areas.holds-files", name=change.name, n=files, folders=folders)})


def _refuse_key(c: Connection, change: PartChange) -> None:
    """Raise InputProblem where the column that entries are known by would be one that they have nothing in."""
    after = Register.model_validate(change.after)
    key, e = after.column_id(after.key), t.register_entry.c
    rows = c.execute(select(e.key, e.row).where(e.register == change.id)).all()
    if without := sum(not row.row.get(key) for row in rows):
        raise InputProblem(message("registers.key-without-values", name=change.name, key=after.key, n=without))


def with_column_ids(setup: Setup, before: Setup | None) -> Setup:
    """Return a set-up whose registers know each column by an id: the one that it had, else its name where no other has that.

    A column of a name that a register has is that one, whatever it was called before; one that was taken away and is there
    again has what entries had in it.
    """
    known = {r.id: r for r in before.registers} if before is not None else {}
    registers = tuple(_with_ids(r, known.get(r.id)) for r in setup.registers)
    return setup.model_copy(update={"registers": registers}) if registers != setup.registers else setup


def _with_ids(register: Register, before: Register | None) -> Register:
    ids = {name: i for name, i in register.column_ids.items() if name in register.columns}
    if before is not None:
        ids |= {n: before.column_id(n) for n in register.columns if n not in ids and n in before.columns}
    for name in register.columns:
        if name not in ids:
            ids[name] = fresh_id(name, set(ids.values()))
    told = {name: i for name, i in ids.items() if i != name}
    return register.model_copy(update={"column_ids": told}) if told != register.column_ids else register


def all_column_ids(data: Mapping[str, Any]) -> dict[str, Any]:
    """Return the plain data of a register as it was kept, with the id that each of its columns had then."""
    named = data.get("column_ids", {})
    return {**data, "column_ids": {name: named.get(name, name) for name in data.get("columns", ())}}


def count_hanging(c: Connection, kind: str, part_id: str) -> int:
    """Return what would be left without a part that is dropped: as ``count_touched``, and what lies in the trash."""
    d = t.document.c
    trash = {"cabinets": d.cabinet, "document_types": d.type}.get(kind)
    if trash is None:
        return count_touched(c, kind, part_id)
    there = (trash == part_id, (d.removed_at.is_(None)) | (d.removed_as == "trash"))
    return int(c.execute(select(func.count()).where(*there)).scalar() or 0)


def count_touched(c: Connection, kind: str, part_id: str) -> int:
    """Return how many filed documents a part holds; of a routine or a person, how many open batches."""
    d, b = t.document.c, t.batch.c
    is_open, is_there = b.closed_at.is_(None), d.removed_at.is_(None)
    chosen = {
        "cabinets": select(func.count()).where(d.cabinet == part_id, is_there),
        "document_types": select(func.count()).where(d.type == part_id, is_there),
        "routines": select(func.count()).where(b.routine == part_id, is_open),
        "people": select(func.count()).where(b.owner == part_id, is_open),
        "storage_areas": select(func.count()).where(t.file_place.c.area == part_id),
    }.get(kind)
    return int(c.execute(chosen).scalar() or 0) if chosen is not None else 0


def say_count(kind: str, number: int) -> str:
    """Return a number of what hangs on a part of a kind, in words."""
    what = {"routines": "batches", "people": "batches", "storage_areas": "files"}.get(kind, "documents")
    return message(f"setup-admin.has-{what}", n=number)
