"""Renditions: the PDF/A of each filed version, made behind the filing's back and tried again where something is in the way.

What is due stands in the transaction that files or revises; the file counts once it lies in its area and the row names it.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, select, update

from keybundle.core.base.errors import Passing
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.repository.rows import PDFA, rendition_ref
from keybundle.core.store import ledger, work
from keybundle.core.store import schema as t
from keybundle.core.store.files import Received
from keybundle.core.store.work import Taken
from keybundle.core.workflows.keep.areas.places import area_of_id, bring_files, note_places
from keybundle.core.workflows.pages.page_jobs import PDF_WORK, filed_job
from keybundle.core.workflows.session.behind import ASK_SECONDS, Behind, Duty, do_due, tell_waiting
from keybundle.core.workflows.session.session import MACHINE
from keybundle.core.workflows.session.signing_in import machine_session
from keybundle.core.workflows.session.workspace import Workspace

RENDER_PRIORITY = 1
RENDERED = "rendered"  # the trail says by which hash a PDF is the one that was made
AT_ONCE = 4  # so many are in the workers' hands at a time, so that what somebody looks at need not wait long
MAKING = "making"
LOOK_SECONDS = 0.1
_r, _d = t.rendition.c, t.document.c


@dataclass
class Rendered:
    """How many were made, in how many seconds of the workers, and what is in the way of the others."""

    made: int = 0
    seconds: float = 0.0
    trouble: str = ""


def make_due(
    workspace: Workspace, pool: Pool, *, only: Collection[str] | None = None, at_once: bool = False,
    progress: Progress = silent, cancel: CancelToken | None = None, is_stopped: Callable[[], bool] = lambda: False,
) -> Rendered:  # fmt: skip
    """Make what is due (``only`` of these documents; ``at_once``: what waits for another try too).

    It ends between two of them when it is called off; what is left stays due. Those of ``only`` that somebody else has in
    hand are waited for.
    """
    cancel, result = cancel or CancelToken(), Rendered()
    refs = None if only is None else _list_refs(workspace, only)
    total = count_due(workspace) if refs is None else len(refs)
    ended = 0

    def is_off() -> bool:
        return cancel.cancelled or is_stopped()

    def tell_end(taken: Taken, trouble: str) -> None:
        nonlocal ended
        ended += 1
        result.trouble = result.trouble or trouble
        progress(Step(ended, max(total, ended), message("progress.making-pdf", document=taken.data.get("caption", ""))))

    do_due(
        workspace, _duty(workspace, pool, result), at_once=at_once or only is not None, refs=refs, is_stopped=is_off,
        ended=tell_end,
    )  # fmt: skip
    while refs and not is_off() and _is_any_in_hand(workspace, refs):
        cancel.wait(ASK_SECONDS)
    return result


@contextlib.contextmanager
def made_meanwhile(
    workspace: Workspace, pool: Pool, filed: Callable[[], Collection[str]], cancel: CancelToken
) -> Iterator[Rendered]:  # fmt: skip
    """Make what is due of the documents that are ``filed`` so far, each tried once, behind whoever goes on filing more."""
    result, tried = Rendered(), set[str]()

    def render(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        fresh = set(filed()) - tried
        tried.update(fresh)
        made = make_due(workspace, pool, only=fresh, cancel=cancel) if fresh else Rendered()
        result.made, result.seconds = result.made + made.made, result.seconds + made.seconds
        return made.trouble

    behind = Behind((render,), LOOK_SECONDS)
    try:
        yield result
    finally:
        behind.close()


def _duty(workspace: Workspace, pool: Pool, result: Rendered) -> Duty:
    return Duty(
        work.RENDITION, lambda taken, made: _finish(workspace, taken, made, result), "renditions.wait",
        lambda taken: _start(workspace, pool, taken), AT_ONCE,
    )  # fmt: skip


def count_due(workspace: Workspace) -> int:
    """Return how many renditions are still to be made."""
    with workspace.place.database.read() as c:
        return work.count(c, work.RENDITION)


def tell_trouble(workspace: Workspace) -> str:
    """Return how many renditions wait because something is in the way, and what; empty where nothing is."""
    return tell_waiting(workspace, Duty(work.RENDITION, lambda taken, made: None, "renditions.wait"))


def render_behind(workspace: Workspace, pool: Pool, *, at_once: bool, is_stopped: Callable[[], bool]) -> str:
    """Make what is due; return what is in the way of some."""
    make_due(workspace, pool, at_once=at_once, is_stopped=is_stopped)
    return tell_trouble(workspace)


def _list_refs(workspace: Workspace, only: Collection[str]) -> list[str]:
    wanted, found = list(only), list[str]()
    with workspace.place.database.read() as c:
        for start in range(0, len(wanted), work.MOST_BOUND):
            some = wanted[start : start + work.MOST_BOUND]
            rows = c.execute(select(_r.document_id, _r.version).where(_r.document_id.in_(some), _r.sha.is_(None)))
            found += [rendition_ref(row.document_id, row.version) for row in rows]
    return found


def _is_any_in_hand(workspace: Workspace, refs: list[str]) -> bool:
    with workspace.place.database.read() as c:
        return any(
            taken.token
            for start in range(0, len(refs), work.MOST_BOUND)
            for taken in work.list_work(c, work.RENDITION, refs=refs[start : start + work.MOST_BOUND])
        )


def _split(ref: str) -> tuple[str, int]:
    document_id, _, version = ref.rpartition("/")
    return document_id, int(version)


def _target(workspace: Workspace, taken: Taken) -> Path:
    """Return where a PDF is made: named by its document, so that erasing that takes it along."""
    folder = workspace.place.cache / MAKING
    folder.mkdir(exist_ok=True)
    document_id, version = _split(taken.ref)
    return folder / f"{document_id}-{version}-{taken.token}.pdf"


def _start(workspace: Workspace, pool: Pool, taken: Taken) -> Future[Any] | None:
    """Let workers make one; None where its document is gone, lies in the trash, or has another version by now."""
    document_id, version = _split(taken.ref)
    with workspace.place.database.read() as c:
        now = c.execute(select(_d.version).where(_d.id == document_id, _d.removed_at.is_(None))).scalar()
        if now != version:
            return None
        document = machine_session(workspace).document(document_id).load()
    jobs = [filed_job(workspace.place.files, page) for page in document.pages]
    made_at = document.received_at or document.filed_at
    target = str(_target(workspace, taken))
    return pool.submit(
        f"{PDF_WORK}:make_pdf", jobs, made_at, target, str(workspace.place.cache), priority=RENDER_PRIORITY
    )


def _finish(workspace: Workspace, taken: Taken, seconds: float | None, result: Rendered) -> None:
    """Let what was made count, where its document still has that version; else nothing stays of it."""
    document_id, version = _split(taken.ref)
    made, database = _target(workspace, taken), workspace.place.database
    try:
        with database.read() as c:
            is_wanted = seconds is not None and _is_wanted(c, document_id, version)
        if seconds is None or not is_wanted:
            with database.atomic() as c:
                work.done(c, taken)
            return
        with workspace.place.files.receive(made.name, lambda target: _move(made, target)) as received:
            area = _intend(workspace, document_id, version, received.sha)
            if area is None:
                with database.atomic() as c:
                    work.done(c, taken)
                return
            workspace.place.files.keep(received)
        bring_files(workspace, area, [received.sha])
        with database.atomic() as c:
            counts = work.done(c, taken) and _count(workspace, c, document_id, version, received, area)
            if not counts:
                ledger.take_away_unheld(c, workspace.clock.stamp(), [received.sha])
        result.made += counts
        result.seconds += seconds if counts else 0.0
    finally:
        made.unlink(missing_ok=True)


def _move(made: Path, target: Path) -> None:
    made.rename(target)


def _is_wanted(c: Connection, document_id: str, version: int) -> bool:
    own = (_d.id == document_id, _d.version == version, _d.removed_at.is_(None))
    return c.execute(select(_d.id).where(*own)).first() is not None


def _intend(workspace: Workspace, document_id: str, version: int, sha: str) -> str | None:
    """Return the area that a PDF is to lie in, None where nobody wants it any more.

    It is noted first as one that is to be taken away, in our hand: so a stop before it counts leaves nothing of it behind.
    """
    clock = workspace.clock
    with workspace.place.database.atomic() as c:
        if not _is_wanted(c, document_id, version):
            return None
        since = {"since": clock.stamp()}
        if work.begin(c, clock, work.ERASE, sha, workspace.place.holder, data=since) is None:
            raise Passing(message("renditions.just-being-erased"))
        folder_id = c.execute(select(_d.folder_id).where(_d.id == document_id)).scalar_one()
        return area_of_id(workspace, c, folder_id) if folder_id is not None else ""


def _count(workspace: Workspace, c: Connection, document_id: str, version: int, made: Received, area: str) -> bool:
    """Let a PDF be that of its version; False where it was made meanwhile, or nobody wants it any more."""
    own = (_r.document_id == document_id, _r.version == version, _r.kind == PDFA, _r.sha.is_(None))
    if not _is_wanted(c, document_id, version):
        return False
    if not c.execute(update(t.rendition).where(*own).values(sha=made.sha)).rowcount:
        return False
    at = workspace.clock.stamp()
    ledger.know_file(c, made.sha, at, made.size)
    ledger.hold(c, ledger.DOCUMENT, document_id, [made.sha])
    work.drop(c, work.ERASE, [made.sha])
    if area:
        note_places(workspace, c, area, [made.sha])
    audit.append(c, at, MACHINE, RENDERED, document_id, {"pdf": made.sha, "version": version})
    return True
