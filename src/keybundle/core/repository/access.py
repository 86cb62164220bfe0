"""Whom cabinets, folders and documents are kept to, in the tables; and what somebody sees, as a part of every query.

Every cabinet has a root folder. A folder carries its own list (``own_access_id``) and the nearest one on the way up
(``access_id``); a document only its own. So a change at a cabinet writes folders and no document, and what somebody may
not look at is one small set of lists that each query leaves out by itself.
"""

from __future__ import annotations

import functools
import json
from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement, Connection, and_, func, insert, or_, select, text, update

from keybundle.core.base.records import dataclass
from keybundle.core.repository.paths import join_path
from keybundle.core.rights.model import AccessList, Holder, Right, effective_rights
from keybundle.core.store import schema as t

ROOT_LEVEL = -1


@dataclass(frozen=True)
class View:
    """What somebody sees: everything but what one of the ``hidden`` lists (ids) is the nearest of."""

    hidden: frozenset[str] = frozenset()

    def documents(self) -> tuple[ColumnElement[bool], ...]:
        """Return what a query over ``document`` must leave out; nothing where all is seen."""
        return (_documents_but(self.hidden),) if self.hidden else ()

    def folders(self) -> tuple[ColumnElement[bool], ...]:
        """Return what a query over ``folder`` must leave out; nothing where all is seen."""
        f = t.folder.c
        return (or_(f.access_id.is_(None), f.access_id.not_in(sorted(self.hidden))),) if self.hidden else ()

    def sql(self) -> str:
        """Return the same over ``document d`` as text, to follow other conditions; ``:hidden`` is ``bound`` in it."""
        if not self.hidden:
            return ""
        return (
            "AND CASE WHEN d.access_id IS NULL THEN d.folder_id NOT IN "
            f"(SELECT id FROM folder WHERE access_id IN ({self.listed()})) "
            f"ELSE d.access_id NOT IN ({self.listed()}) END "
        )

    def listed(self) -> str:
        """Return the hidden lists as SQL for ``IN (...)``."""
        return "SELECT value FROM json_each(:hidden)"

    def bound(self) -> dict[str, str]:
        """Return what the SQL has bound; nothing where all is seen."""
        return {"hidden": json.dumps(sorted(self.hidden))} if self.hidden else {}


EVERYTHING = View()


@functools.lru_cache(maxsize=64)
def _documents_but(hidden: frozenset[str]) -> ColumnElement[bool]:
    d, lists = t.document.c, sorted(hidden)
    folders = select(t.folder.c.id).where(t.folder.c.access_id.in_(lists))
    own = and_(d.access_id.is_not(None), d.access_id.not_in(lists))
    return or_(own, and_(d.access_id.is_(None), d.folder_id.not_in(folders)))


_parsed: dict[str, AccessList] = {}
_LISTS = select(t.access_list.c.id)


def load_lists(c: Connection) -> dict[str, AccessList]:
    """Return all lists by id. An id is a digest of what its list says, so that each is read once."""
    ids = list(c.execute(_LISTS).scalars())
    new = [i for i in ids if i not in _parsed]
    for row in c.execute(select(t.access_list).where(t.access_list.c.id.in_(new))) if new else ():
        _parsed[row.id] = AccessList.from_json(row.entries)
    return {i: _parsed[i] for i in ids}


def view_of(c: Connection, holder: Holder, right: Right = Right.LOOK) -> View:
    """Return where somebody has a right: what is left out is kept to others, or from them in this."""
    return _view_of(holder, right, frozenset(load_lists(c)))


@functools.lru_cache(maxsize=256)
def _view_of(holder: Holder, right: Right, ids: frozenset[str]) -> View:
    """Return the same by the ids of all lists, each of which says what its list says."""
    return View(frozenset(i for i in ids if right not in effective_rights(holder, _parsed[i])))


def list_of_folder(c: Connection, folder_id: int | None) -> str | None:
    """Return the id of the list that is the nearest of a folder, None where there is none."""
    if folder_id is None:
        return None
    found: str | None = c.execute(select(t.folder.c.access_id).where(t.folder.c.id == folder_id)).scalar()
    return found


def list_of_document(c: Connection, document_id: str) -> str | None:
    """Return the id of the list that is the nearest of a document, None where there is none."""
    d = t.document.c
    row = c.execute(select(d.access_id, d.folder_id).where(d.id == document_id)).first()
    if row is None:
        return None
    return row.access_id if row.access_id is not None else list_of_folder(c, row.folder_id)


def load_list(c: Connection, list_id: str | None) -> AccessList | None:
    """Return a list, None for none."""
    if list_id is None:
        return None
    found = c.execute(select(t.access_list.c.entries).where(t.access_list.c.id == list_id)).scalar()
    return AccessList.from_json(found) if found is not None else None


def keep_list(c: Connection, kept: AccessList) -> str:
    """Note a list, where it is not there yet, and return its id."""
    if c.execute(select(t.access_list.c.id).where(t.access_list.c.id == kept.id)).first() is None:
        c.execute(insert(t.access_list).values(id=kept.id, entries=kept.to_json()))
    return kept.id


def keep_folder_to(c: Connection, folder_id: int, kept: AccessList | None) -> None:
    """Give a folder a list of its own, or none; folders below without one follow. No document is written."""
    f = t.folder.c
    own = keep_list(c, kept) if kept is not None else None
    c.execute(update(t.folder).where(f.id == folder_id).values(own_access_id=own))
    follow_nearest(c, folder_id)


def follow_nearest(c: Connection, folder_id: int) -> None:
    """Let a folder, and those below without a list of their own, be kept as the nearest list says by now."""
    f = t.folder.c
    row = c.execute(select(f.parent_id, f.own_access_id).where(f.id == folder_id)).one()
    nearest = row.own_access_id if row.own_access_id is not None else list_of_folder(c, row.parent_id)
    c.execute(update(t.folder).where(f.id == folder_id).values(access_id=nearest))
    c.execute(_FOLLOW, {"top": folder_id, "nearest": nearest})


_FOLLOW = text(
    "WITH RECURSIVE below(id) AS ("
    " SELECT id FROM folder WHERE parent_id = :top AND own_access_id IS NULL"
    " UNION ALL SELECT f.id FROM folder f JOIN below ON f.parent_id = below.id WHERE f.own_access_id IS NULL"
    ") UPDATE folder SET access_id = :nearest WHERE id IN (SELECT id FROM below)"
)


def find_folder(c: Connection, cabinet: str, path: Sequence[str]) -> Any:
    """Return the row of a folder by its path of today (empty: the cabinet's root), None where it is not there."""
    f = t.folder.c
    return c.execute(select(t.folder).where(f.cabinet == cabinet, f.path == join_path(path), t.IS_THERE)).first()


def ensure_root(c: Connection, cabinet: str) -> int:
    """Return the root folder of a cabinet, made where it is missing."""
    found = find_folder(c, cabinet, ())
    if found is not None:
        return int(found.id)
    made = insert(t.folder).values(
        cabinet=cabinet, parent_id=None, level=ROOT_LEVEL, field="", value="", path="", folded="", documents=0, last=0
    )
    return int(c.execute(made.returning(t.folder.c.id)).scalar_one())


def count_named(c: Connection, kind: str, grantee: str) -> int:
    """Return at how many cabinets, folders and documents a list names a person, group or role."""
    d, f = t.document.c, t.folder.c
    ids = [
        key for key, kept in load_lists(c).items() if any((g.kind, g.id) == (kind, grantee) for g, _ in kept.entries)
    ]
    own = select(func.count()).where(f.own_access_id.in_(ids))
    documents = select(func.count()).where(d.access_id.in_(ids), d.removed_at.is_(None))
    return sum(int(c.execute(asked).scalar() or 0) for asked in (own, documents)) if ids else 0
