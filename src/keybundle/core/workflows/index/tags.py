"""Tags of documents, on the slip and filed: words told apart by commas."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from sqlalchemy import Connection

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, DocumentId, FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch
from keybundle.core.repository.rows import load_tags
from keybundle.core.rights.model import Right
from keybundle.core.store.pieces import in_pieces, say_stopped
from keybundle.core.workflows.arrange.bench import run_command
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.session import NotAllowed, Session, asks_inside, needs

MOST_AT_ONCE = 2_000


class Retagged(dict[str, tuple[tuple[str, ...], tuple[str, ...]]]):
    """What became of tags, by document: those before and after; how many were left, and what stopped it (empty: nothing)."""

    def __init__(
        self,
        changed: Mapping[str, tuple[tuple[str, ...], tuple[str, ...]]] | None = None,
        left: int = 0,
        stopped: str = "",
    ) -> None:
        super().__init__(changed or {})
        self.left, self.stopped = left, stopped


def read_tags(text: str) -> tuple[str, ...]:
    """Return the tags of a line, each once, in their order."""
    return tuple(dict.fromkeys(" ".join(part.split()) for part in text.split(",") if part.strip()))


@needs(Right.INDEX, under="indexing")
def set_tags(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, text: str) -> Changes:
    """Give a document of a batch tags."""
    tags = read_tags(text)

    def command(batch: Batch) -> Batch:
        commands.guard(batch, document_id)
        changed = replace(batch.document(document_id), tags=tags)
        return commands.with_changes(batch, documents={document_id: changed})

    return run_command(session, line, batch_id, message("step.tags"), command)


@needs(Right.LOOK)
def common_tags(session: Session, document_ids: Sequence[FiledId]) -> tuple[str, ...]:
    """Return the tags that all of these filed documents have; raises InputProblem for more than ``MOST_AT_ONCE``."""
    workspace = session.workspace
    if len(document_ids) > MOST_AT_ONCE:
        raise InputProblem(message("tags.tags-change-most-documents-once", MOST_AT_ONCE=MOST_AT_ONCE))
    with workspace.place.database.read() as c:
        found = list(session.documents(c, document_ids).values())
    return tuple(tag for tag in found[0].tags if all(tag in d.tags for d in found)) if found else ()


@needs(Right.CORRECT)
def retag(session: Session, document_ids: Sequence[FiledId], before: Sequence[str], text: str) -> Retagged:
    """Change the tags that filed documents have in common from ``before`` to those of a line; others of theirs stay.

    Returns what changed, for ``put_back``.
    """
    workspace, wanted = session.workspace, read_tags(text)
    with workspace.place.database.read() as c:
        found = session.documents(c, document_ids, Right.CORRECT)
        if left := len(set(document_ids) - set(found)):
            told = message("tags.of-them", n=left)
            raise NotAllowed(message("tags.may-not-corrected-or-no", told=told, name=session.name))

    def tags_of(own: tuple[str, ...]) -> tuple[str, ...]:
        kept = [tag for tag in own if tag not in before or tag in wanted]
        return tuple(dict.fromkeys([*kept, *wanted]))

    return retag_each(session, [FiledId(i) for i in found], tags_of)


@asks_inside(Right.CORRECT)
def retag_each(
    session: Session, document_ids: Sequence[FiledId], tags_of: Callable[[tuple[str, ...]], tuple[str, ...]],
    tell: Callable[[], None] = lambda: None, cancel: CancelToken | None = None,
) -> Retagged:  # fmt: skip
    """Give each document the tags that are made of those it has by now; what may not be tagged (any more) stays as it is.

    Raises NotAllowed where that is so of all, and what stopped it where nothing was done.
    """
    workspace = session.workspace

    def retag_one(
        c: Connection, document_id: str
    ) -> tuple[str, tuple[str, ...], tuple[str, ...]] | InputProblem | None:
        if cancel is not None and cancel.cancelled:
            return None
        own = load_tags(c, [document_id]).get(document_id, ())
        tags = tags_of(own)
        tell()
        if tags == own:
            return None
        try:
            session.document(document_id, Right.CORRECT).tag(tags)
        except InputProblem as error:
            return error
        return document_id, own, tags

    found = in_pieces(workspace.place.database, document_ids, retag_one)
    refused = [x for x in found.done if isinstance(x, InputProblem)]
    changed = [x for x in found.done if isinstance(x, tuple)]
    if refused and not changed:
        raise refused[0]
    return Retagged(
        {i: (own, tags) for i, own, tags in changed},
        len(refused),
        say_stopped(len(changed), len(document_ids), found.stopped),
    )


@needs(Right.CORRECT)
def put_back(session: Session, changed: Retagged) -> int:
    """Give documents the tags back that they had before; where somebody has changed them again since, they stay.

    Returns how many documents have their former tags again.
    """
    workspace = session.workspace
    with workspace.place.database.read() as c:
        found = session.documents(c, list(changed), Right.CORRECT)

    def put_one(c: Connection, document_id: str) -> bool:
        tags, left = changed[document_id]
        if load_tags(c, [document_id]).get(document_id, ()) != left:
            return False
        with contextlib.suppress(InputProblem):
            session.document(document_id, Right.CORRECT).tag(tags)
            return True
        return False

    ended = in_pieces(workspace.place.database, list(found), put_one)
    if ended.stopped:
        raise InputProblem(say_stopped(sum(ended.done), len(changed), ended.stopped))
    return sum(ended.done)
