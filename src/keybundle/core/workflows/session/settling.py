"""What state each document of a batch is in, computed from what is known of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from keybundle.core.batches.model import Batch, Document, Page, State
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import compute_destination
from keybundle.core.proposing.evidence import RuleFor, is_by_hand, weigh
from keybundle.core.registers.book import Book
from keybundle.core.setup.gaps import why_not_filed
from keybundle.core.setup.model import DocumentType, Setup

GIVES_WAY = (Origin.CARRIED, Origin.DEFAULT)


def judge_state(document: Document, pages: list[Page], kind: DocumentType | None, setup: Setup, grows: bool) -> State:
    """Return the state of a document with these pages."""
    if document.filed_id:
        return State.FILED
    if document.parked:
        return State.SET_ASIDE
    if grows or not document.proposed or not all(p.is_read for p in pages):
        return State.READING
    if kind is None or any(p.is_damaged for p in pages):
        return State.TO_CHECK
    if why_not_filed(kind, setup) or compute_destination(kind, setup, document.values).missing:
        return State.TO_CHECK
    known = [v for name, v in document.values.items() if kind.field(name)]
    return State.READY if document.has_sure_type and all(v.sure for v in known) else State.TO_CHECK


def settle(batch: Batch, setup: Setup, books: Callable[[], Mapping[str, Book]], bar: float, rule: RuleFor) -> Batch:
    """Weigh every document's values anew and judge its state; filed ones, and those being filed, stay as they are.

    Values of fields that the type does not have (proposed under a type that was undone) go. In a whole batch, values
    are carried over from document to document.
    """
    pages = batch.pages_by_document()
    if batch.is_whole:
        batch = carry_over(batch, setup)
    documents = {}
    for key, document in batch.documents.items():
        kind = setup.document_type(document.type)
        if kind is not None and document.values and not document.is_shut:
            own = {name: v for name, v in document.values.items() if kind.field(name)}
            document = replace(document, values=weigh(own, kind, books(), bar, rule))
        state = judge_state(document, pages.get(key, []), kind, setup, batch.growing == key)
        documents[key] = document if document.claim else replace(document, state=state)
    return replace(batch, documents=documents)


def carry_over(batch: Batch, setup: Setup) -> Batch:
    """Give each proposed document the marked values of the one of its type before it, as that stands now.

    They are unsure until somebody confirms them, and give way to what the page or a person says.
    """
    last: dict[str, Mapping[str, FieldValue]] = {}
    documents = dict(batch.documents)
    for document in batch.in_order():
        kind = setup.document_type(document.type)
        if kind is None or not document.proposed:
            continue
        before = last.get(kind.id)
        if before is not None and not document.is_shut:
            values = dict(document.values)
            for spec in (f for f in kind.fields if f.carry):
                have, given = values.get(spec.id), before.get(spec.id)
                if have is not None and (is_by_hand(have) or have.origin not in GIVES_WAY):
                    continue
                if given is not None and given.items and (have is None or have.items != given.items):
                    values[spec.id] = FieldValue(given.items, 0.0, Origin.CARRIED)
                elif have is not None and have.origin is Origin.CARRIED and (given is None or not given.items):
                    del values[spec.id]
            document = documents[document.id] = replace(document, values=values)
        last[kind.id] = document.values
    return replace(batch, documents=documents)
