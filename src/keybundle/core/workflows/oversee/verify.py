"""Checking a repository against itself: every stored file against its hash, and the audit trail."""

from __future__ import annotations

from sqlalchemy import func, select

from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.store import ledger
from keybundle.core.store import schema as t
from keybundle.core.store.files import FileStore
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.keep.areas.places import store_of
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class Verified:
    """The outcome: how many files, which are bad (hash and what is wrong), the trail's state and head.

    ``renditions`` are those that were made, ``due`` those that are still to be made.
    """

    files: int
    bad: tuple[tuple[str, str], ...]
    trail: str
    head: str
    renditions: int = 0
    due: int = 0

    @property
    def is_whole(self) -> bool:
        """Whether nothing is wrong."""
        return not self.bad and self.trail == "whole"


@needs(Right.OVERSEE)
def list_trail(session: Session) -> list[str]:
    """Return each row of the audit trail with its hash; they name ids and say nothing in detail."""
    with session.workspace.place.database.read() as c:
        return list(audit.export(c))


@needs(Right.OVERSEE)
def verify(session: Session, *, progress: Progress = silent, cancel: CancelToken | None = None) -> Verified:
    """Read every stored file, in all areas it lies in, and compare its hash; recompute the audit trail."""
    workspace = session.workspace
    cancel = cancel or CancelToken()
    with workspace.place.database.read() as c:
        needed = select(t.file_use.c.sha).union(select(t.stored_file.c.sha))
        known = sorted(c.execute(needed).scalars())
        gaps = ledger.find_gaps(c)
        elsewhere: dict[str, list[FileStore | None]] = {}
        for row in c.execute(select(t.file_place)):
            elsewhere.setdefault(row.sha, []).append(store_of(workspace, row.area))
    bad: list[tuple[str, str]] = [
        (sha, message("verify.ledger", what=what, kind=kind, ref=ref)) for what, sha, kind, ref in gaps
    ]
    for number, sha in enumerate(known, 1):
        cancel.check()
        for store in (workspace.place.files, *elsewhere.get(sha, ())):
            wrong = store.check(sha) if store is not None else ""
            if wrong:
                bad.append((sha, wrong))
        progress(Step(number, len(known), message("progress.checking-files")))
    with workspace.place.database.read() as c:
        made = c.execute(select(func.count()).where(t.rendition.c.sha.is_not(None))).scalar_one()
        return Verified(len(known), tuple(bad), audit.verify(c), audit.head(c), made, renditions.count_due(workspace))
