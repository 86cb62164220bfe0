"""Tags of documents, on the slip and filed: words told apart by commas."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import Connection

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch
from keybundle.core.filing.commit import retag_document
from keybundle.core.repository.rows import load_tags
from keybundle.core.rights.model import Right
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.arrange.bench import run_command
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.session import NotAllowed, Session, needs

MOST_AT_ONCE = 2_000
Retagged = dict[str, tuple[tuple[str, ...], tuple[str, ...]]]  # by document: its tags before and after


def read_tags(text: str) -> tuple[str, ...]:
    """Return the tags of a line, each once, in their order."""
    return tuple(dict.fromkeys(" ".join(part.split()) for part in text.split(",") if part.strip()))


@needs(Right.INDEX, under="indexing")
def set_tags(session: Session, line: Line, batch_id: str, document_id: str, text: str) -> Changes:
    """Give a document of a batch tags."""
    tags = read_tags(text)

    def command(batch: Batch) -> Batch:
        commands.guard(batch, document_id)
        changed = replace(batch.document(document_id), tags=tags)
        return commands.with_changes(batch, documents={document_id: changed})

    return run_command(session, line, batch_id, message("step.tags"), command)


@needs(Right.LOOK)
def common_tags(session: Session, document_ids: Sequence[str]) -> tuple[str, ...]:
    """Return the tags that all of these filed documents have; raises InputProblem for more than ``MOST_AT_ONCE``."""
    workspace = session.workspace
    if len(document_ids) > MOST_AT_ONCE:
        raise InputProblem(message("tags.tags-change-most-documents-once", MOST_AT_ONCE=MOST_AT_ONCE))
    with workspace.place.database.read() as c:
        found = list(workspace.repository.load_many(document_ids, view=session.view(c)).values())
    return tuple(tag for tag in found[0].tags if all(tag in d.tags for d in found)) if found else ()


@needs(Right.CORRECT)
def retag(session: Session, document_ids: Sequence[str], before: Sequence[str], text: str) -> Retagged:
    """Change the tags that filed documents have in common from ``before`` to those of a line; others of theirs stay.

    Returns what changed, for ``put_back``.
    """
    workspace, who = session.workspace, session.person
    wanted, changed = read_tags(text), Retagged()
    with workspace.place.database.read() as c:
        found = workspace.repository.load_many(document_ids, view=session.view(c, Right.CORRECT))
        if left := len(set(document_ids) - set(found)):
            told = message("tags.of-them", n=left)
            raise NotAllowed(message("tags.may-not-corrected-or-no", told=told, name=session.name))

    def retag_one(c: Connection, document_id: str) -> None:
        if not session.may_at(c, document_id, Right.CORRECT):
            return  # that was taken away meanwhile
        own = load_tags(c, [document_id]).get(document_id, ())  # as they are by now
        kept = [tag for tag in own if tag not in before or tag in wanted]
        tags = tuple(dict.fromkeys([*kept, *wanted]))
        if tags != own:
            retag_document(workspace.place.database, workspace.repository, document_id, tags, who)
            changed[document_id] = own, tags

    in_pieces(workspace.place.database, list(found), retag_one)
    return changed


@needs(Right.CORRECT)
def put_back(session: Session, changed: Retagged) -> int:
    """Give documents the tags back that they had before; where somebody has changed them again since, they stay.

    Returns how many documents have their former tags again.
    """
    workspace, who = session.workspace, session.person
    with workspace.place.database.read() as c:
        found = workspace.repository.load_many(list(changed), view=session.view(c, Right.CORRECT))
    done = 0

    def put_one(c: Connection, document_id: str) -> None:
        nonlocal done
        tags, left = changed[document_id]
        if session.may_at(c, document_id, Right.CORRECT) and load_tags(c, [document_id]).get(document_id, ()) == left:
            retag_document(workspace.place.database, workspace.repository, document_id, tags, who)
            done += 1

    in_pieces(workspace.place.database, list(found), put_one)
    return done
