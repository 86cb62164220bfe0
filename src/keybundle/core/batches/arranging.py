"""Arranging many pages at once: plain functions from batch to batch. None of them touches a filed document."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import groupby

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.batches.commands import guard, with_changes
from keybundle.core.batches.model import KEPT, LEFT_OUT, Batch, Document, Page
from keybundle.core.separation.cut import BY_HAND

NewId = Callable[[], str]


def move_pages(batch: Batch, page_ids: Sequence[str], target: str, *, after: bool = False) -> Batch:
    """Put pages, in their present order, before the target page (or after it) and into its document.

    Left-out pages move and stay left out; pages that had no place yet have one now.
    """
    chosen = [p for p in batch.pages if p.id in set(page_ids)]
    place = batch.page(target)
    if target in page_ids:
        raise InputProblem(message("arranging.pages-cannot-put-beside-themselves"))
    if place.document_id is None:
        raise InputProblem(message("arranging.pages-cannot-put-beside-left"))
    for page in (*chosen, place):
        guard(batch, page.document_id)
    moved = [
        p if p.disposition == LEFT_OUT else replace(p, document_id=place.document_id, disposition=KEPT) for p in chosen
    ]
    rest = [p for p in batch.pages if p.id not in set(page_ids)]
    at = [p.id for p in rest].index(target) + (1 if after else 0)
    return with_changes(replace(batch, pages=(*rest[:at], *moved, *rest[at:])))


def split_each(batch: Batch, page_ids: Sequence[str], new_id: NewId) -> Batch:
    """Make each of these pages a document of its own; what follows them in their document becomes one too."""
    chosen = set(page_ids)
    changed: dict[str, Page] = {}
    documents: dict[str, Document] = {}
    for document in batch.in_order():
        pages = batch.pages_of(document.id)
        if not any(p.id in chosen for p in pages):
            continue
        guard(batch, document.id)
        current = document.id
        for i, page in enumerate(pages):
            if i and (page.id in chosen or pages[i - 1].id in chosen):
                current = new_id()
                documents[current] = Document(current, BY_HAND)
            changed[page.id] = replace(page, document_id=current)
    if not documents:
        raise InputProblem(message("arranging.nothing-split-each-these-pages"))
    return with_changes(batch, changed, documents)


def join_documents(batch: Batch, page_ids: Sequence[str]) -> Batch:
    """Join the documents of these pages, wherever they lie, into the first of them."""
    wanted = [d.id for d in batch.in_order() if any(p.id in set(page_ids) for p in batch.pages_of(d.id))]
    if len(wanted) < 2:
        raise InputProblem(message("arranging.choose-pages-two-or-more"))
    for document_id in wanted:
        guard(batch, document_id)
    first, others = wanted[0], set(wanted[1:])
    moved = [replace(p, document_id=first) for p in batch.pages if p.document_id in others]
    rest = [p for p in batch.pages if p.document_id not in others]
    end = max(i for i, p in enumerate(rest) if p.document_id == first) + 1
    return with_changes(replace(batch, pages=(*rest[:end], *moved, *rest[end:])))


def reverse(batch: Batch, page_ids: Sequence[str]) -> Batch:
    """Turn the order of these pages round: whole documents, or pages of one document."""
    chosen = set(page_ids)
    for page in batch.pages:
        if page.id in chosen:
            guard(batch, page.document_id)
    turned = iter([p for p in reversed(batch.pages) if p.id in chosen])
    pages = tuple(next(turned) if p.id in chosen else p for p in batch.pages)
    runs = [key for key, _ in groupby(p.document_id for p in pages if p.document_id)]
    if len(runs) != len(set(runs)):
        raise InputProblem(message("arranging.choose-whole-documents-or-pages"))
    return with_changes(replace(batch, pages=pages))


def _refuse_unplaced(pages: Sequence[Page]) -> None:
    if any(p.disposition is None for p in pages):
        raise InputProblem(message("arranging.some-these-sides-still-being"))


def interleave(batch: Batch, page_ids: Sequence[str]) -> Batch:
    """Put backs behind their fronts: the first half are fronts in order, the second half backs from last to first.

    That is how a two-sided stack comes out of a one-sided feeder when it is turned over as a whole. Each back goes to
    its front's document and counts as the back of its sheet.
    """
    chosen = set(page_ids)
    pages = [p for p in batch.pages if p.id in chosen]
    _refuse_unplaced(pages)
    if len(pages) < 2 or len(pages) % 2:
        raise InputProblem(message("arranging.fronts-backs-must-many-these", n=len(pages)))
    for page in pages:
        guard(batch, page.document_id)
    half = len(pages) // 2
    mixed: list[Page] = []
    for front, back in zip(pages[:half], reversed(pages[half:]), strict=True):
        document = front.document_id if back.kept else None
        if back.kept and document is None:
            raise InputProblem(message("arranging.front-left-out-back-not"))
        mixed += [replace(front, side="front"), replace(back, side="back", sheet=front.sheet, document_id=document)]
    turned = iter(mixed)
    return with_changes(replace(batch, pages=tuple(next(turned) if p.id in chosen else p for p in batch.pages)))


def shift_breaks(batch: Batch, by: int) -> Batch:
    """Move every break by one kept page, towards the end (``by`` 1) or the front (-1)."""
    kept = [p for p in batch.pages if p.kept]
    for document in batch.in_order():
        guard(batch, document.id)
    starts = {i: str(p.document_id) for i, p in enumerate(kept) if i == 0 or p.document_id != kept[i - 1].document_id}
    moved: dict[int, str] = {0: starts[0]} if kept else {}
    for i, document_id in starts.items():
        if i and 0 < i + by < len(kept):
            moved[i + by] = document_id
    if set(moved) == set(starts):
        raise InputProblem(message("arranging.no-break-can-moved-further"))
    changed, current = {}, ""
    for i, page in enumerate(kept):
        current = moved.get(i, current)
        changed[page.id] = replace(page, document_id=current)
    return with_changes(batch, changed)
