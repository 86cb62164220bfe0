"""Folders in the tables: made on the way, what their paths say by field, and how many documents lie in each.

A folder is a row: what it is kept to, gives, is tagged with and keeps its files in hangs there, and documents name it by
its id. A name that leads elsewhere (``folder_name``) is followed by whoever asks for it; a row that became another one
(``became``) has no name any more and is known to old versions alone.

``folder.documents`` counts the documents that take the folder's list, ``folder_count`` those with a list of their own, so
that a change of whom a folder is kept to counts nothing anew. Both are kept in the transaction that files, moves or removes.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import Connection, Row, bindparam, delete, insert, select, text, update

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass
from keybundle.core.base.sorting import sort_key
from keybundle.core.repository import access
from keybundle.core.repository.paths import clean_value, join_path, split_path
from keybundle.core.rights.model import AccessList
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database
from keybundle.core.store.pieces import in_pieces

MOST_BOUND = 500
_ROW = (t.folder.c.id, t.folder.c.path, t.folder.c.field)
_ON_THE_WAY = select(*_ROW).where(
    t.folder.c.cabinet == bindparam("of"), t.folder.c.path == bindparam("joined"), t.IS_THERE
)
_NAMED = select(*_ROW).join(t.folder_name, t.folder_name.c.folder_id == t.folder.c.id)
_NAMED = _NAMED.where(t.folder_name.c.parent_id == bindparam("above"), t.folder_name.c.value == bindparam("called"))
_COUNT = update(t.folder).where(t.folder.c.id == bindparam("folder"))
_COUNT = _COUNT.values(documents=t.folder.c.documents + bindparam("by"))
_COUNT_OWN = text(
    "INSERT INTO folder_count(folder_id, access_id, documents) VALUES (:folder, :list, :by) "
    "ON CONFLICT(folder_id, access_id) DO UPDATE SET documents = documents + excluded.documents"
)
_NOTE_LAST = text(
    "UPDATE folder SET last = COALESCE((SELECT MAX(number) FROM document WHERE folder_id = :folder AND removed_at IS NULL), 0) "
    "WHERE id = :folder"
)
_NONE_LEFT = delete(t.folder_count).where(
    t.folder_count.c.folder_id == bindparam("folder"), t.folder_count.c.documents <= 0
)


@dataclass(frozen=True)
class Reached:
    """The deepest folder that is there on a way: its id, its own path, and how many values of the way led to it."""

    id: int
    path: tuple[str, ...]
    depth: int


def reach(c: Connection, cabinet: str, path: Sequence[str]) -> Reached | None:
    """Return the deepest folder that a way leads to, by the names of today and those that lead on; None without a root.

    It is the one question by which a way that documents say becomes a folder.
    """
    wanted = [clean_value(value) for value in path]
    row = c.execute(_ON_THE_WAY, {"of": cabinet, "joined": join_path(wanted)}).first()
    if row is not None:
        return Reached(row.id, split_path(row.path), len(wanted))
    row = c.execute(_ON_THE_WAY, {"of": cabinet, "joined": ""}).first()
    for depth, value in enumerate(wanted):
        if row is None:
            break
        below = step_down(c, cabinet, row.id, split_path(row.path), value)
        if below is None:
            return Reached(row.id, split_path(row.path), depth)
        row = below
    return Reached(row.id, split_path(row.path), len(wanted)) if row is not None else None


def led(c: Connection, cabinet: str, path: Sequence[str]) -> tuple[str, ...]:
    """Return a way as the folders are called that it leads to; what is not there yet, and empty values, as they are."""
    known = list(itertools.takewhile(bool, path))
    there = reach(c, cabinet, known)
    return (*there.path, *path[there.depth :]) if there is not None else tuple(path)


def step_down(c: Connection, cabinet: str, above: int, path: Sequence[str], value: str) -> Any:
    """Return the row (id, path) of the folder that a value leads to just below another one, None where there is none."""
    found = c.execute(_ON_THE_WAY, {"of": cabinet, "joined": join_path((*path, value))}).first()
    return found if found is not None else c.execute(_NAMED, {"above": above, "called": value}).first()


def nearest_list(c: Connection, cabinet: str, path: Sequence[str]) -> AccessList | None:
    """Return the list that counts at a folder, there or not yet: that of the deepest part of its way that is there."""
    there = reach(c, cabinet, path)
    return access.load_list(c, access.list_of_folder(c, there.id)) if there is not None else None


def ensure_folder(c: Connection, cabinet: str, folder: Sequence[tuple[str, str]], locale: str) -> int:
    """Return the folder of a path of (field, value), made with all above it where it is missing.

    A name that leads to another folder is followed: what is asked for below it lies below that. A folder that is there from
    when its cabinet had other levels is of this one from now on; names that led there then lead there no more.
    """
    parent, path = access.ensure_root(c, cabinet), tuple[str, ...]()
    names = [name for name, _ in folder]
    for level, (name, told) in enumerate(folder):
        value = clean_value(told)
        row = step_down(c, cabinet, parent, path, value)
        if row is not None and row.field != name and not _take_for(c, row, cabinet, (*path, value), names, locale):
            row = None
        if row is not None:
            parent, path = row.id, split_path(row.path)
            continue
        path = (*path, value)
        made = insert(t.folder).values(
            cabinet=cabinet, parent_id=parent, level=level, field=name, value=value, path=join_path(path),
            folded=fold(" ".join(path)), access_id=access.list_of_folder(c, parent), documents=0, last=0,
        )  # fmt: skip
        parent = int(c.execute(made.returning(t.folder.c.id)).scalar_one())
        note_levels(c, parent, cabinet, list(zip(names, path, strict=False)), locale)
    return parent


def _take_for(
    c: Connection, row: Row[Any], cabinet: str, path: tuple[str, ...], names: Sequence[str], locale: str
) -> bool:
    """Let a folder of another level of old be of this one; False where only a name of then leads there."""
    n = t.folder_name.c
    if split_path(row.path) != path:
        c.execute(delete(t.folder_name).where(n.folder_id == row.id, n.value == path[-1]))
        return False
    _label(c, row.id, cabinet, path, names, locale)
    return True


def label_anew(database: Database, cabinet: str, levels: Sequence[str], locale: str) -> None:
    """Let each folder of a cabinet be of the level that it lies at by now, in pieces; what has no such level stays as it is."""
    f = t.folder.c
    with database.read() as c:
        old = [
            row.id
            for i, name in enumerate(levels)
            for row in c.execute(select(f.id).where(f.cabinet == cabinet, f.level == i, f.field != name, t.IS_THERE))
        ]

    def label_one(c: Connection, folder_id: int) -> None:
        row = c.execute(select(f.id, f.path).where(f.id == folder_id, t.IS_THERE)).first()
        if row is not None:
            _label(c, row.id, cabinet, split_path(row.path), levels, locale)

    in_pieces(database, old, label_one)


def _label(
    c: Connection, folder_id: int, cabinet: str, path: tuple[str, ...], names: Sequence[str], locale: str
) -> None:
    c.execute(update(t.folder).where(t.folder.c.id == folder_id).values(field=names[len(path) - 1]))
    c.execute(delete(t.folder_name).where(t.folder_name.c.folder_id == folder_id))
    note_levels(c, folder_id, cabinet, list(zip(names, path, strict=False)), locale)


def note_levels(c: Connection, folder_id: int, cabinet: str, path: Sequence[tuple[str, str]], locale: str) -> None:
    """Note what the path of a folder says of each field, in place of what was noted."""
    rows = {field: value for field, value in path}
    c.execute(delete(t.folder_level).where(t.folder_level.c.folder_id == folder_id))
    if rows:
        c.execute(
            insert(t.folder_level),
            [
                {"cabinet": cabinet, "field": f, "value": v, "sort_key": sort_key(v, locale), "folder_id": folder_id}
                for f, v in rows.items()
            ],
        )


def follow_became(c: Connection, folder_id: int) -> int:
    """Return the folder that one is by now: itself, or what it became in the end."""
    sql = text(
        "WITH RECURSIVE way(id) AS (SELECT :start UNION SELECT f.became FROM folder f JOIN way ON f.id = way.id "
        "WHERE f.became IS NOT NULL) SELECT f.id FROM folder f JOIN way ON f.id = way.id WHERE f.became IS NULL"
    )
    return int(c.execute(sql, {"start": folder_id}).scalar_one())


def sort_anew(database: Database, locale: str) -> None:
    """Make the keys that folders are sorted by for another locale, in pieces; begun again it goes on with what is left."""
    f = t.folder_level.c
    with database.read() as c:
        found = c.execute(select(f.cabinet, f.field, f.value, f.sort_key).distinct()).all()
    keys = {value: sort_key(value, locale) for value in {r.value for r in found}}

    def sort_one(c: Connection, row: Any) -> None:
        own = (f.cabinet == row.cabinet, f.field == row.field, f.value == row.value)
        c.execute(update(t.folder_level).where(*own).values(sort_key=keys[row.value]))

    in_pieces(database, [r for r in found if r.sort_key != keys[r.value]], sort_one)


def count_document(c: Connection, folder_id: int | None, access_id: str | None, by: int) -> None:
    """Count a document that has come into a folder (``by`` 1) or left it (-1), under its own list where it has one.

    Which is the folder's newest is noted too: the newest documents of many folders are found by that.
    """
    if folder_id is None:
        return
    c.execute(_NOTE_LAST, {"folder": folder_id})
    if access_id is None:
        c.execute(_COUNT, {"folder": folder_id, "by": by})
        return
    c.execute(_COUNT_OWN, {"folder": folder_id, "list": access_id, "by": by})
    if by < 0:
        c.execute(_NONE_LEFT, {"folder": folder_id})


def load_folders(c: Connection, ids: Collection[int]) -> dict[int, tuple[tuple[str, str], ...]]:
    """Return the (field, value) pairs of folders, the highest level first, by a query for each level."""
    rows: dict[int, Row[Any]] = {}
    wanted = list(ids)
    while wanted:
        for start in range(0, len(wanted), MOST_BOUND):
            chosen = select(t.folder).where(t.folder.c.id.in_(wanted[start : start + MOST_BOUND]))
            rows |= {r.id: r for r in c.execute(chosen)}
        wanted = [p for p in {r.parent_id for r in rows.values()} if p is not None and p not in rows]
    found: dict[int, tuple[tuple[str, str], ...]] = {}
    for folder_id in ids:
        pairs: list[tuple[str, str]] = []
        at: int | None = folder_id
        while at is not None:
            if rows[at].path:
                pairs.append((rows[at].field, rows[at].value))
            at = rows[at].parent_id
        found[folder_id] = tuple(reversed(pairs))
    return found
