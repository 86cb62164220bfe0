"""Closing a batch: only when every side has its end, by somebody who may, and with a trace."""

from __future__ import annotations

from dataclasses import asdict

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.batches.model import balance
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.workflows.session.session import Session, needs

KEPT_DAYS = 30  # how long what a batch needs only while it is open stays after that


@needs(Right.FILE)
def close_batch(session: Session, batch_id: BatchId) -> Changes:
    """Close a batch; raises InputProblem that names what is still open, and for a person who may only look."""
    workspace, who = session.workspace, session.person
    with workspace.place.database.atomic() as c:
        batch = session.batch(batch_id).close()
        audit.append(c, workspace.clock.stamp(), who, "batch closed", batch_id, asdict(balance(batch)))
    return Changes(frozenset([batch_id]), text=message("closing.closed"))
