"""Path columns of a cabinet, from its folders: values with counts, in the locale's order; no document is read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, text

from keybundle.core.base.folding import fold
from keybundle.core.finding.query import bind_chosen, folders_of
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.repository.model import ColumnEntry

MOST_ENTRIES = 500


def load_column(
    c: Connection, cabinet: str, field: str, chosen: Mapping[str, str], *, typed: str = "", view: View = EVERYTHING,
    limit: int = MOST_ENTRIES,
) -> list[ColumnEntry]:  # fmt: skip
    """Return a folder field's values with counts, in order, among the folders that have all chosen values.

    ``typed`` keeps those that hold it. No more than ``limit`` come.
    """
    bound: dict[str, Any] = {"cabinet": cabinet, "field": field, "limit": limit, **view.bound()}
    where = ""
    if chosen:
        bound |= bind_chosen(chosen)
        where += f" AND l.folder_id IN ({folders_of(list(chosen))})"
    if typed.strip():
        bound["typed"] = fold(typed.strip())
        where += " AND instr(fold(l.value), :typed) > 0"
    sql = (
        f"SELECT l.value, SUM({_number(c, view)}) AS n FROM folder_level l CROSS JOIN folder f ON f.id = l.folder_id "
        f"WHERE l.cabinet = :cabinet AND l.field = :field{where} GROUP BY l.sort_key, l.value "
        f"HAVING n > 0 OR MAX({_is_kept(view)}) "
        "ORDER BY l.sort_key, l.value LIMIT :limit"
    )
    return [ColumnEntry(r.value, int(r.n)) for r in c.execute(text(sql), bound)]


def count_in(c: Connection, cabinet: str, chosen: Mapping[str, str] | None = None, *, view: View = EVERYTHING) -> int:
    """Return how many documents lie in the folders of a cabinet (empty: of all) that have all chosen values."""
    bound: dict[str, Any] = {"cabinet": cabinet, **view.bound()}
    where = "f.cabinet = :cabinet" if cabinet else "1"
    if chosen:
        bound |= bind_chosen(chosen)
        where += f" AND f.id IN ({folders_of(list(chosen))})"
    sql = f"SELECT SUM({_number(c, view)}) FROM folder f WHERE {where}"
    used = bound if cabinet else {k: v for k, v in bound.items() if k != "cabinet"}
    return int(c.execute(text(sql), used).scalar() or 0)


def _is_kept(view: View) -> str:
    """Return SQL for whether a folder that may be seen was made in advance: it is shown while it is empty."""
    if not view.hidden:
        return "f.is_kept"
    return f"CASE WHEN f.access_id IS NULL OR f.access_id NOT IN ({view.listed()}) THEN f.is_kept ELSE 0 END"


def _number(c: Connection, view: View) -> str:
    """Return SQL for the number of documents in a folder that may be seen."""
    own = ""
    if c.execute(text("SELECT 1 FROM folder_count LIMIT 1")).first() is not None:
        seen = f" AND n.access_id NOT IN ({view.listed()})" if view.hidden else ""
        own = f" + COALESCE((SELECT SUM(n.documents) FROM folder_count n WHERE n.folder_id = f.id{seen}), 0)"
    if not view.hidden:
        return f"f.documents{own}"
    return f"CASE WHEN f.access_id IS NULL OR f.access_id NOT IN ({view.listed()}) THEN f.documents ELSE 0 END{own}"
