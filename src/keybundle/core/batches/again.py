"""Separating an open batch again after a rule changed, without losing what people did to it.

What stays: breaks, joins, left-out and taken-back pages and the order made by hand; documents that are filed, set
aside, or hold a type or values given by a person. Where a rule disagrees with these, it is told as a conflict.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import KEPT, LEFT_OUT, Batch, Document, Page
from keybundle.core.separation.cut import BY_HAND, CutState, place_sheet
from keybundle.core.separation.facts import Placing, SideFacts
from keybundle.core.setup.routines import Routine


@dataclass(frozen=True)
class Again:
    """A batch separated again, and where the rules and the operators disagree, as sentences."""

    batch: Batch
    conflicts: tuple[str, ...]


def mark_by_hand(before: Batch, after: Batch) -> Batch:
    """Note on each page where an operator's command changed a break or whether the page is kept."""
    starts = [_starts(before), _starts(after)]
    old = {p.id: p for p in before.pages}
    pages = []
    for page in after.pages:
        was = old[page.id]
        if page.disposition != was.disposition and page.disposition is not None:
            page = replace(page, hand_kept=page.kept)
        if page.kept and (page.id in starts[0]) != (page.id in starts[1]):
            page = replace(page, hand_break=page.id in starts[1])
        pages.append(page)
    return propose_anew(before, replace(after, pages=tuple(pages)))


def propose_anew(before: Batch, after: Batch) -> Batch:
    """Let documents that now start with another page be proposed anew, unless a person has worked on them."""
    led = {key: own[0].id for key, own in before.pages_by_document().items()}
    leads = {key: own[0].id for key, own in after.pages_by_document().items()}
    documents = {
        key: replace(d, proposed=False) if key in led and led[key] != leads.get(key) and not is_protected(d) else d
        for key, d in after.documents.items()
    }
    return replace(after, documents=documents)


def _starts(batch: Batch) -> set[str]:
    return {pages[0].id for pages in batch.pages_by_document().values()}


def sheets_of(pages: tuple[Page, ...] | list[Page], *, two_sided: bool) -> Iterator[list[Page]]:
    """Yield the sides of each sheet in the present order; a sheet whose sides were parted gives two."""
    i = 0
    while i < len(pages):
        first = pages[i]
        other = pages[i + 1] if two_sided and i + 1 < len(pages) else None
        pair = other is not None and other.sheet == first.sheet and {first.side, other.side} == {"front", "back"}
        yield list(pages[i : i + (2 if pair else 1)])
        i += 2 if pair else 1


def cut_batch(batch: Batch, routine: Routine, sides: Mapping[str, SideFacts]) -> dict[str, Placing]:
    """Return what the rules alone say about every side of a batch, in its present order."""
    two_sided = any(p.side == "back" for p in batch.pages)
    state, found = CutState(), {}
    for sheet in sheets_of(batch.pages, two_sided=two_sided):
        good = [sides[p.id] for p in sheet if p.id in sides]
        found.update({p.id: _unknown(p) for p in sheet if p.id not in sides})
        if good:
            placings, state = place_sheet(good, routine, state)
            found.update({p.page: p for p in placings})
    return found


def _unknown(page: Page) -> Placing:
    return Placing(
        page.id,
        False,
        message("reason.damaged") if page.trouble else message("reason.not-looked-at"),
        note=page.trouble,
    )


def is_protected(document: Document) -> bool:
    """Whether a document is not to be cut or joined by a rule."""
    by_hand = any(v.confirmed_by for v in document.values.values()) or document.type_origin == "typed"
    return bool(document.is_shut or document.parked or by_hand)


def separate_again(batch: Batch, routine: Routine, sides: Mapping[str, SideFacts], new_id: Callable[[], str]) -> Again:
    """Return the batch cut by the routine's present rules; ``sides`` holds the facts of every page that has any."""
    placings = cut_batch(batch, routine, sides)
    firsts = {pages[0].id: key for key, pages in batch.pages_by_document().items()}
    documents: dict[str, Document] = {}
    pages: list[Page] = []
    conflicts: list[str] = []
    current: str | None = None
    carried = ""
    for number, page in enumerate(batch.pages, 1):
        placing = placings[page.id]
        own = batch.documents.get(page.document_id or "")
        protected = own if own is not None and is_protected(own) else None
        kept = page.kept if protected else placing.kept if page.hand_kept is None else page.hand_kept
        wanted = (placing.break_reason if placing.starts else "") or carried
        if not kept:
            carried = wanted if placing.starts or carried else ""
            reason = BY_HAND if page.hand_kept is False else placing.reason or BY_HAND
            pages.append(
                replace(page, disposition=LEFT_OUT, reason=reason, note=placing.note or None, document_id=None)
            )
            continue
        reason, conflict = _decide(page, placing, wanted, protected, firsts, documents, current)
        carried = ""
        if conflict:
            conflicts.append(message("again.side", number=number, conflict=conflict))
        if reason or current is None:
            current = firsts.get(page.id) or new_id()
            if current in documents:
                current = new_id()
            documents[current] = protected or _fresh(batch, current, reason or message("reason.first-page"), placing)
        pages.append(replace(page, disposition=KEPT, reason=None, note=placing.note or None, document_id=current))
    return Again(_keep_unchanged(batch, replace(batch, pages=tuple(pages), documents=documents)), tuple(conflicts))


def _decide(
    page: Page, placing: Placing, wanted: str, protected: Document | None, firsts: Mapping[str, str],
    documents: Mapping[str, Document], current: str | None,
) -> tuple[str, str]:  # fmt: skip
    """Return why a document starts at a kept page (empty: it does not), and what the rules say against it."""
    if protected is not None:
        starts = page.id in firsts
        if starts:
            return protected.break_reason, ""
        told = message("again.rules-break-here-inside-document", wanted=wanted)
        return "", told if wanted else ""
    if page.hand_break is not None:
        joined = bool(wanted) and not page.hand_break
        said = message("again.joined-up-hand-rules-break", wanted=wanted)
        return (BY_HAND if page.hand_break else ""), said if joined else ""
    if current is not None and not wanted and current in documents and is_protected(documents[current]):
        told = message("again.rules-join-page-document-person")
        return message("reason.after-worked-on"), told
    return wanted, ""


def _fresh(batch: Batch, document_id: str, reason: str, placing: Placing) -> Document:
    before = batch.documents.get(document_id)
    if before is not None:
        return replace(before, break_reason=reason)
    named = placing.type_name or None
    return Document(document_id, reason, named, 1.0 if named else None, "separator sheet" if named else None)


def _keep_unchanged(before: Batch, after: Batch) -> Batch:
    """Let documents with other pages than before be proposed anew; the others keep what they have."""
    old, new = before.pages_by_document(), after.pages_by_document()
    documents = {}
    for key, document in after.documents.items():
        same = [p.id for p in old.get(key, [])] == [p.id for p in new[key]]
        if not same and not is_protected(document):
            document = replace(document, proposed=False)
        documents[key] = document
    return replace(after, documents=documents)
