"""The same change to many filed documents: in pieces, with a count, stopped between two of them, taken back as one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy import Connection

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.filing.revise import Command, revise
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.keep.correcting import Corrected
from keybundle.core.workflows.keep.naming import names_of_fields
from keybundle.core.workflows.session.session import Session, needs

LOT = 200


@needs(Right.CORRECT)
def revise_each(
    session: Session, document_ids: Sequence[str], meant: Callable[[FiledDocument], Command | None], comment: str, *,
    right: Right = Right.CORRECT, progress: Progress = silent, cancel: CancelToken | None = None,
) -> Corrected:  # fmt: skip
    """Do to each document what ``meant`` says of it (None: nothing), as a further version of each.

    What may not be changed, or was changed by somebody else meanwhile, is left as it is. Returns what was changed, which
    ``take_back_correction`` puts back; where it was stopped, that is what was done until then.
    """
    workspace, at = session.workspace, session.workspace.clock.stamp()
    versions, left = list[tuple[str, int, int]](), list[tuple[str, str]]()
    named = names_of_fields(workspace.setup)

    def revise_one(c: Connection, one: tuple[FiledDocument, Command]) -> None:
        document, command = one
        if cancel is not None and cancel.cancelled:
            return
        try:
            if not session.may_at(c, document.id, right):
                raise InputProblem("")
            after = revise(
                c, document.id, command, base=document.revision, who=session.person, at=at, comment=comment,
                locale=workspace.setup.locale, named=named,
            )  # fmt: skip
        except InputProblem:
            left.append((document.id, document.caption))
            return
        if after.version != document.version:
            versions.append((document.id, document.version, after.revision))

    for start in range(0, len(document_ids), LOT):
        if cancel is not None and cancel.cancelled:
            break
        with workspace.place.database.read() as c:
            found = workspace.repository.load_many(document_ids[start : start + LOT], view=session.view(c, right))
        wanted = [(document, command) for document in found.values() if (command := meant(document)) is not None]
        in_pieces(workspace.place.database, wanted, revise_one)
        progress(Step(min(len(document_ids), start + LOT), len(document_ids), comment))
    return Corrected(tuple(versions), len(versions), tuple(left))
