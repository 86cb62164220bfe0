"""The story of a document: what the audit trail says of it, the newest last."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from keybundle.core.store import schema as t
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class Happened:
    """One row of a document's story; ``at`` is ISO 8601 in UTC, ``what`` the word of the trail."""

    seq: int
    at: str
    who: str
    what: str
    detail: dict[str, Any]


def load_story(workspace: Workspace, document_id: str) -> list[Happened]:
    """Return what happened to a document in the repository, in order."""
    a = t.audit.c
    chosen = select(a.seq, a.at, a.who, a.what, a.detail).where(a.subject == document_id).order_by(a.seq)
    with workspace.place.database.read() as c:
        return [Happened(r.seq, r.at, r.who, r.what, json.loads(r.detail)) for r in c.execute(chosen)]
