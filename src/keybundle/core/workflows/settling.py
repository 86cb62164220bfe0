"""What state each document of a batch is in, computed from what is known of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from keybundle.core.batches.model import Batch, Document, Page, State
from keybundle.core.filing.destination import compute_destination
from keybundle.core.proposing.evidence import weigh
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, Setup


def judge_state(document: Document, pages: list[Page], kind: DocumentType | None, setup: Setup, grows: bool) -> State:
    """Return the state of a document with these pages."""
    if document.filed_id:
        return State.FILED
    if document.parked:
        return State.SET_ASIDE
    if grows or not document.proposed or not all(p.is_read for p in pages):
        return State.READING
    if kind is None or compute_destination(kind, setup, document.values).missing:
        return State.TO_CHECK
    known = [v for name, v in document.values.items() if kind.field(name)]
    return State.READY if all(v.sure for v in known) else State.TO_CHECK


def settle(batch: Batch, setup: Setup, books: Callable[[], Mapping[str, Book]], bar: float) -> Batch:
    """Weigh every document's values anew and judge its state; filed ones stay as they are.

    Values of fields that the type does not have (proposed under a type that was undone) go.
    """
    pages = batch.pages_by_document()
    documents = {}
    for key, document in batch.documents.items():
        kind = setup.document_type(document.type)
        if kind is not None and document.values and not document.filed_id:
            own = {name: v for name, v in document.values.items() if kind.field(name)}
            document = replace(document, values=weigh(own, kind, books(), bar))
        state = judge_state(document, pages.get(key, []), kind, setup, batch.growing == key)
        documents[key] = replace(document, state=state)
    return replace(batch, documents=documents)
