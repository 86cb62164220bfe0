"""Forgetting: what a law wants forgotten of the audit trail (the chain still holds), and what closed batches no longer need."""

from __future__ import annotations

import contextlib
import secrets
import time
from datetime import timedelta
from pathlib import Path

from sqlalchemy import Connection, delete, exists, null, or_, select, update

from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.messages import message
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.search import index
from keybundle.core.setup.model import StorageArea
from keybundle.core.store import ledger
from keybundle.core.store import schema as t
from keybundle.core.store.files import MAY_BE_SOMEBODYS
from keybundle.core.store.texts import drop_texts
from keybundle.core.workflows.file.closing import KEPT_DAYS
from keybundle.core.workflows.file.renditions import MAKING
from keybundle.core.workflows.file.throwing_away import erase_batch
from keybundle.core.workflows.keep.areas.places import require_there
from keybundle.core.workflows.keep.areas.relocating import leaving
from keybundle.core.workflows.keep.documents.received import forget_copies
from keybundle.core.workflows.keep.folders.moving import finish_following
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.pages.preview_files import CLEANED
from keybundle.core.workflows.send.under_way import clear_up
from keybundle.core.workflows.session.behind import do_due
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.workspace import Workspace

BATCHES_AT_ONCE = 20
NOT_FILED_SECONDS = 30 * 86_400.0  # what was made ahead for a filing that did not come


@needs(Right.OVERSEE, Right.GIVE_RIGHTS)
def purge_details(session: Session, subject: str, reason: str) -> int:
    """Forget the details of all rows about a document (or another subject by id) and return of how many.

    That it was done, by whom and why is a row of its own. Raises InputProblem without a reason, and for a subject that
    has no details or may not be looked at.
    """
    if not reason.strip():
        raise InputProblem(message("forgetting.needs-reason"))
    workspace, d = session.workspace, t.document.c
    with workspace.place.database.atomic() as c:
        is_document = c.execute(select(exists().where(d.id == subject))).scalar()
        seen = select(exists().where(d.id == subject, *session.view(c).documents()))
        count = audit.purge(c, subject) if not is_document or c.execute(seen).scalar() else 0
        if not count:
            raise InputProblem(message("forgetting.nothing-there", subject=subject))
        told = {"rows": count, "reason": reason.strip()}
        audit.append(c, workspace.clock.stamp(), session.person, "details purged", subject, told)
    return count


@needs(Right.LOOK)
def tidy_up(session: Session) -> None:
    """Do at a start what was left to do: sort, erase what is due, and let go of what nobody needs any more."""
    bring_areas_inside(session.workspace)
    sweep_parts(session.workspace)
    session.workspace.sort_folders()
    forget_copies(session.workspace)
    forget_orphans(session.workspace, f"{secrets.randbelow(256):02x}")
    do_due(session.workspace, leaving(session.workspace), at_once=True)
    do_due(session.workspace, clear_up(session.workspace), at_once=True)
    forget_closed(session.workspace)
    finish_erasing(session.workspace)
    finish_following(session.workspace, session)


def forget_orphans(workspace: Workspace, prefix: str) -> int:
    """Take away stored files that nothing ever named: a stop fell between storing them and saying what for; return how many.

    Those whose hash begins with ``prefix``; young ones may still be somebody's and stay (``FileStore.retire``).
    """
    files, gone = workspace.place.files, 0
    for path in sorted((files.root / prefix).glob("*/*")):
        # Nobody can begin to name the file while it is asked and taken away.
        with workspace.place.database.atomic() as c:
            gone += (
                not ledger.is_known(c, path.name) and not ledger.is_held(c, path.name) and files.retire(path.name, 0.0)
            )
    return gone


def forget_closed(workspace: Workspace, *, days: int = KEPT_DAYS, most: int = BATCHES_AT_ONCE) -> int:
    """Let go of what batches need only while they are open, once they are closed for some days; return of how many.

    Their steps, what was measured of their sides, values of slips that are filed, and texts of sides that were left out. Their
    account stays: each side with its end. A few batches at a time, each in a transaction of its own, the oldest first.
    """
    b, p, d = t.batch.c, t.page.c, t.batch_document.c
    before = (workspace.clock.now() - timedelta(days=days)).isoformat()
    with workspace.place.database.read() as c:
        has_steps = select(t.step.c.id).where(t.step.c.batch_id == b.id).exists()
        has_facts = select(t.page.c.id).where(t.page.c.batch_id == b.id, t.page.c.facts.is_not(None)).exists()
        chosen = (
            select(b.id)
            .where(b.closed_at < before, or_(has_steps, has_facts, b.thrown_by.is_not(None)))
            .order_by(b.closed_at)
            .limit(most)
        )
        batches = list(c.execute(chosen).scalars())
        thrown = set(c.execute(select(b.id).where(b.id.in_(batches), b.thrown_by.is_not(None))).scalars())
    for batch_id in batches:
        with workspace.place.database.atomic() as c:
            if batch_id in thrown:
                erase_batch(workspace, c, batch_id, MACHINE)
            c.execute(delete(t.step).where(t.step.c.batch_id == batch_id))
            own = select(d.id).where(d.batch_id == batch_id)
            c.execute(delete(t.batch_value).where(t.batch_value.c.document_id.in_(own)))
            texts = select(p.id, p.text_id).where(p.batch_id == batch_id, p.text_id.is_not(None))
            pages = c.execute(texts).all()
            _let_go_of_flat(workspace, c, batch_id)
            c.execute(update(t.page).where(p.batch_id == batch_id).values(facts=null(), text_id=None))
            index.remove(c, [page.id for page in pages])
            drop_texts(c, [page.text_id for page in pages])
    with workspace.place.database.atomic() as c:
        # What came in with nothing that was taken has no batch to keep its account.
        a = t.arrival.c
        lone = [a.batch_id.is_(None), a.received_at < before]
        c.execute(update(t.arrival).where(*lone).values(parent_id=None))
        c.execute(delete(t.arrival).where(*lone))
    return len(batches)


def _let_go_of_flat(workspace: Workspace, c: Connection, batch_id: str) -> None:
    """Let go of the pictures of photographs made flat that only what was measured named; what is filed holds its own."""
    p, flat = t.page.c, t.page.c.facts["flat_sha"].as_string()
    for row in c.execute(select(p.id, flat.label("flat")).where(p.batch_id == batch_id, flat != "")).all():
        ledger.take_away_unheld(c, workspace.clock.stamp(), ledger.let_go(c, ledger.PAGE, row.id, [row.flat]))


def bring_areas_inside(workspace: Workspace) -> None:
    """Let areas inside the data directory be told by where they lie in it, so that they move along with it."""
    root = workspace.place.root.resolve()

    def told(area: StorageArea) -> StorageArea:
        path = Path(area.path)
        is_inside = path.is_absolute() and path.resolve().is_relative_to(root)
        return area.model_copy(update={"path": str(path.resolve().relative_to(root))}) if is_inside else area

    if (
        workspace.has_setup
        and (now := tuple(map(told, workspace.setup.storage_areas))) != workspace.setup.storage_areas
    ):
        workspace.change_setup(MACHINE, lambda setup: setup.model_copy(update={"storage_areas": now}))


def sweep_parts(workspace: Workspace) -> None:
    """Take away what a program that was killed left unfinished, in the data directory and in all areas that are there."""
    workspace.place.files.sweep()
    cache = workspace.place.cache
    for pattern, seconds in ((f"{MAKING}/*", MAY_BE_SOMEBODYS), (f"{CLEANED}/*/*", NOT_FILED_SECONDS)):
        for left in cache.glob(pattern):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > seconds:
                    left.unlink()
    for area in workspace.setup.storage_areas:
        with contextlib.suppress(AppError):
            store = require_there(workspace, area.id)
            if store is not None:
                store.sweep()
