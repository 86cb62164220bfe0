"""That a copy of a document is to be written: noted with the filing, done behind it (``send/copies.py``)."""

from __future__ import annotations

from sqlalchemy import Connection

from keybundle.core.store import work
from keybundle.core.workflows.session.workspace import Workspace


def note_due(workspace: Workspace, c: Connection, document_id: str, who: str, routine_id: str) -> None:
    """Note in a filing's transaction that its routine wants a copy."""
    routine = workspace.setup.routine(routine_id)
    if routine is not None and routine.copies.folder:
        data = {"who": who, "copies": routine.copies.model_dump()}
        work.due(c, workspace.clock.stamp(), work.COPY, document_id, data=data)
