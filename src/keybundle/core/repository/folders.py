"""Folders in the tables: made on the way, what their paths say by field, and how many documents lie in each.

``folder.documents`` counts the documents that take the folder's list, ``folder_count`` those with a list of their own, so
that a change of whom a folder is kept to counts nothing anew. Both are kept in the transaction that files, moves or removes.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import Connection, Row, bindparam, delete, insert, select, text, update

from keybundle.core.base.folding import fold
from keybundle.core.base.sorting import sort_key
from keybundle.core.repository import access
from keybundle.core.rights.model import AccessList
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database
from keybundle.core.store.pieces import in_pieces

SEPARATOR = "\x1f"
MOST_BOUND = 500
_FIND = select(t.folder.c.id, t.folder.c.became).where(
    t.folder.c.cabinet == bindparam("of"), t.folder.c.path == bindparam("joined")
)
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


def ensure_folder(c: Connection, cabinet: str, folder: Sequence[tuple[str, str]], locale: str) -> int:
    """Return the folder of a path of (field, value), made with all above it where it is missing.

    A folder that became another one points on: what is asked for below it lies below that.
    """
    parent = access.ensure_root(c, cabinet)
    names, path = [name for name, _ in folder], list[str]()
    for level, (name, value) in enumerate(folder):
        path.append(value)
        joined = SEPARATOR.join(path)
        row = c.execute(_FIND, {"of": cabinet, "joined": joined}).first()
        found: int | None = row.id if row is not None else None
        if row is not None and row.became is not None:
            found, path = _follow(c, row.became)
        if found is None:
            made = insert(t.folder).values(
                cabinet=cabinet, parent_id=parent, level=level, field=name, value=value, path=joined,
                folded=fold(" ".join(path)), access_id=access.list_of_folder(c, parent), documents=0, last=0,
            )  # fmt: skip
            found = int(c.execute(made.returning(t.folder.c.id)).scalar_one())
            _note_levels(c, found, cabinet, list(zip(names, path, strict=False)), locale)
        parent = found
    return parent


def _follow(c: Connection, became: int) -> tuple[int, list[str]]:
    """Return the folder that another one became in the end, and its path."""
    seen: set[int] = set()
    while became not in seen:
        seen.add(became)
        row = c.execute(select(t.folder.c.became, t.folder.c.path).where(t.folder.c.id == became)).one()
        if row.became is None:
            return became, row.path.split(SEPARATOR)
        became = row.became
    raise ValueError(f"folders point at each other: {sorted(seen)}")


def _note_levels(c: Connection, folder_id: int, cabinet: str, path: Sequence[tuple[str, str]], locale: str) -> None:
    rows = {field: value for field, value in path}
    c.execute(
        insert(t.folder_level),
        [
            {"cabinet": cabinet, "field": f, "value": v, "sort_key": sort_key(v, locale), "folder_id": folder_id}
            for f, v in rows.items()
        ],
    )


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


def keep_document_to(c: Connection, document_id: str, kept: AccessList | None) -> None:
    """Give a document a list of its own, or none; it is counted under that then."""
    d = t.document.c
    before = c.execute(select(d.folder_id, d.access_id, d.removed_at).where(d.id == document_id)).one()
    own = access.keep_list(c, kept) if kept is not None else None
    c.execute(update(t.document).where(d.id == document_id).values(access_id=own))
    if before.removed_at is None:
        count_document(c, before.folder_id, before.access_id, -1)
        count_document(c, before.folder_id, own, 1)


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
