"""The trash: documents that were deleted, with who, when and why; brought back whole, or erased for good."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.filing import trash
from keybundle.core.repository.access import view_of
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.keep.erasing import finish_erasing
from keybundle.core.workflows.session.session import NotAllowed, Session, needs

MOST_SHOWN = 500


@dataclass(frozen=True)
class Deleted:
    """A document in the trash: its caption and place then, who deleted it, when (ISO 8601) and why."""

    id: str
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
def delete_documents(session: Session, document_ids: Sequence[str], why: str) -> Changes:
    """Put documents into the trash, all or none; raises NotAllowed for one that may not be deleted.

    ``why`` is kept with them and must not be empty.
    """
    workspace, why = session.workspace, why.strip()
    if not why:
        raise InputProblem(message("trash.why-missing"))
    at = workspace.clock.stamp()
    with workspace.place.database.read() as c:
        found = workspace.repository.load_many(document_ids, with_values=False, view=session.view(c, Right.DELETE))
        if len(found) < len(set(document_ids)):
            raise NotAllowed(message("trash.may-not", n=len(set(document_ids)) - len(found), name=session.name))

    def throw_away(c: Connection, document_id: str) -> None:
        with contextlib.suppress(InputProblem):  # somebody else has deleted it meanwhile
            if not session.may_at(c, document_id, Right.DELETE):
                raise NotAllowed(message("trash.may-not", n=1, name=session.name))
            trash.throw_away(c, document_id, who=session.person, at=at, why=why)

    in_pieces(workspace.place.database, list(dict.fromkeys(document_ids)), throw_away)
    return Changes(repository=True, text=message("trash.deleted", n=len(found)))


@needs(Right.DELETE)
def list_trash(session: Session) -> list[Deleted]:
    """Return what lies in the trash and may be seen, the newest first."""
    workspace, d, setup = session.workspace, t.document.c, session.workspace.setup
    with workspace.place.database.read() as c:
        view = view_of(c, session.holder, Right.DELETE)
        chosen = select(t.document).where(d.removed_as == trash.TRASH, *view.documents())
        rows = c.execute(chosen.order_by(d.removed_at.desc()).limit(MOST_SHOWN)).all()
    return [
        Deleted(
            r.id, r.caption, name_of(setup.cabinets, r.cabinet), name_of(setup.document_types, r.type), r.removed_at,
            name_of(setup.people, r.removed_by), r.removed_why,
        )
        for r in rows
    ]  # fmt: skip


@needs(Right.DELETE)
def restore_documents(session: Session, document_ids: Sequence[str]) -> Changes:
    """Bring documents of the trash back as they were, all or none."""
    workspace, at = session.workspace, session.workspace.clock.stamp()
    with workspace.place.database.read() as c:
        _require_seen(session, c, document_ids)

    def bring_back(c: Connection, document_id: str) -> None:
        with contextlib.suppress(InputProblem):  # somebody else has brought it back, or erased it, meanwhile
            _require_seen(session, c, [document_id])
            trash.bring_back(c, document_id, who=session.person, at=at)

    in_pieces(workspace.place.database, list(dict.fromkeys(document_ids)), bring_back)
    return Changes(repository=True, text=message("trash.brought-back", n=len(document_ids)))


@needs(Right.EMPTY_TRASH)
def empty_trash(
    session: Session, document_ids: Sequence[str], *, progress: Progress = silent, cancel: CancelToken | None = None
) -> Erased:
    """Erase documents of the trash for good, one after another; afterwards nothing in the store holds their words.

    What cannot be erased stays, with the reason; so does what is still to come when ``cancel`` is set.
    """
    workspace, erased, left = session.workspace, Erased(), list[tuple[str, str]]()
    names = {row.id: row.caption for row in list_trash(session)} if session.may(Right.DELETE) else {}
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


def _erase_one(session: Session, document_id: str, erased: Erased) -> None:
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        _require_seen(session, c, [document_id], Right.EMPTY_TRASH)
        gone, kept = trash.erase(c, document_id, who=session.person, at=workspace.clock.stamp())
    erased.documents += 1
    erased.files += len(gone)
    erased.kept_files += len(kept)


def _require_seen(session: Session, c: Connection, document_ids: Sequence[str], right: Right = Right.DELETE) -> None:
    d, view = t.document.c, view_of(c, session.holder, right)
    chosen = select(d.id).where(d.id.in_(document_ids), d.removed_as == trash.TRASH, *view.documents())
    if set(c.execute(chosen).scalars()) != set(document_ids):
        raise InputProblem(message("trash.not-there"))
