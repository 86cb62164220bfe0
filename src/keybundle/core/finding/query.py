"""``DocumentQuery``: which filed documents are meant, as plain data, and as a part of SQL.

The database is asked in the order that reads least: how many documents each condition has is counted first (by an
index, and no further than ``MOST_COUNTED``), and the smallest set leads; the others are asked of each of its documents by
key. Where all are large the newest documents are walked, and enough of them answer soon.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import Any

from sqlalchemy import Connection, text

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.search.query import Condition, Query

MOST_COUNTED = 10_000
NOTHING_ASKED = Query()


@dataclass(frozen=True)
class DocumentQuery:
    """Which filed documents are meant.

    ``chosen`` are values of the cabinet's folder fields, ``values`` exact values of a type's fields, all by id; ``asked``
    is a query line as understood. ``view`` is what who asks may see.
    """

    view: View = EVERYTHING
    cabinet: str = ""
    chosen: Mapping[str, str] = field(default_factory=dict)
    type: str = ""
    values: Mapping[str, str] = field(default_factory=dict)
    asked: Query = NOTHING_ASKED


@dataclass(frozen=True)
class Part:
    """One condition: the ids of all documents that meet it, how many (at most), and the same asked of ``d``.

    ``source`` is the index of ``document`` that gives them by itself, where one does.
    """

    ids: str
    probe: str
    number: int
    source: str = ""


@dataclass
class Asked:
    """A query as SQL over ``document d``: which part leads (None: the newest first), the others, and what is bound."""

    leads: Part | None
    others: list[Part]
    plain: list[str]
    bound: dict[str, Any]

    @property
    def sql(self) -> str:
        """``FROM`` and ``WHERE``."""
        leads, source = list[str](), ""
        if self.leads is not None and self.leads.source:
            leads, source = [self.leads.probe], f" INDEXED BY {self.leads.source}"
        elif self.leads is not None:
            leads = [f"d.id IN ({self.leads.ids})"]
        elif "type" in self.bound:
            source = " INDEXED BY document_by_type"
        elif "cabinet" in self.bound:
            source = " INDEXED BY document_there"
        where = ["d.removed_at IS NULL", *leads, *self.plain, *(p.probe for p in self.others)]
        return f"FROM document d{source} WHERE {' AND '.join(where)}"

    @property
    def probes(self) -> str:
        """The same for a document that is known by its key: every condition is asked of it alone."""
        parts = [*self.others, *([self.leads] if self.leads is not None else [])]
        return " AND ".join(["d.removed_at IS NULL", *self.plain, *(p.probe for p in parts)])


def ask(c: Connection, query: DocumentQuery, *, newest: int = 0, most: int = MOST_COUNTED) -> Asked:
    """Return a query as SQL, its parts in the order that reads least; words are not in it.

    ``newest``: that so many of the newest are wanted, and no others. ``most``: how large a set may be to lead.
    """
    bound: dict[str, Any] = {}
    plain: list[str] = []
    if query.cabinet:
        bound["cabinet"] = query.cabinet
        plain.append("d.cabinet = :cabinet")
    if query.type:
        bound["type"] = query.type
        plain.append("d.type = :type")
    if query.view.hidden:
        bound["hidden"] = json.dumps(sorted(query.view.hidden))
        plain.append(query.view.sql().removeprefix("AND ").strip())
    made: list[tuple[str, str]] = []
    placed = [_in_folders(c, query, bound, newest)] if query.chosen else []
    for i, (name, value) in enumerate(query.values.items()):
        made.append(_has_value(i, name, value, bound))
    for i, condition in enumerate(query.asked.conditions):
        found = _condition(condition, i, bound)
        if isinstance(found, str):
            plain.append(found)
        else:
            made.append(found)
    parts = [*placed, *(Part(ids, probe, _count(c, ids, bound, most)) for ids, probe in made)]
    parts.sort(key=lambda p: p.number)
    leads = parts[0] if parts and parts[0].number < most else None
    return Asked(leads, parts[1:] if leads is not None else parts, plain, bound)


def _count(c: Connection, ids: str, bound: Mapping[str, Any], most: int) -> int:
    asked = f"SELECT COUNT(*) FROM (SELECT 1 FROM ({ids} LIMIT {most}))"
    return int(c.execute(text(asked), bound).scalar() or 0)


def folders_of(chosen: Sequence[str]) -> str:
    """Return SQL for the folders whose paths have all chosen values, bound as ``l0``, ``w0``, ... in ``:cabinet``."""
    asked = (
        f"SELECT folder_id FROM folder_level WHERE cabinet = :cabinet AND field = :l{i} AND value = :w{i}"
        for i in range(len(chosen))
    )
    return " INTERSECT ".join(asked)


def bind_chosen(chosen: Mapping[str, str]) -> dict[str, str]:
    """Return what ``folders_of`` has bound."""
    return {k: v for i, (name, value) in enumerate(chosen.items()) for k, v in ((f"l{i}", name), (f"w{i}", value))}


def _in_folders(c: Connection, query: DocumentQuery, bound: dict[str, Any], newest: int) -> Part:
    """Return the documents of the folders that have all chosen values, counted by the folders.

    Where nothing else narrows them, the ``newest`` of many lie in as many folders as are wanted: those whose own newest is
    the newest. So no more of them are looked into.
    """
    bound |= bind_chosen(query.chosen)
    folders = folders_of(list(query.chosen))
    asked = f"SELECT SUM(documents) FROM folder WHERE id IN ({folders})"
    own = f"SELECT SUM(documents) FROM folder_count WHERE folder_id IN ({folders})"
    number = sum(int(c.execute(text(sql), bound).scalar() or 0) for sql in (asked, own))
    is_alone = not (query.type or query.values or query.asked.conditions)
    if number >= MOST_COUNTED and newest and is_alone and _is_seen_by_folder(c, query.view):
        bound["newest"] = newest
        seen = f"AND (access_id IS NULL OR access_id NOT IN ({query.view.listed()})) " if query.view.hidden else ""
        folders = f"SELECT id FROM folder WHERE id IN ({folders}) {seen}ORDER BY last DESC LIMIT :newest"
        number = 0
    ids = f"SELECT x.id FROM document x WHERE x.removed_at IS NULL AND x.folder_id IN ({folders})"
    return Part(ids, f"d.folder_id IN ({folders})", number, "document_by_folder")


def _is_seen_by_folder(c: Connection, view: View) -> bool:
    """Whether what somebody may not see is told by folders alone: nothing is kept from them, or no document has its own list."""
    return not view.hidden or c.execute(text("SELECT 1 FROM folder_count LIMIT 1")).first() is None


def _has_value(i: int, name: str, value: str, bound: dict[str, Any]) -> tuple[str, str]:
    bound |= {f"n{i}": name, f"e{i}": value, f"o{i}": fold(value)}
    has = f"{{v}}.field = :n{i} AND {{v}}.folded = :o{i} AND {{v}}.value = :e{i}"
    return _of_values(has)


def _of_values(has: str) -> tuple[str, str]:
    """Return the ids of documents with a value like this, and the same asked of one document by its key.

    The index is named: the planner would walk a whole range of values for each document.
    """
    ids = f"SELECT v.document_id FROM document_value v WHERE {has.format(v='v')}"
    own = "document_value p INDEXED BY sqlite_autoindex_document_value_1"
    return ids, f"EXISTS (SELECT 1 FROM {own} WHERE p.document_id = d.id AND {has.format(v='p')})"


def _condition(condition: Condition, i: int, bound: dict[str, Any]) -> str | tuple[str, str]:
    """Return a condition as SQL that leads and that probes, or as one piece where an index of ``document`` answers it."""
    if condition.field in ("type", "cabinet"):
        # Few and known by name: they were folded and looked up before.
        if len(condition.names) == 1:
            name = condition.field if condition.field not in bound else f"c{i}"
            bound[name] = condition.names[0]
            return f"d.{condition.field} = :{name}"
        bound[f"c{i}"] = json.dumps(condition.names)
        return f"d.{condition.field} IN (SELECT value FROM json_each(:c{i}))"
    if condition.field == "filed":
        said = _within(condition, "{d}.filed_at", i, bound)
        return f"SELECT x.id FROM document x WHERE {said.format(d='x')}", said.format(d="d")
    if condition.field == "tag":
        said = _within(condition, "{g}.folded", i, bound)
        ids = f"SELECT g.document_id FROM document_tag g WHERE {said.format(g='g')}"
        return ids, f"EXISTS (SELECT 1 FROM document_tag q WHERE q.document_id = d.id AND {said.format(g='q')})"
    if condition.compared_as == "number":
        said = f"{{v}}.number {condition.operator} :c{i}"
        bound[f"c{i}"] = float(condition.value)
    else:
        said = _within(condition, "{v}.folded", i, bound)
    return _of_values(f"{_fields(condition, i, bound)} AND {said}")


def _fields(condition: Condition, i: int, bound: dict[str, Any]) -> str:
    """Return SQL for the fields of a condition; one field of all types, as nearly always, is one range of an index."""
    fields = condition.fields or ((None, condition.field),)
    bound |= {f"f{i}_{j}": name for j, (_, name) in enumerate(fields)}
    said = [f"{{v}}.field = :f{i}_{j}" for j in range(len(fields))]
    for j, (of, _) in enumerate(fields):
        if of is not None:
            bound[f"t{i}_{j}"] = of
            said[j] = f"({said[j]} AND {{v}}.document_id IN (SELECT id FROM document WHERE type = :t{i}_{j}))"
    return said[0] if len(said) == 1 else f"({' OR '.join(said)})"


def _within(condition: Condition, column: str, i: int, bound: dict[str, Any]) -> str:
    low, high = condition.bounds()
    parts = []
    for limit, sign, name in ((low, ">", f"c{i}"), (high, "<", f"h{i}")):
        if limit is not None:
            bound[name] = limit
            parts.append(f"{column} {sign}{'' if condition.operator == sign else '='} :{name}")
    return " AND ".join(parts) or "1"
