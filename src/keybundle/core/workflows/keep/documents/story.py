"""The story of a document: what the audit trail says of it, the newest last."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import select

from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import MACHINE, Session, needs


@dataclass(frozen=True)
class Happened:
    """One row of a document's story; ``at`` is ISO 8601 in UTC, ``what`` the word of the trail.

    ``who`` is what people called the person then; ``detail`` is empty where it was purged.
    """

    seq: int
    at: str
    who: str
    what: str
    detail: dict[str, Any]


@needs(Right.LOOK)
def load_story(session: Session, document_id: FiledId) -> list[Happened]:
    """Return what people did to a document in the repository, in order; the machine's own rows are no part of it."""
    a, d = t.audit.c, t.audit_detail.c
    chosen = select(a.seq, a.at, a.who, a.what, a.names, d.data).where(a.subject == document_id, a.who != MACHINE)
    chosen = chosen.outerjoin(t.audit_detail, d.seq == a.seq).order_by(a.seq)
    workspace = session.workspace
    with workspace.place.database.read() as c:
        session.document(document_id)
        return [
            Happened(r.seq, r.at, json.loads(r.names)["who"], r.what, json.loads(r.data) if r.data else {})
            for r in c.execute(chosen)
        ]
