"""What an operator does to a batch: each a plain function from batch to batch.

None of them touches a filed document: ``take back`` comes first. Pages that are left out keep their place.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.batches.model import KEPT, LEFT_OUT, Batch, Document, Page
from keybundle.core.fields.values import FieldValue
from keybundle.core.separation.cut import BY_HAND


def guard(batch: Batch, document_id: str | None) -> None:
    """Raise InputProblem when the document is filed or being filed."""
    document = batch.document(document_id) if document_id is not None else None
    if document is not None and document.filed_id:
        raise InputProblem(message("commands.document-filed-take-back-from"))
    if document is not None and document.claim:
        raise InputProblem(message("commands.document-being-filed-just-now"))


def with_changes(
    batch: Batch, pages: dict[str, Page] | None = None, documents: dict[str, Document] | None = None
) -> Batch:
    """Return the batch with these pages and documents in place of the old ones; documents without pages go."""
    changed = pages or {}
    merged = {**batch.documents, **(documents or {})}
    new_pages = tuple(changed.get(p.id, p) for p in batch.pages)
    used = {p.document_id for p in new_pages}
    return replace(batch, pages=new_pages, documents={k: d for k, d in merged.items() if k in used})


def break_at(batch: Batch, page_id: str, new_id: str) -> Batch:
    """Start a new document at a kept page; the pages after it in its document go along.

    A page that has no place yet will start one when it gets its place.
    """
    page = batch.page(page_id)
    guard(batch, page.document_id)
    if page.disposition is None:
        return with_changes(batch, {page_id: replace(page, hand_break=True)})
    if not page.kept or page.document_id is None:
        raise InputProblem(message("commands.left-out-page-cannot-start"))
    pages = batch.pages_of(page.document_id)
    here = [p.id for p in pages].index(page_id)
    if here == 0:
        raise InputProblem(message("commands.document-already-starts-page"))
    moved = {p.id: replace(p, document_id=new_id) for p in pages[here:]}
    old = batch.documents[page.document_id]
    return with_changes(batch, moved, {new_id: Document(new_id, BY_HAND), old.id: old})


def join_up(batch: Batch, page_id: str) -> Batch:
    """Take away the break before the page's document: its pages join the document before it.

    A page that has no place yet will join the document before it when it gets its place.
    """
    page = batch.page(page_id)
    if page.disposition is None:
        return with_changes(batch, {page_id: replace(page, hand_break=False)})
    order = [d.id for d in batch.in_order()]
    if page.document_id is None:
        raise InputProblem(message("commands.left-out-page-no-break"))
    here = order.index(page.document_id)
    if here == 0:
        raise InputProblem(message("commands.first-document-none-before-join"))
    before = order[here - 1]
    guard(batch, page.document_id)
    guard(batch, before)
    return with_changes(batch, {p.id: replace(p, document_id=before) for p in batch.pages_of(page.document_id)})


def leave_out(batch: Batch, page_ids: Sequence[str], reason: str = BY_HAND) -> Batch:
    """Keep pages out of every document; a document without pages goes away."""
    changed = {}
    for page_id in page_ids:
        page = batch.page(page_id)
        guard(batch, page.document_id)
        changed[page_id] = replace(page, disposition=LEFT_OUT, reason=reason, note=None, document_id=None)
    return with_changes(batch, changed)


def take_back(batch: Batch, page_ids: Sequence[str], new_id: str) -> Batch:
    """Put left-out pages into the document before them, else the one after, else a new one.

    What separation has not decided about yet is kept when it gets its place.
    """
    for page_id in page_ids:
        page = batch.page(page_id)
        if page.kept:
            continue
        if not page.cut:
            waits = replace(page, disposition=None, reason=None, note=None, hand_kept=True)
            batch = with_changes(batch, {page_id: waits})
            continue
        target = _neighbour(batch, page_id) or new_id
        documents = {} if target in batch.documents else {target: Document(target, BY_HAND)}
        kept = replace(page, disposition=KEPT, reason=None, note=None, document_id=target)
        batch = with_changes(batch, {page_id: kept}, documents)
    return batch


def _neighbour(batch: Batch, page_id: str) -> str | None:
    here = [p.id for p in batch.pages].index(page_id)
    before = [p.document_id for p in batch.pages[:here] if p.document_id]
    after = [p.document_id for p in batch.pages[here + 1 :] if p.document_id]
    for found in (before[-1:], after[:1]):
        if found and batch.documents[found[0]].is_open_for_pages:
            return found[0]
    return None


def turn(batch: Batch, page_ids: Sequence[str], degrees: int) -> Batch:
    """Turn pages clockwise by a multiple of 90 degrees."""
    changed = {}
    for page_id in page_ids:
        page = batch.page(page_id)
        guard(batch, page.document_id)
        if page.kind.is_native:
            raise InputProblem(message("commands.native-not-turned", source=page.source))
        changed[page_id] = replace(page, turn=(page.turn + degrees) % 360)
    return with_changes(batch, changed)


def move(batch: Batch, page_id: str, offset: int) -> Batch:
    """Move a kept page by one place among the pages of its own document (``offset`` -1 or 1)."""
    page = batch.page(page_id)
    guard(batch, page.document_id)
    own = [p.id for p in batch.pages_of(page.document_id)] if page.document_id else []
    there = own.index(page_id) + offset if page_id in own else -1
    if not 0 <= there < len(own):
        raise InputProblem(message("commands.page-already-end-document-move"))
    order = [p.id for p in batch.pages]
    i, j = order.index(page_id), order.index(own[there])
    pages = list(batch.pages)
    pages.insert(j, pages.pop(i))
    return replace(batch, pages=tuple(pages))


def move_to_neighbour(batch: Batch, page_id: str, direction: int) -> Batch:
    """Give a page to the document before (-1: as its last page) or after (1: as its first page)."""
    page = batch.page(page_id)
    guard(batch, page.document_id)
    order = [d.id for d in batch.in_order()]
    if page.document_id is None:
        raise InputProblem(message("commands.left-out-page-belongs-no"))
    there = order.index(page.document_id) + direction
    if not 0 <= there < len(order):
        raise InputProblem(message("commands.no-document-side"))
    guard(batch, order[there])
    rest = [p for p in batch.pages if p.id != page_id]
    ids = [p.document_id for p in rest]
    target = order[there]
    first, last = ids.index(target), len(ids) - 1 - ids[::-1].index(target)
    rest.insert(last + 1 if direction < 0 else first, replace(page, document_id=target))
    return with_changes(replace(batch, pages=tuple(rest)))


def keep_to(batch: Batch, document_id: str, kept_to: str | None) -> Batch:
    """Let a document be kept to a list of its own once it is filed (its JSON; None: what its folder has)."""
    guard(batch, document_id)
    return with_changes(batch, documents={document_id: replace(batch.document(document_id), kept_to=kept_to)})


def set_aside(batch: Batch, document_id: str, reason: str) -> Batch:
    """Park a document with a reason."""
    guard(batch, document_id)
    if not reason.strip():
        raise InputProblem(message("commands.say-why-document-set-aside"))
    return with_changes(batch, documents={document_id: replace(batch.document(document_id), parked=reason.strip())})


def bring_back(batch: Batch, document_id: str) -> Batch:
    """Take a document out of the parking."""
    guard(batch, document_id)
    return with_changes(batch, documents={document_id: replace(batch.document(document_id), parked=None)})


def set_type(batch: Batch, document_id: str, type_name: str, fields: Collection[str]) -> Batch:
    """Give a document its type by hand; values given by hand stay where the type has the field, others go."""
    guard(batch, document_id)
    document = batch.document(document_id)
    by_hand = {k: v for k, v in document.values.items() if v.confirmed_by and k in fields}
    changed = replace(
        document, type=type_name, type_confidence=1.0, type_origin="typed", proposed=False, values=by_hand,
        type_because=None, type_rival=document.type if document.type != type_name else document.type_rival,
    )  # fmt: skip
    return with_changes(batch, documents={document_id: changed})


def confirm_type(batch: Batch, document_id: str) -> Batch:
    """Let a proposed type stand as if it was chosen by hand; its values stay."""
    guard(batch, document_id)
    document = batch.document(document_id)
    changed = replace(document, type_confidence=1.0, type_origin="typed")
    return with_changes(batch, documents={document_id: changed})


def set_values(batch: Batch, document_id: str, values: dict[str, FieldValue | None]) -> Batch:
    """Give a document values; None takes one away (a value that a person empties stays, empty and confirmed)."""
    guard(batch, document_id)
    document = batch.document(document_id)
    merged = {**document.values, **values}
    kept = {k: v for k, v in merged.items() if v is not None}
    return with_changes(batch, documents={document_id: replace(document, values=kept)})
