"""A command as its difference: rows that differ, with both sides of each column; written, and applied again.

Entries: ``["order", before, after]``, ``["page", id, {column: [before, after]}]``, ``["document", id, {column: [before,
after]}, was there, is there]``, ``["value", [document, field], [before, after]]``, and those of ``transfer``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, delete, insert, update

from keybundle.core.batches.model import KEPT, Batch, Document, Page, State
from keybundle.core.batches.rows import DOCUMENT_STEP, PAGE_STEP
from keybundle.core.fields.values import FieldValue
from keybundle.core.separation.cut import BY_HAND
from keybundle.core.store import schema as t

Delta = list[list[Any]]


def _columns(before: Any, after: Any, names: tuple[str, ...]) -> dict[str, list[Any]]:
    pairs = ((n, getattr(before, n), getattr(after, n)) for n in names)
    return {n: [b, a] for n, b, a in pairs if b != a}


def diff(before: Batch, after: Batch) -> Delta:
    """Return what differs between two states of a batch; documents that come stand before all, those that go last."""
    delta: Delta = []
    old_pages = {p.id: p for p in before.pages}
    orders = [p.id for p in before.pages], [p.id for p in after.pages]
    if orders[0] != orders[1]:
        delta.append(["order", *orders])
    for page in after.pages:
        if change := _columns(old_pages[page.id], page, PAGE_STEP):
            delta.append(["page", page.id, change])
    for document_id in {**before.documents, **after.documents}:
        old, new = before.documents.get(document_id), after.documents.get(document_id)
        if old is None or new is None:
            whole = {n: [getattr(old, n, None), getattr(new, n, None)] for n in DOCUMENT_STEP}
            delta.append(["document", document_id, whole, old is not None, new is not None])
        elif change := _columns(old, new, DOCUMENT_STEP):
            delta.append(["document", document_id, change, True, True])
        old_values, new_values = (dict(d.values) if d else {} for d in (old, new))
        for name in {**old_values, **new_values}:
            if old_values.get(name) != new_values.get(name):
                pair = [v.to_json() if v else None for v in (old_values.get(name), new_values.get(name))]
                delta.append(["value", [document_id, name], pair])
    return delta


def write(c: Connection, batch_id: str, delta: Delta) -> None:
    """Write the later side of a difference."""
    for entry in (d for d in delta if d[0] == "document" and d[4]):
        values = {n: p[1] for n, p in entry[2].items()}
        if entry[3]:
            c.execute(update(t.batch_document).where(t.batch_document.c.id == entry[1]).values(values))
        else:
            insert_document(c, batch_id, entry[1], values)
    for entry in delta:
        if entry[0] == "page":
            c.execute(update(t.page).where(t.page.c.id == entry[1]).values({n: p[1] for n, p in entry[2].items()}))
        elif entry[0] == "order":
            _write_order(c, batch_id, entry[2])
        elif entry[0] == "value":
            _write_value(c, entry[1], entry[2][1])
    for entry in (d for d in delta if d[0] == "document" and not d[4]):
        c.execute(delete(t.batch_value).where(t.batch_value.c.document_id == entry[1]))
        c.execute(delete(t.batch_document).where(t.batch_document.c.id == entry[1]))


def insert_document(c: Connection, batch_id: str, document_id: str, values: Mapping[str, Any]) -> None:
    """Add a document to a batch."""
    row = {"tags": [], "proposed": False, "state": State.READING.value, "revision": 0, "trouble": "", **values}
    c.execute(insert(t.batch_document).values(id=document_id, batch_id=batch_id, **row))


def _write_order(c: Connection, batch_id: str, order: Sequence[str]) -> None:
    of_batch = t.page.c.batch_id == batch_id
    rows = c.execute(t.page.select().with_only_columns(t.page.c.id, t.page.c.position).where(of_batch)).all()
    now = {row.id: row.position for row in rows}
    places = sorted(now[x] for x in order)
    for page_id, position in zip(order, places, strict=True):
        if now[page_id] != position:
            c.execute(update(t.page).where(t.page.c.id == page_id).values(position=position))


def _write_value(c: Connection, key: Sequence[str], data: Mapping[str, Any] | None) -> None:
    table = t.batch_value
    c.execute(delete(table).where(table.c.document_id == key[0], table.c.field == key[1]))
    if data is not None:
        c.execute(insert(table).values(document_id=key[0], field=key[1], data=data))


def touched_documents(before: Batch, after: Batch, delta: Delta) -> set[str]:
    """Return the documents whose values, pages or columns a difference changes."""
    found: set[str] = set()
    pages: set[str] = set()
    for entry in delta:
        if entry[0] == "document":
            found.add(entry[1])
        elif entry[0] == "value":
            found.add(entry[1][0])
        elif entry[0] == "page":
            pages.add(entry[1])
        elif entry[0] == "order":
            pages |= _moved(before, after)
    for batch in (before, after):
        found |= {str(p.document_id) for p in batch.pages if p.id in pages and p.document_id}
    return found


def _moved(before: Batch, after: Batch) -> set[str]:
    """Return the pages of the documents whose own pages stand in another order than before."""
    old, new = before.pages_by_document(), after.pages_by_document()
    changed = {k for k, own in old.items() if [p.id for p in own] != [p.id for p in new.get(k, [])]}
    return {p.id for k in changed for p in (*old[k], *new.get(k, []))}


def touched_things(delta: Delta) -> set[tuple[str, ...]]:
    """Return the pages, documents and fields that a difference is about: hands collide only on the same ones."""
    found: set[tuple[str, ...]] = set()
    for entry in delta:
        if entry[0] == "value":
            found.add(("value", *entry[1]))
        elif entry[0] == "page":
            found.add(("page", entry[1]))
        elif entry[0] == "document" and not set(entry[2]) <= {"proposed"}:
            found.add(("document", entry[1]))
    return found


def changes_pages(delta: Delta) -> bool:
    """Whether a difference is about pages: their order, what becomes of them, or which documents there are."""
    return any(d[0] not in ("value", "document") or (d[0] == "document" and not (d[3] and d[4])) for d in delta)


def reapply(batch: Batch, delta: Delta, pick: int, new_id: Callable[[], str], came: Iterable[str] = ()) -> Batch:
    """Return the batch as it is now with a difference taken back (``pick`` 0) or done again (1).

    What came in between stays: pages that joined a document which goes now follow the pages of the step, a page that
    is gone is passed over, and what separation has placed meanwhile keeps a place. ``came`` are pages that the step
    itself brings (back) into this batch.
    """
    documents = dict(batch.documents)
    going: set[str] = set()
    for entry in (d for d in delta if d[0] == "document"):
        columns: dict[str, Any] = {n: p[pick] for n, p in entry[2].items()}
        if columns.get("tags") is not None:
            columns["tags"] = tuple(columns["tags"])
        here = documents.get(entry[1])
        if not entry[3 + pick]:
            going.add(entry[1])
        elif here is None:
            documents[entry[1]] = Document(entry[1], **columns)
        elif entry[3 + (1 - pick)]:
            documents[entry[1]] = replace(here, **columns)
    forced, pages, homes = set(came), {p.id: p for p in batch.pages}, dict[str, str]()
    for entry in (d for d in delta if d[0] == "page" and d[1] in pages):
        page = pages[entry[1]]
        changes = {n: p[pick] for n, p in entry[2].items() if page.id in forced or getattr(page, n) == p[1 - pick]}
        if page.document_id in going and changes.get("document_id") in documents:
            homes[str(page.document_id)] = str(changes["document_id"])
        pages[page.id] = replace(page, **changes)
    moved = {d[1] for d in delta if d[0] == "page"}
    for page in (pages[i] for i in forced if i in pages):
        if page.document_id in documents and documents[page.document_id].is_shut:
            pages[page.id] = replace(page, document_id=None)
    settled = _find_homes([pages[i] for i in _reorder(batch, delta, pick)], documents, homes, moved, new_id)
    used = {p.document_id for p in settled}
    documents = {k: d for k, d in documents.items() if k in used}
    for entry in (d for d in delta if d[0] == "value" and d[1][0] in documents):
        document, data = documents[entry[1][0]], entry[2][pick]
        values = {k: v for k, v in document.values.items() if k != entry[1][1]}
        values |= {entry[1][1]: FieldValue.from_json(data)} if data is not None else {}
        documents[document.id] = replace(document, values=values)
    return replace(batch, pages=tuple(settled), documents=documents)


def _reorder(batch: Batch, delta: Delta, pick: int) -> list[str]:
    """Return the pages' order with that of the step; pages it does not know keep their places among them."""
    order = [p.id for p in batch.pages]
    for entry in (d for d in delta if d[0] == "order"):
        wanted = iter([i for i in entry[1 + pick] if i in set(order)])
        known = set(entry[1 + pick])
        order = [next(wanted) if i in known else i for i in order]
    return order


def _find_homes(
    pages: Sequence[Page], documents: dict[str, Document], homes: Mapping[str, str], moved: set[str],
    new_id: Callable[[], str],
) -> list[Page]:  # fmt: skip
    """Return the pages with a document for each kept one, and none torn out of the middle of another document.

    ``homes`` tells where the pages of a document go that the step takes away; ``moved`` are the step's own pages.
    """
    found: list[Page] = []
    seen: set[str] = set()
    before: str | None = None
    for number, page in enumerate(pages):
        home = homes.get(page.document_id or "", page.document_id)
        is_lost = page.disposition is None and page.cut
        if is_lost or (page.kept and home not in documents):
            near = (before, next((p.document_id for p in pages[number + 1 :] if p.document_id in documents), None))
            home = next((d for d in near if d is not None and documents[d].is_open_for_pages), None)
            if home is None:
                home = new_id()
                documents[home] = Document(home, BY_HAND)
            page = replace(page, disposition=KEPT, reason=None)
        elif page.kept and home is not None and before is not None and home != before and home in seen:
            # The pages around it went to another document with the step: it follows the one before it.
            stays = page.id in moved or documents[home].is_shut or documents[before].is_shut
            home = home if stays else before
        page = replace(page, document_id=home if page.kept else None)
        if page.kept and home is not None:
            before = home
            seen.add(home)
        found.append(page)
    return found
