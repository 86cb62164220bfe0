"""Finding documents by any word or field, filed or still waiting."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import field, replace
from datetime import date
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Connection, bindparam, func, select

from keybundle.core.base.days import day_of, days_of, moments_of, relative_days
from keybundle.core.base.ids import BatchId, DocumentId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import LEFT_OUT
from keybundle.core.fields.kinds import Kind, normalise
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.destination import compute_destination
from keybundle.core.finding import words
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.finding.words import (
    MOST_RANKED,
    Hit,
    Work,
    find_hits,
    list_filed,
    make_snippets,
)
from keybundle.core.reading.text import PageText
from keybundle.core.repository.folders import nearest_list
from keybundle.core.repository.model import FiledDocument
from keybundle.core.repository.rows import to_number
from keybundle.core.rights.model import AccessList, Right, effective_rights
from keybundle.core.search.query import SPECIAL, Condition, Query, meets, parse_query
from keybundle.core.setup.model import FieldSpec, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.propose.defaults import local_day
from keybundle.core.workflows.session.naming import all_field_names, all_in_names, fields_called, name_values
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MARK_START, MARK_END = words.MARK_START, words.MARK_END
NUMBERS = (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE)
PART_OF_DATE = re.compile(r"^\d{4}(-\d{2}(-\d{2})?)?$")


@dataclass(frozen=True)
class FoundDocument:
    """A hit as shown: for work not yet filed ``id`` is the batch's document, and ``batch`` says where it lies.

    ``routine`` and ``begun_on`` (ISO 8601, in the repository's time zone) are what people call that batch by.
    """

    id: str
    caption: str
    cabinet: str
    folder: tuple[str, ...]
    type: str
    values: dict[str, FieldValue]
    snippet: str
    is_filed: bool
    batch: BatchId | None = None
    filed_at: str = ""
    tags: tuple[str, ...] = ()
    routine: str = ""
    begun_on: str = ""


@dataclass(frozen=True)
class Found:
    """A page of the answer to a query, with counts by type, cabinet, month and tag among all hits.

    ``total`` is their number; ``is_more`` says that there are more than these 10,000, which are the newest: they alone are
    ranked and counted then. ``has_next``: hits follow after these.
    """

    said: str
    hits: tuple[FoundDocument, ...]
    unread_pages: int
    types: tuple[tuple[str, int], ...] = field(default=())
    cabinets: tuple[tuple[str, int], ...] = field(default=())
    months: tuple[tuple[str, int], ...] = field(default=())
    tags: tuple[tuple[str, int], ...] = field(default=())
    total: int = 0
    is_more: bool = False
    has_next: bool = False


@needs(Right.LOOK)
def field_names(session: Session) -> list[str]:
    """Return all index and folder fields by name."""
    workspace = session.workspace
    return all_field_names(workspace.setup)


@needs(Right.LOOK)
def understand(session: Session, line: str) -> Query:
    """Return a query line as understood: each value read as its field's kind reads it."""
    workspace = session.workspace
    query = parse_query(line, field_names(session))
    return replace(query, conditions=tuple(_as_kind(workspace, c) for c in query.conditions))


def _as_kind(workspace: Workspace, condition: Condition) -> Condition:
    setup = workspace.setup
    if condition.field in ("type", "cabinet"):
        known = setup.document_types if condition.field == "type" else setup.cabinets
        return replace(condition, names=tuple(x.id for x in known if meets(replace(condition, operator="="), [x.name])))
    if condition.field not in SPECIAL:
        condition = replace(condition, fields=tuple(fields_called(setup, condition.field)))
    days = relative_days(condition.value, date.fromisoformat(day_of(workspace.clock.stamp(), setup.time_zone)))
    if condition.field == "filed":
        return _of_moments(condition, days, setup.time_zone)
    specs = [f for k in setup.document_types for f in k.fields if f.name == condition.field]
    kinds = {f.kind for f in specs}
    if Kind.DATE in kinds and days is not None:
        return _of_days(condition, days)
    if condition.until:
        return replace(condition, compared_as="date")
    if Kind.DATE in kinds:
        day = condition.value if PART_OF_DATE.match(condition.value) else _read(workspace, specs, condition.value)
        return replace(condition, value=day or condition.value, compared_as="date")
    if kinds & set(NUMBERS) and (number := _read(workspace, specs, condition.value)):
        return replace(condition, value=number, compared_as="number")
    if condition.operator != "=" and to_number(condition.value) is not None:
        return replace(condition, compared_as="number")
    return condition


def _of_moments(condition: Condition, days: tuple[date, date] | None, zone: str) -> Condition:
    """Return a condition over the moment of filing: a day is the repository's own, from its first moment to its last."""
    first = days or days_of(condition.value)
    last = days or days_of(condition.until or condition.value)
    if first is None or last is None:
        return replace(condition, compared_as="date")
    named = replace(_of_days(condition, days), compared_as="date") if days is not None else condition
    return replace(named, compared_as="date", moments=moments_of(first[0], last[1], zone))


def _of_days(condition: Condition, days: tuple[date, date]) -> Condition:
    """Return a condition in which words such as ``last month`` are the days that they mean."""
    first, last = (day.isoformat() for day in days)
    if condition.operator == "=":
        return replace(condition, value=first, until=last if last != first else "", compared_as="date")
    return replace(condition, value=last if condition.operator in (">", "<=") else first, compared_as="date")


def _read(workspace: Workspace, specs: Sequence[FieldSpec], text: str) -> str:
    """Return a value as the first of these fields with a kind of its own stores it; empty where it is none."""
    for spec in (s for s in specs if s.kind in (*NUMBERS, Kind.DATE)):
        plain = replace(workspace.rule(spec), pattern="", check="", low="", high="")
        value = normalise(text, plain)
        if isinstance(value, str) and value:
            return value
    return ""


@needs(Right.LOOK)
def find(session: Session, line: str, *, limit: int = 200, offset: int = 0) -> Found:
    """Answer a query line: filed documents, and work not filed yet that meets it too; ``limit`` hits from ``offset`` on."""
    workspace = session.workspace
    query = understand(session, line)
    with workspace.place.database.read() as c:
        view = session.view(c)
        asked = DocumentQuery(view, asked=query)
        batches = _open_batches(session, c)
        # Of a rare word only the documents that have it are weighed.
        rare = not query.conditions
        among = words.waiting_documents(c, query.match_expression()) if rare and query.match_expression() else None
        keeps = view.hidden or _is_any_kept(c, batches)
        opened = _load_open(c, batches, among) if query.conditions or keeps else _Opened([], {})
        kept = _kept_from(session, c, opened, view.hidden)
        open_documents = _find_open(session, opened, query, kept) if query.conditions else None
        pages = None if open_documents is None else _pages_of(c, open_documents)
        work = Work(pages, batches if session.batches() else None, kept)
        hits = find_hits(c, asked, work, limit=limit, offset=offset, counted=not offset)
        if open_documents and not query.match_expression():
            # Work that meets the conditions follows after what is filed.
            rest = list(open_documents)[max(0, offset - hits.total) :][: limit - len(hits.hits)]
            hits = replace(
                hits, hits=(*hits.hits, *(Hit(i, False) for i in rest)), total=hits.total + len(open_documents)
            )
        found = _load_hits(session, c, hits.hits, query, open_documents or {})
        unread = count_unread(session)
    setup, counted, waiting = workspace.setup, hits.facets, [h for h in found if not h.is_filed]
    return Found(
        query.said(), tuple(found), unread,
        _with_waiting(((name_of(setup.document_types, i), n) for i, n in counted.types), (h.type for h in waiting)),
        tuple((name_of(setup.cabinets, i), n) for i, n in counted.cabinets), counted.months,
        _with_waiting(counted.tags, (tag for h in waiting for tag in h.tags)), hits.total, hits.is_more,
        offset + len(hits.hits) < min(hits.total, MOST_RANKED),
    )  # fmt: skip


def _load_hits(
    session: Session, c: Connection, hits: Sequence[Hit], query: Query, open_documents: Mapping[str, str]
) -> list[FoundDocument]:
    """Return hits as shown; of waiting pages each document once."""
    workspace = session.workspace
    waiting = find_waiting(c, [h.ref for h in hits if not h.is_filed])
    waiting |= {i: (batch_id, i) for i, batch_id in open_documents.items()}
    filed = session.documents(c, [h.ref for h in hits if h.is_filed])
    named = all_in_names(workspace.setup, filed)
    snippets = make_snippets(c, [h.ref for h in hits], query) if query.match_expression() else {}
    found: list[FoundDocument] = []
    seen: set[str] = set()
    for hit in hits:
        if hit.is_filed and hit.ref in named:
            found.append(_filed(named[hit.ref], snippets.get(hit.ref, "")))
        elif hit.ref in waiting:
            batch_id, document_id = waiting[hit.ref]
            key = document_id or hit.ref
            if key not in seen:
                seen.add(key)
                found.append(
                    _waiting(
                        session,
                        BatchId(batch_id),
                        DocumentId(document_id) if document_id is not None else None,
                        hit.ref,
                        snippets.get(hit.ref, ""),
                    )
                )
    return found


def find_waiting(c: Connection, refs: Sequence[str]) -> dict[str, tuple[str, str | None]]:
    """Return (batch id, document id) of waiting pages."""
    p = t.page.c
    return {
        r.id: (r.batch_id, r.document_id)
        for r in c.execute(select(p.id, p.batch_id, p.document_id).where(p.id.in_(refs)))
    }


@needs(Right.LOOK)
def find_filed_ids(session: Session, line: str) -> list[str]:
    """Return the filed documents that answer a query line, the best first, at most the first 10,000."""
    workspace = session.workspace
    query = understand(session, line)
    with workspace.place.database.read() as c:
        asked = DocumentQuery(session.view(c), asked=query)
        return list_filed(c, asked)


def _open_batches(session: Session, c: Connection) -> list[str]:
    """Return the open batches that somebody may see."""
    return list(c.execute(select(t.batch.c.id).where(t.batch.c.closed_at.is_(None), *session.batches())).scalars())


def _is_any_kept(c: Connection, batches: Sequence[str]) -> bool:
    """Whether a document that waits in one of these batches has a list of its own."""
    asked = select(t.batch_document.c.id).where(t.batch_document.c.kept_to.is_not(None))
    return c.execute(asked.where(t.batch_document.c.batch_id.in_(batches)).limit(1)).first() is not None


class _Opened(NamedTuple):
    """Documents of open batches (their rows), and their values by document and field."""

    rows: Sequence[Any]
    values: Mapping[str, Mapping[str, FieldValue]]


def _kept_from(session: Session, c: Connection, opened: _Opened, hidden: frozenset[str]) -> frozenset[str]:
    """Return the documents not filed yet that would go where somebody may not look: that counts for them already."""
    if not hidden and all(row.kept_to is None for row in opened.rows):
        return frozenset()
    setup = session.workspace.setup
    found, nearest = set(), {}
    for row in opened.rows:
        if row.kept_to is not None:
            # Its own list counts already, as it will once it is filed.
            if Right.LOOK not in effective_rights(session.holder, AccessList.from_json(json.loads(row.kept_to))):
                found.add(row.id)
            continue
        kind = setup.document_type(row.type)
        if kind is None:
            continue
        goes = compute_destination(kind, setup, opened.values.get(row.id, {}))
        place = (goes.cabinet, *(value or "" for _, value in goes.folder))
        if place not in nearest:
            nearest[place] = nearest_list(c, place[0], place[1:])
        kept = nearest[place]
        if kept is not None and kept.id in hidden:
            found.add(row.id)
    return frozenset(found)


# Put together once: these are asked with every question.
_d, _v = t.batch_document.c, t.batch_value.c
_IS_OPEN = (_d.batch_id.in_(bindparam("batches", expanding=True)), _d.filed_id.is_(None))
_AMONG = _d.id.in_(bindparam("among", expanding=True))
_OPEN_DOCUMENTS = select(_d.id, _d.batch_id, _d.type, _d.tags, _d.kept_to).where(*_IS_OPEN)
_OPEN_VALUES = (
    select(_v.document_id, _v.field, _v.data).join(t.batch_document, _d.id == _v.document_id).where(*_IS_OPEN)
)


def _load_open(c: Connection, batches: Sequence[str], among: Collection[str] | None = None) -> _Opened:
    """Return the documents of these batches, not filed yet (``among`` these alone), and their values."""
    asked: dict[str, Any] = {"batches": list(batches)}
    narrow: tuple[ColumnElement[bool], ...] = ()
    if among is not None:
        asked["among"], narrow = list(among), (_AMONG,)
    values: dict[str, dict[str, FieldValue]] = {}
    for row in c.execute(_OPEN_VALUES.where(*narrow), asked):
        values.setdefault(row.document_id, {})[row.field] = FieldValue.from_json(row.data)
    return _Opened(c.execute(_OPEN_DOCUMENTS.where(*narrow), asked).all(), values)


def _find_open(session: Session, opened: _Opened, query: Query, kept: frozenset[str]) -> dict[str, str]:
    """Return the documents of open batches, not filed yet, that meet all conditions, each with its batch."""
    workspace = session.workspace
    return {
        row.id: row.batch_id
        for row in opened.rows
        if row.id not in kept
        and all(_meets_open(workspace, x, row.type, row.tags, opened.values.get(row.id, {})) for x in query.conditions)
    }


def _meets_open(
    workspace: Workspace, condition: Condition, type_name: str | None, tags: Sequence[str],
    values: Mapping[str, FieldValue],
) -> bool:  # fmt: skip
    kind = workspace.setup.document_type(type_name)
    if condition.field == "type":
        return kind is not None and kind.id in condition.names
    if condition.field == "tag":
        return meets(condition, tags)
    if kind is None or condition.field == "filed":
        return False
    if condition.field == "cabinet":
        return kind.cabinet in condition.names
    fields = {field for of, field in condition.fields if of in (None, kind.id)}
    if not values:
        return False
    if own := fields & set(values):
        return any(meets(condition, values[field].items) for field in own)
    cabinet = workspace.setup.cabinet(kind.cabinet)
    if cabinet is None or not fields & set(cabinet.levels):
        return False
    levels = compute_destination(kind, workspace.setup, values).folder
    return meets(condition, [value for level, value in levels if level in fields and value])


def _pages_of(c: Connection, documents: Mapping[str, str]) -> list[str]:
    p = t.page.c
    chosen = select(p.id).where(p.document_id.in_(list(documents)))
    return list(c.execute(chosen).scalars())


def _with_waiting(counted: Iterable[tuple[str, int]], waiting: Iterable[str]) -> tuple[tuple[str, int], ...]:
    """Return counts of what is filed with what waits added, the most first."""
    sums = Counter(dict(counted))
    sums.update(name for name in waiting if name)
    return tuple(sums.most_common())


def _filed(document: FiledDocument, snippet: str) -> FoundDocument:
    folder = tuple(value for _, value in document.folder)
    return FoundDocument(
        document.id, document.caption, document.cabinet, folder, document.type, dict(document.values), snippet, True,
        None, document.filed_at, document.tags,
    )  # fmt: skip


def _waiting(
    session: Session, batch_id: BatchId, document_id: DocumentId | None, ref: str, snippet: str
) -> FoundDocument:
    kind, values, routine, begun_on = "", {}, "", ""
    workspace, own = session.workspace, session.batch(batch_id)
    batch = own.load_document(DocumentId(document_id)) if document_id else own.load_around(PageId(ref))
    if batch is not None:
        routine, begun_on = name_of(workspace.setup.routines, batch.routine), local_day(workspace, batch.created_at)
    if batch is not None and document_id:
        document = batch.document(document_id)
        kind = name_of(workspace.setup.document_types, document.type)
        values = name_values(workspace.setup, document.type, "", document.values)
    caption = message("find.not-filed-yet", what=kind or message("find.page"))
    return FoundDocument(
        document_id or ref, caption, "", (), kind, values, snippet, False, batch_id, routine=routine, begun_on=begun_on
    )  # fmt: skip


@needs(Right.LOOK)
def count_unread(session: Session) -> int:
    """Return how many pages are still to be read, before or after they have a place, of batches that somebody may see."""
    p, own = t.page.c, session.batches()
    chosen = select(func.count()).where(t.IN_WORK, func.coalesce(p.disposition, "") != LEFT_OUT)
    if own:
        chosen = chosen.where(p.batch_id.in_(select(t.batch.c.id).where(t.batch.c.closed_at.is_(None), *own)))
    with session.workspace.place.database.read() as c:
        return int(c.execute(chosen).scalar() or 0)


def words_on(text: PageText, query: Query) -> list[tuple[int, int, int, int]]:
    """Return the boxes, in px of the upright picture, of a page's words that answer a query."""
    wanted = [w.casefold() for w in (*query.words, *(w for p in query.phrases for w in p.split()))]
    return [w.box for w in text.words if any(w.text.casefold().strip(".,;:()“”\"'").startswith(x) for x in wanted)]
