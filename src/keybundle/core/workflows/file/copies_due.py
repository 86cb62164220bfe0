"""That a copy of a document is to be written: noted with the filing, done behind it (``send/copies.py``)."""

from __future__ import annotations

from sqlalchemy import Connection, insert

from keybundle.core.store import schema as t
from keybundle.core.workflows.session.workspace import Workspace


def note_due(workspace: Workspace, c: Connection, document_id: str, who: str, routine_id: str) -> None:
    """Note in a filing's transaction that its routine wants a copy."""
    routine = workspace.setup.routine(routine_id)
    if routine is not None and routine.copies.folder:
        row = {"document_id": document_id, "who": who, "copies": routine.copies.model_dump(), "tries": 0, "trouble": ""}
        c.execute(insert(t.copy_due).values(next_at=workspace.clock.stamp(), **row))
