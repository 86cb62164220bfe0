"""The trash: documents that were deleted, with who, when and why; brought back whole, or erased for good."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import Connection, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.filing import trash
from keybundle.core.repository.access import view_of
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces, say_stopped
from keybundle.core.store.reserve import making_room
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.session.session import NotAllowed, Session, needs

MOST_SHOWN = 500


@dataclass(frozen=True)
class Deleted:
    """A document in the trash: its caption and place then, who deleted it, when (ISO 8601) and why."""

    id: FiledId
    caption: str
    cabinet: str
    type: str
    at: str
    who: str
    why: str


@dataclass
class Erased:
    """What an emptying erased: documents, files that are gone, files that other documents need too, and what stays and why.

    ``due`` files are erased at a later start: they were only just brought in, or lie on a disk that is away.
    """

    documents: int = 0
    files: int = 0
    kept_files: int = 0
    due: int = 0
    left: tuple[tuple[str, str], ...] = ()


@needs(Right.DELETE)
def delete_documents(session: Session, document_ids: Sequence[FiledId], why: str) -> Changes:
    """Put documents into the trash; raises NotAllowed, and deletes none, where one of them may not be deleted.

    ``why`` is kept with them and must not be empty. What comes in between while it is done leaves single documents, or stops
    it: the answer says so.
    """
    workspace, why = session.workspace, why.strip()
    if not why:
        raise InputProblem(message("trash.why-missing"))
    at = workspace.clock.stamp()
    with workspace.place.database.read() as c:
        found = session.documents(c, document_ids, Right.DELETE, with_values=False)
        if len(found) < len(set(document_ids)):
            raise NotAllowed(message("trash.may-not", n=len(set(document_ids)) - len(found), name=session.name))

    def throw_away(c: Connection, document_id: str) -> None:
        trash.throw_away(c, document_id, by=session, at=at, why=why)

    with making_room(workspace.place.root):
        return _each(session, document_ids, throw_away, "trash.deleted")


def _each(
    session: Session, document_ids: Sequence[FiledId], work: Callable[[Connection, str], object], code: str
) -> Changes:
    """Do something to each document; return what was done and, in the same words, what was left and what stopped it."""

    def work_one(c: Connection, document_id: str) -> InputProblem | None:
        try:
            with session.workspace.place.database.atomic():  # one that is refused leaves nothing of itself behind
                work(c, document_id)
        except InputProblem as error:
            return error
        return None

    ids = list(dict.fromkeys(document_ids))
    found = in_pieces(session.workspace.place.database, ids, work_one)
    refused = [x for x in found.done if x is not None]
    done = len(found.done) - len(refused)
    if refused and not done:
        raise refused[0]
    told: str = message(code, n=done)
    if refused:
        told = message("trash.and-left", told=told, n=len(refused), why=str(refused[0]))
    if found.stopped:
        told = message("trash.and-stopped", told=told, why=say_stopped(done, len(ids), found.stopped))
    return Changes(repository=True, text=told)


@needs(Right.LOOK)
def find_deleted(session: Session, document_id: FiledId) -> Deleted | None:
    """Return what became of a document that the person could look at: who deleted it, when and why; None for anything else."""
    d = t.document.c
    with session.workspace.place.database.read() as c:
        view = view_of(c, session.holder, Right.LOOK)
        chosen = select(t.document).where(d.id == document_id, d.removed_as == trash.TRASH, *view.documents())
        rows = c.execute(chosen).all()
    return next(iter(_tell(session, rows)), None)


@needs(Right.DELETE)
def list_trash(session: Session) -> list[Deleted]:
    """Return what lies in the trash and may be seen, the newest first."""
    workspace, d = session.workspace, t.document.c
    with workspace.place.database.read() as c:
        view = view_of(c, session.holder, Right.DELETE)
        chosen = select(t.document).where(d.removed_as == trash.TRASH, *view.documents())
        rows = c.execute(chosen.order_by(d.removed_at.desc()).limit(MOST_SHOWN)).all()
    return _tell(session, rows)


def _tell(session: Session, rows: Sequence[Any]) -> list[Deleted]:
    setup = session.workspace.setup
    return [
        Deleted(
            r.id, r.caption, name_of(setup.cabinets, r.cabinet), name_of(setup.document_types, r.type), r.removed_at,
            name_of(setup.people, r.removed_by), r.removed_why,
        )
        for r in rows
    ]  # fmt: skip


@needs(Right.DELETE)
def restore_documents(session: Session, document_ids: Sequence[FiledId]) -> Changes:
    """Bring documents of the trash back as they were, each into the folder that its own is by now.

    Raises NotAllowed, and brings none back, where one of them may not be; and InputProblem for one whose cabinet is no longer
    set up. What comes in between is told in the answer.
    """
    workspace, at = session.workspace, session.workspace.clock.stamp()
    with workspace.place.database.read() as c:
        _require_seen(session, c, document_ids)
        _require_cabinets(workspace.setup, c, document_ids)

    def bring_back(c: Connection, document_id: str) -> None:
        trash.bring_back(c, document_id, by=session, at=at, locale=workspace.setup.locale)

    return _each(session, document_ids, bring_back, "trash.brought-back")


def _require_cabinets(setup: Setup, c: Connection, document_ids: Sequence[str]) -> None:
    d = t.document.c
    for row in c.execute(select(d.caption, d.cabinet).where(d.id.in_(document_ids))):
        if setup.cabinet(row.cabinet) is None:
            raise InputProblem(message("trash.cabinet-gone", caption=row.caption, cabinet=row.cabinet))


@needs(Right.EMPTY_TRASH)
def empty_trash(
    session: Session, document_ids: Sequence[FiledId], *, progress: Progress = silent, cancel: CancelToken | None = None
) -> Erased:
    """Erase documents of the trash for good, one after another; afterwards nothing in the store holds their words.

    What cannot be erased stays, with the reason; so does what is still to come when ``cancel`` is set.
    """
    workspace, erased, left = session.workspace, Erased(), list[tuple[str, str]]()
    names = {row.id: row.caption for row in list_trash(session)} if session.may(Right.DELETE) else {}
    with making_room(workspace.place.root):
        for number, document_id in enumerate(document_ids, 1):
            if cancel is not None and cancel.cancelled:
                break
            try:
                _erase_one(session, document_id, erased)
            except InputProblem as error:
                left.append((names.get(document_id, document_id), str(error)))
            progress(Step(number, len(document_ids), message("progress.erasing")))
        erased.due = finish_erasing(workspace)
    erased.left = tuple(left)
    return erased


def _erase_one(session: Session, document_id: FiledId, erased: Erased) -> None:
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        _require_seen(session, c, [document_id], Right.EMPTY_TRASH)
        gone, kept = trash.erase(c, document_id, by=session, at=workspace.clock.stamp())
    erased.documents += 1
    erased.files += len(gone)
    erased.kept_files += len(kept)


def _require_seen(
    session: Session, c: Connection, document_ids: Sequence[FiledId], right: Right = Right.DELETE
) -> None:
    d, view = t.document.c, view_of(c, session.holder, right)
    chosen = select(d.id).where(d.id.in_(document_ids), d.removed_as == trash.TRASH, *view.documents())
    if set(c.execute(chosen).scalars()) != set(document_ids):
        raise InputProblem(message("trash.not-there"))
