"""What stands between a document and its folder, as a sentence."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.batches.model import Document, Page, State
from keybundle.core.filing.destination import compute_destination
from keybundle.core.workflows.session.workspace import Workspace


def why_not(workspace: Workspace, document: Document, pages: Sequence[Page] = ()) -> str:
    """Return why a document with these pages cannot be filed, as a sentence; empty when it can."""
    if document.claim:
        return "It is being filed just now."
    if document.state is State.READING:
        return "It is still being read."
    if document.state is State.SET_ASIDE:
        return f"It is set aside: {document.parked}."
    if damaged := [p for p in pages if p.is_damaged]:
        return f"Sheet {damaged[0].sheet} {damaged[0].side} is damaged; scan it again, or leave it out."
    kind = workspace.setup.document_type(document.type)
    if kind is None:
        return document.trouble or "It has no document type yet."
    missing = compute_destination(kind, workspace.setup, document.values).missing
    if missing:
        return f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing."
    unsure = [spec.name for key, v in document.values.items() if not v.sure and (spec := kind.field(key))]
    if unsure:
        return f"{', '.join(unsure)} {'is' if len(unsure) == 1 else 'are'} still unsure."
    return (
        ""
        if document.has_sure_type
        else "Its type is still unsure; press Enter at it to confirm it, or choose another."
    )
