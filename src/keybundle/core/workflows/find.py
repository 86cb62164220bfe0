"""Finding documents by any word or field, filed or still waiting."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from sqlalchemy import func, select

from keybundle.core.fields.values import FieldValue
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument
from keybundle.core.search import index
from keybundle.core.search.query import Query, parse_query
from keybundle.core.store import schema as t
from keybundle.core.workflows.workspace import Workspace

MARK_START, MARK_END = index.MARK_START, index.MARK_END


@dataclass(frozen=True)
class FoundDocument:
    """A hit as shown: for work not yet filed ``id`` is the batch's document and ``batch`` says where it lies."""

    id: str
    caption: str
    cabinet: str
    folder: tuple[str, ...]
    type: str
    values: dict[str, FieldValue]
    snippet: str
    is_filed: bool
    batch: str | None = None
    filed_at: str = ""
    tags: tuple[str, ...] = ()


@dataclass(frozen=True)
class Found:
    """The answer to a query, with counts by type, cabinet, month and tag among the hits shown."""

    said: str
    hits: tuple[FoundDocument, ...]
    unread_pages: int
    types: tuple[tuple[str, int], ...] = field(default=())
    cabinets: tuple[tuple[str, int], ...] = field(default=())
    months: tuple[tuple[str, int], ...] = field(default=())
    tags: tuple[tuple[str, int], ...] = field(default=())


def field_names(workspace: Workspace) -> list[str]:
    """Return all index and folder fields by name."""
    names = [f.name for kind in workspace.setup.document_types for f in kind.fields]
    names += [level for cabinet in workspace.setup.cabinets for level in cabinet.folder_fields]
    return sorted(dict.fromkeys(names))


def understand(workspace: Workspace, line: str) -> Query:
    """Return a query line as understood."""
    return parse_query(line, field_names(workspace))


def find(workspace: Workspace, line: str, *, limit: int = 200) -> Found:
    """Answer a query line."""
    query = understand(workspace, line)
    with workspace.place.database.read() as c:
        hits = index.search(c, query, limit=limit)
        waiting = index.find_waiting(c, [h.ref for h in hits if not h.is_filed])
    filed = workspace.repository.load_many([h.ref for h in hits if h.is_filed])
    found: list[FoundDocument] = []
    seen: set[str] = set()
    for hit in hits:
        if hit.is_filed and hit.ref in filed:
            found.append(_filed(filed[hit.ref], hit.snippet))
        elif hit.ref in waiting:
            batch_id, document_id = waiting[hit.ref]
            key = document_id or hit.ref
            if key not in seen:
                seen.add(key)
                found.append(_waiting(workspace, batch_id, document_id, hit))
    return Found(
        query.said(), tuple(found), count_unread(workspace), _counts(h.type for h in found),
        _counts(h.cabinet for h in found), tuple(sorted(Counter(h.filed_at[:7] for h in found if h.filed_at).items())),
        _counts(tag for h in found for tag in h.tags),
    )  # fmt: skip


def _counts(names: Iterable[str]) -> tuple[tuple[str, int], ...]:
    return tuple(Counter(n for n in names if n).most_common())


def _filed(document: FiledDocument, snippet: str) -> FoundDocument:
    folder = tuple(value for _, value in document.folder)
    return FoundDocument(
        document.id, document.caption, document.cabinet, folder, document.type, dict(document.values), snippet, True,
        None, document.filed_at, document.tags,
    )  # fmt: skip


def _waiting(workspace: Workspace, batch_id: str, document_id: str | None, hit: index.Hit) -> FoundDocument:
    kind, values = "", {}
    if document_id:
        document = workspace.batches.load_document(document_id).document(document_id)
        kind, values = document.type or "", dict(document.values)
    caption = f"{kind or 'Page'} not filed yet"
    return FoundDocument(document_id or hit.ref, caption, "", (), kind, values, hit.snippet, False, batch_id)


def count_unread(workspace: Workspace) -> int:
    """Return how many kept pages are still to be read."""

    p = t.page.c
    chosen = select(func.count()).where(p.disposition.is_not("left out"), p.text_rotation.is_(None), p.trouble == "")
    with workspace.place.database.read() as c:
        return int(c.execute(chosen).scalar() or 0)


def words_on(text: PageText, query: Query) -> list[tuple[int, int, int, int]]:
    """Return the boxes, in px of the upright picture, of a page's words that answer a query."""
    wanted = [w.casefold() for w in (*query.words, *(w for p in query.phrases for w in p.split()))]
    return [w.box for w in text.words if any(w.text.casefold().strip(".,;:()“”\"'").startswith(x) for x in wanted)]
