"""What folders give the documents below them, and their tags; and which documents lie below a folder."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection, Row, delete, insert, select

from keybundle.core.repository.folders import SEPARATOR
from keybundle.core.store import schema as t

AFTER_SEPARATOR = chr(ord(SEPARATOR) + 1)


def ids_below(c: Connection, cabinet: str, path: Sequence[str]) -> list[str]:
    """Return the documents of a folder and of all below it, the oldest first; of a cabinet for an empty path."""
    d, f = t.document.c, t.folder.c
    chosen = select(d.id).join_from(t.document, t.folder, d.folder_id == f.id)
    chosen = chosen.where(f.cabinet == cabinet, d.removed_at.is_(None))
    if path:
        joined = SEPARATOR.join(path)
        below = (f.path > joined + SEPARATOR) & (f.path < joined + AFTER_SEPARATOR)
        chosen = chosen.where((f.path == joined) | below)
    return list(c.execute(chosen.order_by(d.number)).scalars())


def given_along(c: Connection, cabinet: str, path: Sequence[str | None]) -> dict[str, str]:
    """Return the values that a folder and those above it give, by field; the nearest one counts."""
    found: dict[str, str] = {}
    known: list[str] = []
    for value in path:
        if value is None:
            break
        known.append(value)
    paths = ["", *(SEPARATOR.join(known[: i + 1]) for i in range(len(known)))]
    f, v = t.folder.c, t.folder_value.c
    chosen = select(f.path, v.field, v.value).join_from(t.folder_value, t.folder)
    rows = c.execute(chosen.where(f.cabinet == cabinet, f.path.in_(paths))).all()
    for row in sorted(rows, key=lambda r: len(r.path.split(SEPARATOR)) if r.path else 0):
        found[row.field] = row.value
    return found


def list_given(c: Connection, cabinet: str) -> list[Row[tuple[int, str, str, str]]]:
    """Return (folder id, path, field, value) of all that folders of a cabinet give."""
    f, v = t.folder.c, t.folder_value.c
    chosen = select(v.folder_id, f.path, v.field, v.value).join_from(t.folder_value, t.folder)
    return list(c.execute(chosen.where(f.cabinet == cabinet).order_by(f.path, v.field)))


def put_given(c: Connection, folder_id: int, field: str, value: str) -> str:
    """Let a folder give a value (empty: none any more) and return the one it gave before."""
    v = t.folder_value.c
    here = (v.folder_id == folder_id, v.field == field)
    before = c.execute(select(v.value).where(*here)).scalar() or ""
    c.execute(delete(t.folder_value).where(*here))
    if value:
        c.execute(insert(t.folder_value).values(folder_id=folder_id, field=field, value=value))
    return str(before)


def tags_of_folders(c: Connection, cabinet: str) -> dict[str, tuple[str, ...]]:
    """Return the tags of a cabinet's folders by their paths."""
    f, g = t.folder.c, t.folder_tag.c
    found: dict[str, list[str]] = {}
    chosen = select(f.path, g.tag).join_from(t.folder_tag, t.folder).where(f.cabinet == cabinet).order_by(f.path, g.tag)
    for row in c.execute(chosen):
        found.setdefault(row.path, []).append(row.tag)
    return {path: tuple(tags) for path, tags in found.items()}


def put_folder_tags(c: Connection, folder_id: int, tags: Sequence[str]) -> None:
    """Give a folder these tags and no others."""
    c.execute(delete(t.folder_tag).where(t.folder_tag.c.folder_id == folder_id))
    if tags:
        c.execute(insert(t.folder_tag), [{"folder_id": folder_id, "tag": tag} for tag in dict.fromkeys(tags)])
