"""Copies at filing: each document that a routine files is also written into a folder, behind the filing's back.

What is due stands in the filing's own transaction; a copy is whole or not there; a folder that is away is tried again, and told.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path

from sqlalchemy import select

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.export.landing import Landing
from keybundle.core.export.naming import fill_name, safe_name
from keybundle.core.jobs.pool import Pool
from keybundle.core.setup.routines import Copies
from keybundle.core.store import schema as t
from keybundle.core.store import work
from keybundle.core.store.work import Taken
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send.sending import NOT_TO_SEND, make_files, texts_of
from keybundle.core.workflows.send.under_way import sending
from keybundle.core.workflows.send.wishes import Sent, SentDocument, Wish, check_wish, note_leaving, still_to_send
from keybundle.core.workflows.session.behind import Duty, do_due
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import machine_session
from keybundle.core.workflows.session.workspace import Workspace


def duty(workspace: Workspace, pool: Pool) -> Duty:
    """Return the duty of writing the copies that are due; what has no PDF yet waits for it."""
    r = t.rendition.c
    unmade = select(r.document_id).where(r.document_id == t.work.c.ref, r.sha.is_(None)).correlate(t.work)
    return Duty(
        work.COPY, lambda taken, _: _write(workspace, pool, taken), "copies.wait", where=[~unmade.exists()]
    )  # fmt: skip


def write_due(
    workspace: Workspace, pool: Pool, *, at_once: bool = False, is_stopped: Callable[[], bool] = lambda: False
) -> str:
    """Write the copies that are due (``at_once``: those that wait for another try too); return what is in the way.

    It asks between two copies whether it is stopped; what is left stays due.
    """
    do_due(workspace, duty(workspace, pool), at_once=at_once, is_stopped=is_stopped)
    return tell_trouble(workspace)


def tell_trouble(workspace: Workspace) -> str:
    """Return how many copies wait because something is in the way, and what; empty where nothing is."""
    with workspace.place.database.read() as c:
        waiting, said = work.troubles(c, work.COPY)
    return message("copies.wait", n=waiting, said=said) if waiting else ""


def _write(workspace: Workspace, pool: Pool, taken: Taken) -> None:
    """Write a copy; raises what is in the way. One whose document is gone is struck off."""
    machine, database = machine_session(workspace), workspace.place.database
    document, copies = FiledId(taken.ref), Copies(**taken.data["copies"])
    wish = Wish(copies.form, names=copies.names)
    with database.read() as c:
        is_there = bool(machine.documents(c, [document], with_values=False))
    if not is_there:
        _end(machine, taken, Sent(), wish)  # it was taken back, deleted or erased meanwhile
        return
    check_wish(workspace, wish)
    root = Path(copies.folder).expanduser()
    if not root.is_dir():
        raise EnvironmentProblem(message("copies.folder-not", folder=copies.folder))
    texts = texts_of(workspace, load_document(machine, document), 1)
    home = root.joinpath(*(safe_name(fill_name(p, texts)) for p in copies.sub_folders.split("/") if p.strip()))
    with sending(workspace, root) as ref:
        landing = Landing(home, keeps_same=True, owner=ref)

        def note(sent: Sequence[SentDocument]) -> set[FiledId]:
            with database.read() as c:
                return still_to_send(machine, c, sent)

        sent = make_files(machine, pool, [document], wish, landing, note=note, ref=ref)
    if sent.stopped:
        raise EnvironmentProblem(sent.stopped)
    if sent.refused and sent.refused[0][1] != NOT_TO_SEND:
        raise InputProblem(sent.refused[0][1])
    _end(machine, taken, sent, wish)


def _end(machine: Session, taken: Taken, sent: Sent, wish: Wish) -> None:
    told = {"how": "copy", "to": taken.data["copies"]["folder"], **asdict(wish)}
    with machine.workspace.place.database.atomic() as c:
        note_leaving(machine, taken.data["who"], sent.documents, told)
        work.done(c, taken)
