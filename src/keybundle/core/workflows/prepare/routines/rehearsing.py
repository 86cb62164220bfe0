"""What a routine would propose for the documents of a sample batch: type, values, what is unsure, place; nothing is kept."""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Document
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.proposing.evidence import weigh
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.propose.indexing import index_document
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_DOCUMENTS, MOST_NAMED = 30, 6


@dataclass(frozen=True)
class RehearsedDocument:
    """A document of a sample batch in sentences: what it is, how sure, where it goes, and what somebody would look at."""

    number: int
    said: str
    unsure: tuple[str, ...]
    is_ready: bool


@needs(Right.LOOK)
def rehearse_values(
    session: Session, batch_id: BatchId, routine: Routine, cancel: CancelToken | None = None
) -> list[RehearsedDocument]:
    """Return what a routine, as it is kept, would propose for the first documents of a batch, as these are cut now."""
    workspace = session.workspace
    batch = replace(session.batch(batch_id).load(), routine=routine.id)
    found = []
    for number, document in enumerate(batch.in_order()[:MOST_DOCUMENTS], 1):
        if cancel is not None and cancel.cancelled:
            break
        if not any(p.is_read for p in batch.pages_of(document.id)):
            continue
        bare = replace(document, type=None, type_origin=None, type_confidence=None, values={}, proposed=False)
        found.append(_say(workspace, routine, number, index_document(workspace, batch, bare)))
    return found


def _say(workspace: Workspace, routine: Routine, number: int, document: Document) -> RehearsedDocument:
    setup = workspace.setup
    kind = setup.document_type(document.type)
    if kind is None:
        return RehearsedDocument(number, message("rehearsing.no-type", number=number), (), False)
    values = weigh(document.values, kind, workspace.books(), workspace.bar(routine), workspace.rule)
    goes = compute_destination(kind, setup, values)
    share = round((document.type_confidence or 0.0) * 100)
    place = " / ".join(part or "?" for part in goes.path)
    caption = make_caption(kind, values)
    said = message("rehearsing.document", number=number, type=kind.name, share=share, caption=caption, place=place)
    unsure = [
        message("rehearsing.unsure", label=kind.label(key), value=value.text, share=round(value.confidence * 100))
        for key, value in values.items() if not value.sure and kind.field(key) is not None
    ]  # fmt: skip
    if goes.missing:
        unsure.append(message("rehearsing.missing", fields=join_comma(goes.missing[:MOST_NAMED])))
    return RehearsedDocument(number, said, tuple(unsure), not unsure and document.has_sure_type)
