"""Browsing cabinets: path columns, document lists, one document with its pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection

from keybundle.core.base.boxes import Box
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.base.sorting import sort_key
from keybundle.core.fields.kinds import Kept
from keybundle.core.finding import documents
from keybundle.core.finding.columns import MOST_ENTRIES, count_in, load_column
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.reading.text import PageText
from keybundle.core.repository.access import View
from keybundle.core.repository.folder_values import list_given, tags_of_folders
from keybundle.core.repository.folders import nearest_list
from keybundle.core.repository.model import ColumnEntry, FiledDocument
from keybundle.core.repository.paths import split_path
from keybundle.core.rights.model import Right
from keybundle.core.search.query import Query
from keybundle.core.setup.model import FolderField, Setup, name_of
from keybundle.core.workflows.find.find import words_on
from keybundle.core.workflows.keep.folders.giving_values import fields_of
from keybundle.core.workflows.session.naming import all_in_names, in_names
from keybundle.core.workflows.session.session import Session, needs

PAGE, MOST_SORTED, MOST_CHOSEN = 200, 20_000, 200_000
Page = documents.Page


@dataclass(frozen=True)
class Sorted:
    """Documents of a list in an order that was asked for; ``is_cut`` where there were more than can be sorted."""

    ids: tuple[str, ...]
    is_cut: bool


@dataclass(frozen=True)
class CabinetRow:
    """A cabinet with its folder fields and its number of documents."""

    id: str
    name: str
    description: str
    levels: tuple[FolderField, ...]
    documents: int


@dataclass(frozen=True)
class Column:
    """A path column: its field by id and by name, its first values with counts, the chosen one, whether there are more.

    ``tags`` and ``gives`` (field and value in words) are those of its folders themselves, by their values.
    """

    field: str
    label: str
    entries: tuple[ColumnEntry, ...]
    chosen: str | None
    is_more: bool = False
    tags: tuple[tuple[str, tuple[str, ...]], ...] = ()
    gives: tuple[tuple[str, tuple[str, ...]], ...] = ()


@needs(Right.LOOK)
def list_cabinets(session: Session) -> list[CabinetRow]:
    """Return all cabinets."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        view = session.view(c)
        counts = {kept.id: count_in(c, kept.id, view=view) for kept in workspace.setup.cabinets}
        lists = {kept.id: nearest_list(c, kept.id, ()) for kept in workspace.setup.cabinets}
    hidden = {i for i, nearest in lists.items() if nearest is not None and nearest.id in view.hidden}
    return [
        CabinetRow(kept.id, kept.name, kept.description, kept.folder_fields, counts[kept.id])
        for kept in workspace.setup.cabinets
        if counts[kept.id] or kept.id not in hidden
    ]


@dataclass(frozen=True)
class Browsed:
    """Path columns, how many documents lie below all choices, and the newest of these; ``after`` asks for the next ones."""

    columns: tuple[Column, ...]
    total: int
    documents: tuple[str, ...]
    after: int | None


@needs(Right.LOOK)
def load_columns(
    session: Session,
    cabinet: str,
    order: Sequence[str],
    chosen: Mapping[str, str],
    typed: Mapping[str, str] | None = None,
) -> Browsed:
    """Return the path columns in this order, each among the choices left of it, and the first documents below all choices.

    Cabinet and fields are told by id; ``typed`` is what a column's values must hold.
    """
    workspace, typed = session.workspace, typed or {}
    known_cabinet = workspace.setup.cabinet(cabinet)
    levels = known_cabinet.folder_fields if known_cabinet is not None else ()
    columns: list[Column] = []
    narrowed: dict[str, str] = {}
    with workspace.place.database.read() as c:
        view = session.view(c)
        tagged, given = tags_of_folders(c, cabinet, view), _given(c, workspace.setup, cabinet, view)
        for name in order:
            entries = load_column(c, cabinet, name, narrowed, typed=typed.get(name, ""), view=view)
            choice = chosen.get(name)
            is_there = choice in {e.value for e in entries}  # a folder that was made in advance may be empty
            if choice is not None and not is_there and not count_in(c, cabinet, {**narrowed, name: choice}, view=view):
                choice = None
            above = [chosen.get(level.id) for level in levels[: [x.id for x in levels].index(name)]]
            own, gives = (_just_below(x, above) if None not in above else () for x in (tagged, given))
            is_more = len(entries) >= MOST_ENTRIES
            columns.append(Column(name, name_of(levels, name), tuple(entries), choice, is_more, own, gives))
            if choice is not None:
                narrowed[name] = choice
        found = documents.load_page(c, DocumentQuery(view, cabinet, narrowed), PAGE)
        total = count_in(c, cabinet, narrowed, view=view)
    return Browsed(tuple(columns), total, found.ids, found.after)


def _given(c: Connection, setup: Setup, cabinet: str, view: View) -> dict[str, tuple[str, ...]]:
    """Return what the folders of a cabinet give, as field and value in words, by their paths."""
    specs, found = fields_of(setup, cabinet), dict[str, tuple[str, ...]]()
    for row in list_given(c, cabinet, view):
        if row.field in specs:
            found[row.path] = (*found.get(row.path, ()), f"{specs[row.field].name}: {row.value}")
    return found


def _just_below(
    told: Mapping[str, tuple[str, ...]], above: Sequence[str | None]
) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Return what is told of the folders just below a path, by their values."""
    begin = [value or "" for value in above]
    paths = {split_path(path): words for path, words in told.items() if path}
    return tuple((p[-1], words) for p, words in paths.items() if len(p) == len(begin) + 1 and list(p[:-1]) == begin)


@needs(Right.LOOK)
def load_more(session: Session, cabinet: str, chosen: Mapping[str, str], after: int) -> Page:
    """Return the documents below the choices that follow the last one shown."""
    with session.workspace.place.database.read() as c:
        return documents.load_page(c, DocumentQuery(session.view(c), cabinet, dict(chosen)), PAGE, after)


@needs(Right.LOOK)
def list_all(session: Session, cabinet: str, chosen: Mapping[str, str]) -> tuple[str, ...]:
    """Return all documents below the choices, the newest first, at most ``MOST_CHOSEN``."""
    with session.workspace.place.database.read() as c:
        return tuple(documents.list_ids(c, DocumentQuery(session.view(c), cabinet, dict(chosen)), MOST_CHOSEN))


@needs(Right.LOOK)
def load_sorted(session: Session, cabinet: str, chosen: Mapping[str, str], head: str, *, descending: bool) -> Sorted:
    """Return the documents below the choices by what they have in a column, those that have nothing there last.

    ``head`` is ``caption``, ``type``, ``tag``, or the name of a field after ``field ``. Of very many the newest are sorted.
    """
    setup = session.workspace.setup
    by, _, name = head.partition(" ")
    fields = [f.id for k in setup.document_types if k.cabinet == cabinet for f in k.fields if f.name == name]
    with session.workspace.place.database.read() as c:
        query = DocumentQuery(session.view(c), cabinet, dict(chosen))
        ids = documents.list_ids(c, query, MOST_SORTED + 1)
        texts = documents.texts_of(c, ids[:MOST_SORTED], "value" if by == "field" else by, fields)
    if by == "type":
        texts = {i: (name_of(setup.document_types, told), number) for i, (told, number) in texts.items()}
    shown = ids[:MOST_SORTED]
    known = [i for i in shown if i in texts]
    as_numbers = all(number is not None for _, number in texts.values())
    keys: dict[str, Any] = {
        i: number if as_numbers else sort_key(told, setup.locale) for i, (told, number) in texts.items()
    }
    known.sort(key=lambda i: keys[i], reverse=descending)
    return Sorted((*known, *(i for i in shown if i not in texts)), len(ids) > MOST_SORTED)


@needs(Right.LOOK)
def load_rows(session: Session, document_ids: Sequence[FiledId]) -> dict[str, FiledDocument]:
    """Return documents for a list, without their pages, told by names."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        found = session.documents(c, document_ids)
    return all_in_names(workspace.setup, found)


@needs(Right.LOOK)
def values_given(session: Session, cabinet: str, chosen: Mapping[str, str]) -> dict[str, str]:
    """Return the chosen column values that a document of the cabinet can take over: those that are asked on its slip."""
    workspace = session.workspace
    asked = {f.name for t in workspace.setup.document_types if t.cabinet == cabinet for f in t.fields}
    known = workspace.setup.cabinet(cabinet)
    levels = known.folder_fields if known is not None else ()
    named = {name_of(levels, level): value for level, value in chosen.items()}
    return {name: Kept(value) for name, value in named.items() if name in asked}


@needs(Right.LOOK)
def load_document(session: Session, document_id: FiledId) -> FiledDocument:
    """Return a document with its pages, told by names."""
    return in_names(session.workspace.setup, session.document(document_id).load())


def marked_words(document: FiledDocument, position: int, query: Query) -> list[tuple[int, int, int, int]]:
    """Return the boxes, in px of the upright page, of the words on one page that answer a query."""
    return words_on(PageText.from_bytes(document.pages[position].text), query)


def list_marks(document: FiledDocument, query: Query) -> tuple[tuple[int, Box], ...]:
    """Return (page from 0, box in px of the upright page) of every word of a document that answers a query."""
    if not (query.words or query.phrases):
        return ()
    return tuple((i, box) for i in range(len(document.pages)) for box in marked_words(document, i, query))


@needs(Right.LOOK)
def document_fields(session: Session, cabinet: str) -> list[str]:
    """Return the fields of all types in a cabinet, required ones of most types first."""
    workspace = session.workspace
    counts: dict[str, int] = {}
    for kind in workspace.setup.document_types:
        if kind.cabinet == cabinet:
            for f in kind.fields:
                counts[f.name] = counts.get(f.name, 0) + (2 if f.required else 1)
    return sorted(counts, key=lambda name: -counts[name])
