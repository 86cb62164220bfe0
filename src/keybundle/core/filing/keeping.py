"""Whom a filed document is kept to by a list of its own."""

from __future__ import annotations

from sqlalchemy import Connection, select, update

from keybundle.core.filing.gate import By, Change, allow
from keybundle.core.repository import access
from keybundle.core.repository.folders import count_document
from keybundle.core.rights.model import AccessList
from keybundle.core.store import schema as t


def keep_document_to(c: Connection, by: By, document_id: str, kept: AccessList | None) -> None:
    """Give a document a list of its own, or none; it is counted under that then. Raises NotAllowed."""
    allow(c, by, document_id, Change.LIST)
    d = t.document.c
    before = c.execute(select(d.folder_id, d.access_id, d.removed_at).where(d.id == document_id)).one()
    own = access.keep_list(c, kept) if kept is not None else None
    c.execute(update(t.document).where(d.id == document_id).values(access_id=own))
    if before.removed_at is None:
        count_document(c, before.folder_id, before.access_id, -1)
        count_document(c, before.folder_id, own, 1)
