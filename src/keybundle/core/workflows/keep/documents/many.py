"""The same change to many filed documents: in pieces, with a count, stopped between two of them, taken back as one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy import Connection

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.filing.gate import ASKS, By, Change
from keybundle.core.filing.revise import Command, revise
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.store.pieces import in_pieces, say_stopped
from keybundle.core.workflows.session.naming import names_of_fields
from keybundle.core.workflows.session.session import MACHINE, Session, asks_inside

LOT = 200


@dataclass(frozen=True)
class Corrected:
    """What a change of many changed: each document with the version it had before and the revision it has now.

    ``left`` are those (id, caption) that stay as they are, for somebody else changed them meanwhile or they may not be
    changed so (``why`` then says it of one; ``said`` of each, by id). ``stopped`` says what ended it before the end, empty
    where nothing did.
    ``follows`` are those (ids) that went where their corrected values say: undo asks the same right.
    """

    versions: tuple[tuple[str, int, int], ...]
    values: int
    left: tuple[tuple[str, str], ...] = ()
    stopped: str = ""
    why: str = ""
    follows: frozenset[str] = frozenset()
    said: tuple[tuple[str, str], ...] = ()

    def changes(self) -> Changes:
        """Return what this touched."""
        return Changes(repository=True, text=message("correcting.corrected", n=len(self.versions)))


@dataclass(frozen=True)
class Meant:
    """A document as it was looked at, what is to be done to it, and to how many values.

    ``follows``: it goes to another folder for these very values (``Right.FOLLOW``).
    """

    document: FiledDocument
    command: Command
    values: int = 1
    follows: bool = False


@dataclass(frozen=True)
class _Done:
    """What became of one: its new revision (None: nothing to do), or why it was left."""

    meant: Meant
    revision: int | None = None
    refused: InputProblem | None = None


@asks_inside(Right.CORRECT)
def revise_many(
    session: Session, wanted: Sequence[Meant], comment_of: Callable[[Meant], str], *, by: By | None = None,
    what: Change = Change.VALUES, of: int = 0, cancel: CancelToken | None = None,
) -> Corrected:  # fmt: skip
    """Do to each document what is meant, as a further version; what may not be, or was changed meanwhile, is left.

    Raises NotAllowed where that is so of all of them, and what stopped it where nothing was done.
    """
    workspace, at = session.workspace, session.workspace.clock.stamp()
    named = names_of_fields(workspace.setup)

    def revise_one(c: Connection, one: Meant) -> _Done:
        if cancel is not None and cancel.cancelled:
            return _Done(one)
        try:
            after = revise(
                c, one.document.id, one.command, by=by or session, base=one.document.revision, at=at,
                comment=comment_of(one), locale=workspace.setup.locale, named=named, what=what, follows=one.follows,
            )  # fmt: skip
        except InputProblem as error:
            return _Done(one, refused=error)
        return _Done(one, after.revision if after.version != one.document.version else None)

    found = in_pieces(workspace.place.database, wanted, revise_one)
    changed = [x for x in found.done if x.revision is not None]
    refused = [(x.meant.document, x.refused) for x in found.done if x.refused is not None]
    if not changed and not found.stopped and refused and all(isinstance(e, NotAllowed) for _, e in refused):
        raise refused[0][1]
    why = next((str(e) for _, e in refused if isinstance(e, NotAllowed)), "")
    return Corrected(
        tuple((x.meant.document.id, x.meant.document.version, x.revision) for x in changed if x.revision is not None),
        sum(x.meant.values for x in changed), tuple((d.id, d.caption) for d, _ in refused),
        say_stopped(len(changed), of or len(wanted), found.stopped), why,
        frozenset(x.meant.document.id for x in changed if x.meant.follows), tuple((d.id, str(e)) for d, e in refused),
    )  # fmt: skip


@asks_inside(Right.CORRECT)
def revise_each(
    session: Session, document_ids: Sequence[FiledId], meant: Callable[[FiledDocument], Command | None], comment: str, *,
    by: By | None = None, what: Change = Change.VALUES, progress: Progress = silent, cancel: CancelToken | None = None,
) -> Corrected:  # fmt: skip
    """Do to each document what ``meant`` says of it (None: nothing), as a further version of each.

    What may not be changed, or was changed by somebody else meanwhile, is left as it is. Returns what was changed, which
    ``take_back_correction`` puts back; where it was stopped, that is what was done until then. ``by``: in whose name, where
    that is not the session's person (``gate.Following``).
    """
    workspace, whole = session.workspace, Corrected((), 0)
    for start in range(0, len(document_ids), LOT):
        if cancel is not None and cancel.cancelled:
            break
        with workspace.place.database.read() as c:
            found = _whole(session, by).documents(c, document_ids[start : start + LOT], ASKS[what])
        wanted = [Meant(document, command) for document in found.values() if (command := meant(document)) is not None]
        try:
            lot = revise_many(session, wanted, lambda _: comment, by=by, what=what, of=len(document_ids), cancel=cancel)
        except NotAllowed as error:
            lot = Corrected((), 0, tuple((x.document.id, x.document.caption) for x in wanted), why=str(error))
        whole = add_up(whole, lot)
        if whole.stopped:
            break
        progress(Step(min(len(document_ids), start + LOT), len(document_ids), comment))
    return whole


def _whole(session: Session, by: By | None) -> Session:
    """Return the session that documents are read by: the machine's own where it was asked for already."""
    return session if by is None else Session(session.workspace, MACHINE)


def add_up(first: Corrected, second: Corrected) -> Corrected:
    """Return two changes as one, to be taken back as one."""
    return Corrected(
        (*first.versions, *second.versions), first.values + second.values, (*first.left, *second.left),
        second.stopped or first.stopped, first.why or second.why, first.follows | second.follows, (*first.said, *second.said),
    )  # fmt: skip
