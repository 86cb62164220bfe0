"""The full-text index (SQLite FTS5) over filed documents and over pages still in batches, and the search itself."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, bindparam, delete, insert, select, text

from keybundle.core.search.query import Condition, Query
from keybundle.core.store import schema as t

MARK_START, MARK_END = "\x02", "\x03"
FILED, WAITING = "document", "page"


@dataclass(frozen=True)
class Hit:
    """A document or waiting page that answers; ``snippet`` has its words between MARK_START and MARK_END."""

    ref: str
    is_filed: bool
    snippet: str


def put(c: Connection, kind: str, ref: str, caption: str, values: str, body: str) -> None:
    """Make something findable, or replace what was findable of it."""
    remove(c, [ref])
    key = c.execute(insert(t.search_row).values(kind=kind, ref=ref).returning(t.search_row.c.id)).scalar_one()
    row = {"id": key, "caption": caption, "vals": values, "body": body}
    c.execute(text("INSERT INTO search_text(rowid, caption, vals, body) VALUES (:id, :caption, :vals, :body)"), row)


def change_values(c: Connection, ref: str, values: str) -> None:
    """Put other values (tags among them) in place of those that something is found by."""
    chosen = select(t.search_row.c.id).where(t.search_row.c.ref == ref)
    for key in list(c.execute(chosen).scalars()):
        c.execute(text("UPDATE search_text SET vals = :vals WHERE rowid = :id"), {"vals": values, "id": key})


def remove(c: Connection, refs: Iterable[str]) -> None:
    """Make things no longer findable."""
    wanted = list(refs)
    for rowid in list(c.execute(select(t.search_row.c.id).where(t.search_row.c.ref.in_(wanted))).scalars()):
        c.execute(text("DELETE FROM search_text WHERE rowid = :id"), {"id": rowid})
    c.execute(delete(t.search_row).where(t.search_row.c.ref.in_(wanted)))


def search(
    c: Connection, query: Query, *, waiting: Sequence[str] | None = None, limit: int = 200, offset: int = 0,
    hidden: Sequence[str] = (), visible: str = "", batches: Sequence[str] | None = None, but: Collection[str] = (),
) -> list[Hit]:  # fmt: skip
    """Return the best hits; without words, the newest documents that meet the conditions.

    Conditions speak of filed documents. ``waiting`` are the pages of work not filed yet that meet them too; None: all.
    ``visible`` is SQL over ``document d`` that leaves out what is not to be seen, by the ``hidden`` lists bound in it.
    ``batches`` are those whose work may be found (None: all), ``but`` documents of them that may not.
    """
    match = query.match_expression()
    where, bound = _conditions(query.conditions)
    if visible:
        bound["hidden"] = json.dumps(list(hidden))
    bound |= {"limit": limit, "offset": offset}
    if not match:
        sql = f"SELECT d.id FROM document d WHERE d.removed_at IS NULL {where} {visible} "
        sql += "ORDER BY d.number DESC LIMIT :limit OFFSET :offset"
        return [Hit(r.id, True, "") for r in c.execute(text(sql), bound)]
    filed, pages = "r.kind = 'document'", "r.kind = 'page'"
    if visible:  # asked of each hit by its key: all that may be seen is nearly all there is
        filed += f" AND EXISTS (SELECT 1 FROM document d WHERE d.id = r.ref {visible})"
    if query.conditions:
        filed += f" AND r.ref IN (SELECT d.id FROM document d WHERE d.removed_at IS NULL {where})"
        bound["waiting"] = json.dumps(list(waiting or ()))
        pages += " AND r.ref IN (SELECT value FROM json_each(:waiting))"
    if batches is not None:
        bound["batches"] = json.dumps(list(batches))
        pages += " AND r.ref IN (SELECT id FROM page WHERE batch_id IN (SELECT value FROM json_each(:batches)))"
    if but:
        bound["but"] = json.dumps(sorted(but))
        pages += " AND r.ref NOT IN (SELECT id FROM page WHERE document_id IN (SELECT value FROM json_each(:but)))"
    # Where nothing is left out the index alone answers.
    allowed = f"AND (({filed}) OR ({pages}))" if query.conditions or visible or batches is not None or but else ""
    # Ranked by the index itself: hits come one by one, the best first, and only as many are asked whether they may be seen,
    # and get a snippet, as are shown.
    sql = (
        "SELECT r.ref, r.kind, snippet(search_text, -1, :s, :e, ' … ', 18) AS snippet FROM search_text "
        "CROSS JOIN search_row r ON r.id = search_text.rowid "
        f"WHERE search_text MATCH :match AND search_text.rank MATCH 'bm25(4.0, 2.0, 1.0)' {allowed} "
        "ORDER BY search_text.rank LIMIT :limit OFFSET :offset"
    )
    rows = c.execute(text(sql), {**bound, "match": match, "s": MARK_START, "e": MARK_END})
    return [Hit(r.ref, r.kind == FILED, r.snippet.replace("\n", " ")) for r in rows]


def _conditions(conditions: Sequence[Condition]) -> tuple[str, dict[str, Any]]:
    """Return SQL over ``document d`` that an index answers for each condition, and its bound values."""
    parts: list[str] = []
    bound: dict[str, Any] = {}
    for i, condition in enumerate(conditions):
        column, inner = {
            "type": ("d.type", ""), "cabinet": ("d.cabinet", ""), "filed": ("d.filed_at", ""),
            "tag": ("g.folded", "SELECT g.document_id FROM document_tag g WHERE {said}"),
        }.get(
            condition.field,
            ("v.folded", f"SELECT v.document_id FROM document_value v WHERE {_fields(condition, i, bound)} AND {{said}}"),
        )  # fmt: skip
        if condition.field in ("type", "cabinet"):
            # Few and known by name: they were folded and looked up before.
            bound[f"v{i}"] = json.dumps(condition.names)
            parts.append(f"AND {column} IN (SELECT value FROM json_each(:v{i}))")
            continue
        if condition.compared_as == "number":
            column, said = "v.number", f"v.number {condition.operator} :v{i}"
            bound[f"v{i}"] = float(condition.value)
        else:
            said = _within(condition, column, i, bound)
        parts.append(f"AND d.id IN ({inner.format(said=said)})" if inner else f"AND {said}")
    return " ".join(parts), bound


def _fields(condition: Condition, i: int, bound: dict[str, Any]) -> str:
    """Return SQL for the fields of a condition; one field of all types, as nearly always, is one range of an index."""
    fields = condition.fields or ((None, condition.field),)
    bound |= {f"f{i}_{j}": field for j, (_, field) in enumerate(fields)}
    said = [f"v.field = :f{i}_{j}" for j in range(len(fields))]
    for j, (of, _) in enumerate(fields):
        if of is not None:
            bound[f"t{i}_{j}"] = of
            said[j] = f"({said[j]} AND v.document_id IN (SELECT id FROM document WHERE type = :t{i}_{j}))"
    return said[0] if len(said) == 1 else f"({' OR '.join(said)})"


def _within(condition: Condition, column: str, i: int, bound: dict[str, Any]) -> str:
    low, high = condition.bounds()
    parts = []
    for limit, sign, name in ((low, ">", f"v{i}"), (high, "<", f"w{i}")):
        if limit is not None:
            bound[name] = limit
            parts.append(f"{column} {sign}{'' if condition.operator == sign else '='} :{name}")
    return " AND ".join(parts)


def find_waiting(c: Connection, refs: Sequence[str]) -> dict[str, tuple[str, str | None]]:
    """Return (batch id, document id) of waiting pages."""
    chosen = select(t.page.c.id, t.page.c.batch_id, t.page.c.document_id).where(
        t.page.c.id.in_(bindparam("refs", expanding=True))
    )
    return {r.id: (r.batch_id, r.document_id) for r in c.execute(chosen, {"refs": list(refs)})}
