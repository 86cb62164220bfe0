"""Scanning into an open batch: after a halt, a page once more in its place, pages at a position."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.batches import arranging, commands
from keybundle.core.batches.model import Batch
from keybundle.core.intake.scanner import Options, Scanner
from keybundle.core.rights.model import Right
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.take_in.capture import Captured, routine_of, scan_stack

SCANNED_AGAIN = message("reason.scanned-again")
AFTER_HALT = message("reason.after-halt")
PLACED_SECONDS = 60.0


@needs(Right.INDEX)
def leave_out_from(session: Session, line: Line, batch_id: BatchId, sheet: int, *, only: bool) -> Changes:
    """Leave out the sheet that halted the feeder, or it and what came after it, which are to be fed again."""
    pages = session.batch(batch_id).load().pages
    chosen = [p.id for p in pages if p.sheet == sheet or (p.sheet > sheet and not only)]
    reason = AFTER_HALT if only else SCANNED_AGAIN
    session.batch(batch_id).apply(message("step.leave-out"), lambda b: commands.leave_out(b, chosen, reason))
    line.revise(batch_id)
    return Changes(frozenset([batch_id]), text=message("rescan.left-out", reason=reason))


@needs(Right.BRING_IN)
def scan_at(
    session: Session, line: Line, scanner: Scanner, batch_id: BatchId, target: str, *, replaces: bool,
    options: Options, progress: Progress = silent, cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Scan what lies in the feeder (or on the glass) and put it after a page; with ``replaces``, in its stead.

    The page that is replaced is left out as scanned again, and can be taken back.
    """
    workspace = session.workspace
    before = session.batch(batch_id).load()
    known = {p.id for p in before.pages}
    if before.page(target).document_id is None:
        raise InputProblem(message("rescan.choose-page-document-what-scanned"))
    routine = routine_of(workspace, before)
    found = scan_stack(
        session, line, routine, scanner, options=options, into=batch_id, progress=progress, cancel=cancel
    )
    if not line.wait_placed(batch_id, PLACED_SECONDS):
        raise InputProblem(message("rescan.new-pages-end-batch-still"))
    session.batch(batch_id).apply(message("step.scan-in"), lambda b: _put(b, known, target, replaces))
    line.revise(batch_id)
    return found


def _put(batch: Batch, known: set[str], target: str, replaces: bool) -> Batch:
    fresh: Sequence[str] = [p.id for p in batch.pages if p.id not in known]
    if fresh:
        batch = arranging.move_pages(batch, fresh, target, after=True)
    kept = [p for p in batch.pages if p.id in set(fresh) and p.kept]
    return commands.leave_out(batch, [target], SCANNED_AGAIN) if replaces and kept else batch
