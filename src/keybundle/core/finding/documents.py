"""Documents by a ``DocumentQuery``: a page of them, how many there are, what they are, and what is like what was typed."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, bindparam, text

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass
from keybundle.core.finding.query import DocumentQuery, ask
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.repository.paths import split_path

MOST_EXACT = 10_000
MOST_VALUES, MOST_OF_VALUE = 64, 200
RECENT = 400
_NUMBERS = text("SELECT id, number FROM document WHERE id IN :ids").bindparams(bindparam("ids", expanding=True))


@dataclass(frozen=True)
class Page:
    """Documents of a list, the newest first; ``after`` asks for those that follow, None where these are the last."""

    ids: tuple[str, ...]
    after: int | None = None


@dataclass(frozen=True)
class Facets:
    """How many of some documents are of each type, cabinet, month (``2026-11``) and tag: ids and counts, most first."""

    types: tuple[tuple[str, int], ...] = ()
    cabinets: tuple[tuple[str, int], ...] = ()
    months: tuple[tuple[str, int], ...] = ()
    tags: tuple[tuple[str, int], ...] = ()


def load_page(c: Connection, query: DocumentQuery, limit: int = 200, after: int | None = None) -> Page:
    """Return a page of documents that meet a query without words, by the key of the last one before."""
    asked = ask(c, query, newest=limit + 1 if after is None else 0)
    follows = "" if after is None else "AND d.number < :after "
    sql = f"SELECT d.id, d.number {asked.sql} {follows}ORDER BY d.number DESC LIMIT :limit"
    bound = {**asked.bound, "limit": limit + 1} | ({} if after is None else {"after": after})
    rows = c.execute(text(sql), bound).all()
    shown = rows[:limit]
    return Page(tuple(r.id for r in shown), shown[-1].number if len(rows) > limit else None)


def list_ids(c: Connection, query: DocumentQuery, most: int = MOST_EXACT) -> list[str]:
    """Return all documents that meet a query without words, the newest first, no more than ``most``."""
    asked = ask(c, query)
    sql = f"SELECT d.id {asked.sql} ORDER BY d.number DESC LIMIT :most"
    return list(c.execute(text(sql), {**asked.bound, "most": most}).scalars())


def texts_of(
    c: Connection, ids: Sequence[str], by: str, fields: Sequence[str] = ()
) -> dict[str, tuple[str, float | None]]:
    """Return what documents are sorted by, and its number where it is one: their ``caption``, ``type``, ``tag`` or a value."""
    sql = {
        "caption": "SELECT id, caption AS told, NULL AS number FROM document WHERE id IN (SELECT value FROM json_each(:ids))",
        "type": "SELECT id, type AS told, NULL AS number FROM document WHERE id IN (SELECT value FROM json_each(:ids))",
        "tag": "SELECT document_id AS id, MIN(tag) AS told, NULL AS number FROM document_tag "
               "WHERE document_id IN (SELECT value FROM json_each(:ids)) GROUP BY document_id",
        "value": "SELECT document_id AS id, value AS told, number FROM document_value WHERE position = 0 "
                 "AND document_id IN (SELECT value FROM json_each(:ids)) AND field IN (SELECT value FROM json_each(:fields))",
    }[by]  # fmt: skip
    rows = c.execute(
        text(sql), {"ids": json.dumps(list(ids)), **({"fields": json.dumps(list(fields))} if by == "value" else {})}
    )
    return {r.id: (r.told, r.number) for r in rows}


def facets_of(c: Connection, found: str, bound: Mapping[str, Any]) -> Facets:
    """Return what documents are that a piece of SQL gives (``id``, ``type``, ``cabinet``, ``month``), counted there."""
    sql = f"SELECT type, cabinet, month, COUNT(*) AS n FROM ({found}) GROUP BY 1, 2, 3"
    types, cabinets, months = Counter[str](), Counter[str](), Counter[str]()
    for row in c.execute(text(sql), bound):
        types[row.type] += row.n
        cabinets[row.cabinet] += row.n
        months[row.month] += row.n
    tags = f"SELECT g.tag, COUNT(*) AS n FROM ({found}) i CROSS JOIN document_tag g ON g.document_id = i.id GROUP BY 1"
    counted = Counter({r.tag: r.n for r in c.execute(text(tags), bound)}) if has_tags(c) else Counter[str]()
    return Facets(
        tuple(types.most_common()),
        tuple(cabinets.most_common()),
        tuple(sorted(months.items())),
        tuple(counted.most_common()),
    )


def has_tags(c: Connection) -> bool:
    """Whether any document has a tag."""
    return c.execute(text("SELECT 1 FROM document_tag LIMIT 1")).first() is not None


def find_same(c: Connection, query: DocumentQuery, limit: int = 3) -> list[tuple[str, str]]:
    """Return (id, caption) of documents of a type with all these values, the newest first."""
    asked = ask(c, query)
    rows = c.execute(
        text(f"SELECT d.id, d.caption {asked.sql} ORDER BY d.number DESC LIMIT :limit"), {**asked.bound, "limit": limit}
    )
    return [(r.id, r.caption) for r in rows]


def known_values(c: Connection, type_id: str, field: str, values: Sequence[str]) -> set[str]:
    """Return which of these values some document of a type holds in a field."""
    sql = text(
        "SELECT v.value FROM document_value v CROSS JOIN document d ON d.id = v.document_id WHERE v.field = :field "
        "AND v.folded = :folded AND v.value = :value AND d.type = :type AND d.removed_at IS NULL LIMIT 1"
    )
    bound = ({"field": field, "folded": fold(v), "value": v, "type": type_id} for v in dict.fromkeys(values))
    return {found for row in bound if (found := c.execute(sql, row).scalar()) is not None}


def earlier_values(
    c: Connection, field: str, typed: str, limit: int = 8, *, view: View = EVERYTHING
) -> list[tuple[str, int]]:
    """Return (value, number of documents) of a field's values that begin with a text, the most used first.

    Looked at are the first ``MOST_VALUES`` of them, each counted up to ``MOST_OF_VALUE``: enough to choose from while
    somebody types, however many documents there are.
    """
    low = fold(typed.strip())
    # One step of an index for each different value (a loose scan), not one for each document that has it.
    different = (
        "WITH RECURSIVE one(value) AS (SELECT MIN(folded) FROM document_value WHERE field = :field AND folded >= :low "
        "AND folded < :high UNION ALL SELECT (SELECT MIN(folded) FROM document_value WHERE field = :field "
        "AND folded > one.value AND folded < :high) FROM one WHERE one.value IS NOT NULL LIMIT :most) "
        "SELECT value FROM one WHERE value IS NOT NULL"
    )
    bound: dict[str, Any] = {"field": field, "low": low, "high": low + "\U0010ffff", "most": MOST_VALUES}
    hidden, source, seen = view.bound(), "document_value v", ""
    if view.hidden:
        source, seen = "document_value v CROSS JOIN document d ON d.id = v.document_id", view.sql()
    own = f"FROM {source} WHERE v.field = :field AND v.folded = :folded {seen}"
    found: list[tuple[str, int]] = []
    # Counted by the index alone; how the value is written is read once.
    asked = text(f"SELECT (SELECT v.value {own} LIMIT 1) AS value, COUNT(*) AS n FROM (SELECT 1 {own} LIMIT :most)")
    for folded in list(c.execute(text(different), bound).scalars()):
        rows = c.execute(asked, {"field": field, "folded": folded, "most": MOST_OF_VALUE, **hidden})
        found += [(r.value, int(r.n)) for r in rows if r.n]
    return sorted(found, key=lambda pair: (-pair[1], pair[0]))[:limit]


def list_folders(
    c: Connection, cabinet: str, typed: str, limit: int = 200, *, view: View = EVERYTHING
) -> list[tuple[str, ...]]:
    """Return the paths of a cabinet's deepest folders that hold every typed word, by their words."""
    words = {f"w{i}": f"%{_escape(fold(w))}%" for i, w in enumerate(typed.split())}
    like = "".join(f" AND f.folded LIKE :{name} ESCAPE '\\'" for name in words)
    shut = f" AND (f.access_id IS NULL OR f.access_id NOT IN ({view.listed()}))" if view.hidden else ""
    own = f" AND n.access_id NOT IN ({view.listed()})" if view.hidden else ""
    sql = text(
        "SELECT f.path FROM folder f INDEXED BY folder_by_words WHERE f.cabinet = :cabinet AND f.folded > ''"
        f"{like} AND f.path != ''{shut} AND f.became IS NULL AND (f.documents > 0 OR f.is_kept "
        f"OR EXISTS (SELECT 1 FROM folder_count n WHERE n.folder_id = f.id{own})) "
        "AND NOT EXISTS (SELECT 1 FROM folder x WHERE x.parent_id = f.id) "
        "ORDER BY f.folded LIMIT :limit"
    )
    rows = c.execute(sql, {"cabinet": cabinet, "limit": limit, **words, **view.bound()})
    return [split_path(r.path) for r in rows]


def recent_folders(c: Connection, cabinet: str, limit: int = 6, *, view: View = EVERYTHING) -> list[tuple[str, ...]]:
    """Return the paths of the folders that the newest documents lie in, the last one first."""
    sql = text(
        f"SELECT d.folder_id, d.number FROM document d INDEXED BY document_there WHERE d.cabinet = :cabinet "
        f"AND d.removed_at IS NULL {view.sql()} ORDER BY d.number DESC LIMIT {RECENT}"
    )
    folders = list(dict.fromkeys(c.execute(sql, {"cabinet": cabinet, **view.bound()}).scalars()))[:limit]
    found = {
        r.id: split_path(r.path)
        for r in c.execute(_PATHS, {"folders": folders}) if r.path
    }  # fmt: skip
    return [found[i] for i in folders if i in found]


_PATHS = text("SELECT id, path FROM folder WHERE id IN :folders").bindparams(bindparam("folders", expanding=True))
_COUNT_PAGES = text("SELECT id, pages FROM document WHERE id IN :ids").bindparams(bindparam("ids", expanding=True))


def count_pages(c: Connection, document_ids: Sequence[str]) -> dict[str, int]:
    """Return how many pages the current version of each document has."""
    found: dict[str, int] = {}
    for start in range(0, len(document_ids), 500):
        rows = c.execute(_COUNT_PAGES, {"ids": document_ids[start : start + 500]})
        found |= {r.id: r.pages for r in rows}
    return found


def _escape(text_: str) -> str:
    return text_.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
