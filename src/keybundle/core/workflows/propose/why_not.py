"""What stands between a document and its folder, as a sentence."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.base.messages import message
from keybundle.core.batches.model import Document, Page, State
from keybundle.core.filing.destination import compute_destination
from keybundle.core.setup.gaps import why_not_filed
from keybundle.core.workflows.session.workspace import Workspace


def why_not(workspace: Workspace, document: Document, pages: Sequence[Page] = ()) -> str:
    """Return why a document with these pages cannot be filed, as a sentence; empty when it can."""
    if document.claim:
        return message("why-not.being-filed-just-now")
    if document.state is State.READING:
        return message("why-not.still-being-read")
    if document.state is State.SET_ASIDE:
        return message("why-not.set-aside", parked=document.parked)
    if damaged := [p for p in pages if p.is_damaged]:
        return message("why-not.sheet-damaged-scan-again-or", sheet=damaged[0].sheet, side=damaged[0].side)
    kind = workspace.setup.document_type(document.type)
    if kind is None:
        return document.trouble or message("why-not.no-document-type-yet")
    if unprepared := why_not_filed(kind, workspace.setup):
        return message("why-not.not-prepared", said=unprepared)
    missing = compute_destination(kind, workspace.setup, document.values).missing
    if missing:
        return message("why-not.missing", fields=", ".join(missing), n=len(missing))
    unsure = [spec.name for key, v in document.values.items() if not v.sure and (spec := kind.field(key))]
    if unsure:
        return message("why-not.still-unsure", fields=", ".join(unsure), n=len(unsure))
    return "" if document.has_sure_type else message("why-not.type-still-unsure-press-enter")
