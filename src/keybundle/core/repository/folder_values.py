"""What folders give the documents below them, and their tags; and which documents lie below a folder."""

from __future__ import annotations

import itertools
import json
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, select, text

from keybundle.core.base.ids import FiledId
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.repository.folders import reach
from keybundle.core.repository.paths import is_within, join_path, split_path
from keybundle.core.store import schema as t


def ids_below(c: Connection, cabinet: str, path: Sequence[str]) -> list[FiledId]:
    """Return the documents of a folder and of all below it, the oldest first; of a cabinet for an empty path."""
    d, f = t.document.c, t.folder.c
    chosen = select(d.id).join_from(t.document, t.folder, d.folder_id == f.id)
    chosen = chosen.where(f.cabinet == cabinet, d.removed_at.is_(None))
    if path:
        chosen = chosen.where(is_within(f.path, path))
    return list(c.execute(chosen.order_by(d.number)).scalars())


def given_along(c: Connection, cabinet: str, path: Sequence[str | None]) -> dict[str, str]:
    """Return the values that a folder and those above it give, by field; the nearest one counts."""
    found: dict[str, str] = {}
    known = [value for value in itertools.takewhile(lambda v: v is not None, path) if value is not None]
    there = reach(c, cabinet, known)
    if there is None:
        return found
    paths = [join_path(there.path[:depth]) for depth in range(len(there.path) + 1)]
    f, v = t.folder.c, t.folder_value.c
    chosen = select(f.path, v.field, v.value).join_from(t.folder_value, t.folder, v.folder_id == f.id)
    rows = c.execute(chosen.where(f.cabinet == cabinet, f.path.in_(paths), t.IS_THERE)).all()
    for row in sorted(rows, key=lambda r: len(split_path(r.path))):
        found[row.field] = row.value
    return found


def given_below(c: Connection, cabinet: str, path: Sequence[str]) -> dict[str, dict[int, str]]:
    """Return what a folder and those below it give their documents, by field and folder; the nearest one counts."""
    by_path: dict[tuple[str, ...], dict[str, str]] = {}
    for row in list_given(c, cabinet):
        by_path.setdefault(split_path(row.path), {})[row.field] = row.value
    found: dict[str, dict[int, str]] = {}
    if not by_path:
        return found
    f = t.folder.c
    chosen = select(f.id, f.path).where(f.cabinet == cabinet, t.IS_THERE)
    for folder in c.execute(chosen.where(is_within(f.path, path)) if path else chosen):
        parts, given = split_path(folder.path), dict[str, str]()
        for depth in range(len(parts) + 1):
            given |= by_path.get(parts[:depth], {})
        for field, value in given.items():
            found.setdefault(field, {})[folder.id] = value
    return found


def find_disagreeing(
    c: Connection, given: Mapping[int, str], field: str, types: Sequence[str], view: View, most: int
) -> Sequence[Any]:
    """Return (number, id, caption, ``has``, ``given``) of documents of types that do not say what their folders give.

    ``given`` is by folder; the oldest come first.
    """
    asked = text(
        "WITH told AS MATERIALIZED (SELECT json_extract(value, '$[0]') AS folder, json_extract(value, '$[1]') AS said "
        "FROM json_each(:given)) "
        "SELECT d.number, d.id, d.caption, told.said AS given, (SELECT group_concat(v.value, '; ') FROM document_value v "
        "WHERE v.document_id = d.id AND v.field = :field) AS has FROM told JOIN document d ON d.folder_id = told.folder "
        "WHERE d.removed_at IS NULL AND d.type IN (SELECT value FROM json_each(:types)) AND "
        "((SELECT v.value FROM document_value v WHERE v.document_id = d.id AND v.field = :field AND v.position = 0) "
        "IS NOT told.said OR EXISTS (SELECT 1 FROM document_value v WHERE v.document_id = d.id AND v.field = :field "
        f"AND v.position = 1)) {view.sql()} ORDER BY d.number LIMIT :most"
    )
    told = json.dumps([[folder, value] for folder, value in given.items()])
    bound = {"given": told, "field": field, "types": json.dumps(list(types)), "most": most, **view.bound()}
    return c.execute(asked, bound).all()


def count_below(c: Connection, cabinet: str, path: Sequence[str], view: View) -> int:
    """Return how many documents in view lie in a folder and those below it."""
    d, f = t.document.c, t.folder.c
    chosen = select(func.count()).select_from(t.document).join(t.folder, d.folder_id == f.id)
    chosen = chosen.where(f.cabinet == cabinet, d.removed_at.is_(None), *view.documents())
    return int(c.execute(chosen.where(is_within(f.path, path)) if path else chosen).scalar_one())


def list_given(c: Connection, cabinet: str, view: View = EVERYTHING) -> list[Row[tuple[int, str, str, str]]]:
    """Return (folder id, path, field, value) of all that folders of a cabinet give which are in view."""
    f, v = t.folder.c, t.folder_value.c
    chosen = select(v.folder_id, f.path, v.field, v.value).join_from(t.folder_value, t.folder, v.folder_id == f.id)
    return list(c.execute(chosen.where(f.cabinet == cabinet, t.IS_THERE, *view.folders()).order_by(f.path, v.field)))


def put_given(c: Connection, folder_id: int, field: str, value: str) -> str:
    """Let a folder give a value (empty: none any more) and return the one it gave before."""
    v = t.folder_value.c
    here = (v.folder_id == folder_id, v.field == field)
    before = c.execute(select(v.value).where(*here)).scalar() or ""
    c.execute(delete(t.folder_value).where(*here))
    if value:
        c.execute(insert(t.folder_value).values(folder_id=folder_id, field=field, value=value))
    return str(before)


def tags_of_folders(c: Connection, cabinet: str, view: View = EVERYTHING) -> dict[str, tuple[str, ...]]:
    """Return the tags of a cabinet's folders that are in view, by their paths."""
    f, g = t.folder.c, t.folder_tag.c
    found: dict[str, list[str]] = {}
    chosen = select(f.path, g.tag).join_from(t.folder_tag, t.folder, g.folder_id == f.id)
    chosen = chosen.where(f.cabinet == cabinet, t.IS_THERE, *view.folders()).order_by(f.path, g.tag)
    for row in c.execute(chosen):
        found.setdefault(row.path, []).append(row.tag)
    return {path: tuple(tags) for path, tags in found.items()}


def put_folder_tags(c: Connection, folder_id: int, tags: Sequence[str]) -> None:
    """Give a folder these tags and no others."""
    c.execute(delete(t.folder_tag).where(t.folder_tag.c.folder_id == folder_id))
    if tags:
        c.execute(insert(t.folder_tag), [{"folder_id": folder_id, "tag": tag} for tag in dict.fromkeys(tags)])
