"""What came in with a batch and was not taken, or not whole, with the reasons."""

from __future__ import annotations

from keybundle.core.base.ids import BatchId
from keybundle.core.batches.arrivals import load_told
from keybundle.core.intake.files import Refused
from keybundle.core.rights.model import Right
from keybundle.core.workflows.session.session import Session, needs


@needs(Right.LOOK)
def list_not_taken(session: Session, batch_id: BatchId) -> list[Refused]:
    """Return what was refused, passed over or cut, in the order it came; raises NotAllowed for somebody else's batch."""
    session.require_batch(batch_id)
    with session.workspace.place.database.read() as c:
        return [Refused(a.name, a.why) for a in load_told(c, batch_id)]
