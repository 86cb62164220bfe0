"""The full-text index (SQLite FTS5) over filed documents and over pages still in batches, and the search itself."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
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


def search(c: Connection, query: Query, *, limit: int = 200, offset: int = 0) -> list[Hit]:
    """Return the best hits; without words, the newest documents that meet the conditions."""
    where, bound = _conditions(query.conditions)
    match = query.match_expression()
    if match:
        sql = (
            "SELECT r.ref, r.kind, snippet(search_text, -1, :s, :e, ' … ', 18) AS snippet FROM search_text "
            "JOIN search_row r ON r.id = search_text.rowid LEFT JOIN document d ON d.id = r.ref "
            f"WHERE search_text MATCH :match {where} ORDER BY bm25(search_text, 4.0, 2.0, 1.0) LIMIT :limit OFFSET :offset"
        )
        bound |= {"match": match, "s": MARK_START, "e": MARK_END}
    else:
        sql = (
            "SELECT d.id AS ref, 'document' AS kind, '' AS snippet FROM document d "
            f"WHERE d.removed_at IS NULL {where} ORDER BY d.filed_at DESC, d.number DESC LIMIT :limit OFFSET :offset"
        )
    rows = c.execute(text(sql), {**bound, "limit": limit, "offset": offset})
    return [Hit(r.ref, r.kind == FILED, r.snippet.replace("\n", " ")) for r in rows]


def _conditions(conditions: Sequence[Condition]) -> tuple[str, dict[str, Any]]:
    parts: list[str] = []
    bound: dict[str, Any] = {}
    for i, condition in enumerate(conditions):
        compare, values = _compare(condition, f"v{i}")
        bound |= values
        if condition.field in ("type", "cabinet", "filed"):
            column = {"type": "lower(d.type)", "cabinet": "lower(d.cabinet)", "filed": "d.filed_at"}[condition.field]
            parts.append(f"AND {compare.format(text=column, number='NULL')}")
        elif condition.field == "tag":
            said = compare.format(text="g.folded", number="NULL")
            parts.append(f"AND d.id IN (SELECT g.document_id FROM document_tag g WHERE {said})")
        else:
            bound[f"f{i}"] = condition.field
            said = compare.format(text="v.folded", number="v.number")
            parts.append(
                f"AND EXISTS (SELECT 1 FROM document_value v WHERE v.document_id = d.id AND v.field = :f{i} AND {said})"
            )
    return " ".join(parts), bound


def _compare(condition: Condition, name: str) -> tuple[str, dict[str, Any]]:
    r"""Return the comparison with ``{text}`` and ``{number}`` for the columns, and its bound values.

    A value that begins with the given text's date or words counts as equal; ``\\uffff`` closes a prefix range.
    """
    value = condition.value.casefold()
    if condition.until:
        return f"({{text}} >= :{name} AND {{text}} <= :{name}u)", {name: value, f"{name}u": condition.until + "\uffff"}
    if condition.operator == "=":
        return f"({{text}} >= :{name} AND {{text}} <= :{name}u)", {name: value, f"{name}u": value + "\uffff"}
    try:
        number = float(value)
    except ValueError:
        bound = value + "\uffff" if condition.operator in (">", "<=") else value
        return f"{{text}} {condition.operator} :{name}", {name: bound}
    return f"{{number}} {condition.operator} :{name}", {name: number}


def find_waiting(c: Connection, refs: Sequence[str]) -> dict[str, tuple[str, str | None]]:
    """Return (batch id, document id) of waiting pages."""
    chosen = select(t.page.c.id, t.page.c.batch_id, t.page.c.document_id).where(
        t.page.c.id.in_(bindparam("refs", expanding=True))
    )
    return {r.id: (r.batch_id, r.document_id) for r in c.execute(chosen, {"refs": list(refs)})}
