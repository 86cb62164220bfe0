"""Renditions: the PDF/A of each filed version, made behind the filing's back and tried again where something is in the way.

What is due stands in the transaction that files or revises; the file counts once it lies in its area and the row names it.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Collection
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select, update

from keybundle.core.base.errors import A_BUG, AppError
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.repository.model import FiledDocument
from keybundle.core.repository.rows import DUE, MADE, PDFA, know_file
from keybundle.core.store import schema as t
from keybundle.core.workflows.file.due import later
from keybundle.core.workflows.keep.areas.places import area_of_folder, bring_files, note_places
from keybundle.core.workflows.pages.page_jobs import PDF_WORK, filed_job
from keybundle.core.workflows.session.session import MACHINE
from keybundle.core.workflows.session.signing_in import machine_session
from keybundle.core.workflows.session.workspace import Workspace

log = logging.getLogger(__name__)
RENDER_PRIORITY = 1
ASK_SECONDS = 0.05
RENDERED = "rendered"  # the trail says by which hash a PDF is the one that was made
AT_ONCE = 4  # so many are in the workers' hands at a time, so that what somebody looks at need not wait long
_r, _d = t.rendition.c, t.document.c
# What is due of documents that lie in a cabinet: of what was deleted or taken back it waits, whatever becomes of that.
_STANDING = (
    select(_r.document_id, _r.version, _r.tries, _r.trouble)
    .join(t.document, _d.id == _r.document_id)
    .where(_r.state == DUE, _r.kind == PDFA, _d.removed_at.is_(None))
)


@dataclass
class Rendered:
    """How many were made, in how many seconds of the workers, and what is in the way of the others."""

    made: int = 0
    seconds: float = 0.0
    trouble: str = ""


@dataclass(frozen=True)
class _Due:
    document: FiledDocument
    tries: int
    made: Future[Any]


def make_due(
    workspace: Workspace, pool: Pool, *, only: Collection[str] | None = None, at_once: bool = False,
    progress: Progress = silent, cancel: CancelToken | None = None, is_stopped: Callable[[], bool] = lambda: False,
) -> Rendered:  # fmt: skip
    """Make what is due (``only`` of these documents; ``at_once``: what waits for another try too).

    It ends between two of them when it is called off; what is left stays due.
    """
    cancel, result = cancel or CancelToken(), Rendered()
    due = _list_due(workspace, only, at_once=at_once or only is not None)
    for start in range(0, len(due), AT_ONCE):
        lot = [_begin(workspace, pool, *one) for one in due[start : start + AT_ONCE]]
        for number, one in enumerate((x for x in lot if x is not None), start + 1):
            while not one.made.done() and not (cancel.cancelled or is_stopped()):
                cancel.wait(ASK_SECONDS)
            if cancel.cancelled or is_stopped():
                for left in (x for x in lot if x is not None):
                    left.made.cancel()
                return result
            _end(workspace, one, result)
            progress(Step(number, len(due), message("progress.making-pdf", document=one.document.caption)))
    return result


def count_due(workspace: Workspace) -> int:
    """Return how many renditions are still to be made."""
    with workspace.place.database.read() as c:
        return int(c.execute(select(func.count()).select_from(_STANDING.subquery())).scalar_one())


def tell_trouble(workspace: Workspace) -> str:
    """Return how many renditions wait because something is in the way, and what; empty where nothing is."""
    with workspace.place.database.read() as c:
        troubled = _STANDING.where(_r.trouble != "").order_by(_r.next_at)
        waiting = c.execute(select(func.count()).select_from(troubled.subquery())).scalar_one()
        first = c.execute(troubled.limit(1)).first()
        said = first.trouble if first is not None else ""
    return message("renditions.wait", n=waiting, said=said) if waiting else ""


def _list_due(workspace: Workspace, only: Collection[str] | None, *, at_once: bool) -> list[tuple[str, int, int]]:
    """Return document, version and tries of what is due, the oldest first."""
    chosen = _STANDING.order_by(_r.next_at)
    if not at_once:
        chosen = chosen.where(_r.next_at <= workspace.clock.stamp())
    with workspace.place.database.read() as c:
        rows = c.execute(chosen).all()
    return [(r.document_id, r.version, r.tries) for r in rows if only is None or r.document_id in only]


def _begin(workspace: Workspace, pool: Pool, document_id: str, version: int, tries: int) -> _Due | None:
    """Let workers make one; None where its document is gone or has another version by now."""
    with workspace.place.database.atomic() as c:
        row = c.execute(select(_d.version).where(_d.id == document_id, _d.removed_at.is_(None))).first()
        if row is None:
            return None
        if row.version != version:
            # A version that was followed by another needs no PDF of its own.
            c.execute(delete(t.rendition).where(_r.document_id == document_id, _r.version == version, _r.state == DUE))
            return None
        document = machine_session(workspace).document(document_id).load()
    jobs = [filed_job(workspace.place.files, page) for page in document.pages]
    args = (jobs, document.caption, document.received_at or document.filed_at, str(workspace.place.files.root))
    return _Due(document, tries, pool.submit(f"{PDF_WORK}:make_pdf", *args, priority=RENDER_PRIORITY))


def _end(workspace: Workspace, one: _Due, result: Rendered) -> None:
    """Keep what was made where it still counts, else note why it was not."""
    try:
        sha, seconds = one.made.result()
        with workspace.place.database.read() as c:
            area = area_of_folder(workspace, c, one.document.cabinet, [value for _, value in one.document.folder])
        bring_files(workspace, area, [sha])
        with workspace.place.database.atomic() as c:
            own = (_r.document_id == one.document.id, _r.version == one.document.version, _r.state == DUE)
            changed = c.execute(update(t.rendition).where(*own).values(state=MADE, sha=sha, trouble=""))
            if changed.rowcount:
                know_file(c, sha, workspace.clock.stamp(), workspace.place.files.size(sha))
                note_places(workspace, c, area, [sha])
                told = {"pdf": sha, "version": one.document.version}
                audit.append(c, workspace.clock.stamp(), MACHINE, RENDERED, one.document.id, told)
                result.made += 1
                result.seconds += seconds
    except AppError as error:
        _wait(workspace, one, str(error))
        result.trouble = result.trouble or str(error)
    except Exception:
        log.exception("a rendition could not be made")
        _wait(workspace, one, A_BUG)
        result.trouble = result.trouble or A_BUG


def _wait(workspace: Workspace, one: _Due, trouble: str) -> None:
    own = (_r.document_id == one.document.id, _r.version == one.document.version, _r.state == DUE)
    values = {"tries": one.tries + 1, "next_at": later(workspace.clock, one.tries), "trouble": trouble}
    with workspace.place.database.atomic() as c:
        c.execute(update(t.rendition).where(*own).values(values))
