"""Learning from what is filed, and how confidences came out."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import Future
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select

from keybundle.core.batches.model import Document
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import weighed
from keybundle.core.setup.model import DocumentType
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.workspace import CALIBRATION, Workspace

FIT_AFTER = 20
FIT_PRIORITY = 6


def learn(
    c: Connection, workspace: Workspace, document: Document, kind: DocumentType, texts: Mapping[str, bytes], *,
    was_seen: bool,
) -> None:  # fmt: skip
    """Learn from a document that is being filed, in the filing's transaction.

    How its confidences came out counts only where a person saw the document (filed it by itself, or confirmed a value).
    """
    from keybundle.core.proposing.examples import remember  # NumPy comes with the first lesson

    pages = [(page, weighed(data)) for page, data in texts.items()]
    remember(c, document.id, kind, pages, document.values, workspace.rule, workspace.clock.stamp())
    c.execute(delete(t.outcome).where(t.outcome.c.document == document.id))
    if was_seen or any(v.confirmed_by for v in document.values.values()):
        at = workspace.clock.stamp()
        rows = [
            {"document": document.id, "field": name, "score": v.guess_score, "is_right": v.guess == v.text, "at": at}
            for name, v in document.values.items()
            if v.guess
        ]
        if rows:
            c.execute(insert(t.outcome), rows)


def unlearn(c: Connection, document_id: str) -> None:
    """Forget what a document taught that is taken back."""
    from keybundle.core.proposing.examples import forget

    forget(c, [document_id])
    c.execute(delete(t.outcome).where(t.outcome.c.document == document_id))


def refresh_calibration(workspace: Workspace, pool: Pool, *, at_once: bool = False) -> None:
    """Fit the confidences anew in a worker once enough new outcomes are there; ``at_once``: now, and wait for it."""
    with workspace.place.database.read() as c:
        known = int(c.execute(select(func.count()).select_from(t.outcome)).scalar() or 0)
        if not at_once and abs(known - workspace.calibration().count) < FIT_AFTER:
            return
        rows = c.execute(select(t.outcome.c.score, t.outcome.c.is_right)).all()
    outcomes = [(float(r.score), bool(r.is_right)) for r in rows]
    future = pool.submit("keybundle.core.proposing.calibration:fit", outcomes, priority=FIT_PRIORITY)
    if at_once:
        workspace.put_setting(CALIBRATION, future.result())
        return

    def keep(done: Future[Any]) -> None:
        if not done.cancelled() and done.exception() is None:
            workspace.put_setting(CALIBRATION, done.result())

    future.add_done_callback(keep)
