"""Copies at filing: each document that a routine files is also written into a folder, behind the filing's back.

What is due stands in the filing's own transaction; a copy is whole or not there; a folder that is away is tried again, and told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

from sqlalchemy import delete, func, select, update

from keybundle.core.base.errors import AppError, EnvironmentProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.export.landing import Landing
from keybundle.core.export.naming import fill_name, safe_name
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository.rows import DUE
from keybundle.core.setup.routines import Copies
from keybundle.core.store import schema as t
from keybundle.core.workflows.file.due import later
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send.sending import make_files, texts_of
from keybundle.core.workflows.send.wishes import Sent, Wish, check_wish, note_leaving
from keybundle.core.workflows.session.signing_in import machine_session
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class Due:
    """A copy that is to be written: the row, the document, who filed it, where and how, and how often it was tried."""

    id: int
    document: FiledId
    who: str
    copies: Copies
    tries: int


def write_due(
    workspace: Workspace, pool: Pool, *, at_once: bool = False, is_stopped: Callable[[], bool] = lambda: False
) -> str:
    """Write the copies that are due (``at_once``: those that wait for another try too); return what is in the way.

    It asks between two copies whether it is stopped; what is left stays due.
    """
    for due in _list_due(workspace, at_once=at_once):
        if is_stopped():
            return ""
        trouble = _write(workspace, pool, due)
        if trouble:
            _wait(workspace, due, trouble)
    return tell_trouble(workspace)


def tell_trouble(workspace: Workspace) -> str:
    """Return how many copies wait because something is in the way, and what; empty where nothing is."""
    d = t.copy_due.c
    with workspace.place.database.read() as c:
        waiting = c.execute(select(func.count()).where(d.trouble != "")).scalar_one()
        said = c.execute(select(d.trouble).where(d.trouble != "").order_by(d.next_at).limit(1)).scalar()
    return message("copies.wait", n=waiting, said=said) if waiting else ""


def _list_due(workspace: Workspace, *, at_once: bool) -> list[Due]:
    d, r = t.copy_due.c, t.rendition.c
    # What has no PDF yet waits for it.
    unmade = select(r.document_id).where(r.document_id == d.document_id, r.state == DUE)
    chosen = select(t.copy_due).where(~unmade.exists()).order_by(d.id)
    if not at_once:
        chosen = chosen.where(d.next_at <= workspace.clock.stamp())
    with workspace.place.database.read() as c:
        return [Due(r.id, r.document_id, r.who, Copies(**r.copies), r.tries) for r in c.execute(chosen).all()]


def _write(workspace: Workspace, pool: Pool, due: Due) -> str:
    """Write a copy; return what is in the way, empty where it is written or its document is gone."""
    machine = machine_session(workspace)
    copies, wish = due.copies, Wish(due.copies.form, names=due.copies.names)
    try:
        with workspace.place.database.read() as c:
            is_there = bool(machine.documents(c, [due.document], with_values=False))
        if not is_there:
            _forget(workspace, due, Sent(), wish)  # it was taken back meanwhile
            return ""
        check_wish(workspace, wish)
        root = Path(copies.folder).expanduser()
        if not root.is_dir():
            raise EnvironmentProblem(message("copies.folder-not", folder=copies.folder))
        texts = texts_of(workspace, load_document(machine, due.document), 1)
        parts = [safe_name(fill_name(p, texts)) for p in copies.sub_folders.split("/") if p.strip()]
        sent = make_files(machine, pool, [due.document], wish, Landing(root.joinpath(*parts), keeps_same=True))
        if sent.stopped or sent.refused:
            return sent.stopped or sent.refused[0][1]
        _forget(workspace, due, sent, wish)
    except AppError as error:
        return str(error)
    return ""


def _forget(workspace: Workspace, due: Due, sent: Sent, wish: Wish) -> None:
    with workspace.place.database.atomic() as c:
        note_leaving(workspace, due.who, sent.documents, {"how": "copy", "to": due.copies.folder, **asdict(wish)})
        c.execute(delete(t.copy_due).where(t.copy_due.c.id == due.id))


def _wait(workspace: Workspace, due: Due, trouble: str) -> None:
    changed = {"tries": due.tries + 1, "next_at": later(workspace.clock, due.tries), "trouble": trouble}
    with workspace.place.database.atomic() as c:
        c.execute(update(t.copy_due).where(t.copy_due.c.id == due.id).values(changed))
