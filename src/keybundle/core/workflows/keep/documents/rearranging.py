"""Pages of filed documents turned, moved, left out, put in or split off, and a type that was wrong.

Each is a further version; ``take_back_correction`` undoes it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import Connection, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId, PageId
from keybundle.core.base.messages import Message, message
from keybundle.core.base.records import dataclass
from keybundle.core.filing import page_commands, trash
from keybundle.core.filing.destination import make_caption
from keybundle.core.filing.gate import Change, Following
from keybundle.core.filing.keeping import keep_document_to
from keybundle.core.filing.revise import Command, revise
from keybundle.core.repository.access import load_list
from keybundle.core.repository.model import FiledDocument, NewDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.documents.correcting import Corrected, take_back_correction
from keybundle.core.workflows.session.naming import names_of_fields
from keybundle.core.workflows.session.session import NotAllowed, Session, needs


@dataclass(frozen=True)
class SplitOff:
    """What was split off: the document that has fewer pages now, and the new one (by id) that has them."""

    corrected: Corrected
    document: str


@needs(Right.CORRECT)
def turn_pages(
    session: Session, document_id: FiledId, page_ids: Sequence[PageId], degrees: int, base: int | None
) -> Corrected:
    """Turn pages of a filed document clockwise; raises as ``correct`` does, and for files that are no pictures of pages."""
    command = page_commands.turn_pages(page_ids, degrees)
    return _revise(session, document_id, command, base, message("version.turned", n=len(page_ids)))


@needs(Right.CORRECT)
def move_pages(
    session: Session, document_id: FiledId, page_ids: Sequence[PageId], before: str | None, base: int | None
) -> Corrected:
    """Put pages of a filed document before another one of it, at its end for None."""
    command = page_commands.move_pages(page_ids, before)
    return _revise(session, document_id, command, base, message("version.moved", n=len(page_ids)))


@needs(Right.CORRECT)
def leave_out(session: Session, document_id: FiledId, page_ids: Sequence[PageId], base: int | None) -> Corrected:
    """Take pages out of a filed document; the versions before have them still."""
    command = page_commands.leave_out(page_ids)
    return _revise(session, document_id, command, base, message("version.left-out", n=len(page_ids)))


@needs(Right.CORRECT)
def put_in(
    session: Session,
    document_id: FiledId,
    source: FiledId,
    page_ids: Sequence[PageId],
    before: str | None,
    base: int | None,
) -> Corrected:
    """Put pages of another filed document (which keeps them) before a page of this one, at its end for None."""
    with session.workspace.place.database.atomic() as c:
        other = _load(session, c, source)
        chosen = [p for p in other.pages if p.page_id in page_ids]
        return _revise(
            session, document_id, page_commands.put_in(chosen, before), base, message("version.put-in", n=len(chosen))
        )


@needs(Right.CORRECT)
def change_type(session: Session, document_id: FiledId, type_id: str, base: int | None) -> Corrected:
    """Give a filed document another type of its cabinet; values of fields that the new one has not are let go of.

    Raises InputProblem for a type of another cabinet: that is another folder, and a filing of its own.
    """
    setup = session.workspace.setup
    kind = setup.document_type(type_id)
    if kind is None or kind not in session.types():
        raise InputProblem(message("rearranging.no-such-type"))

    def command(before: FiledDocument) -> FiledDocument:
        if kind.cabinet != before.cabinet:
            raise InputProblem(message("rearranging.other-cabinet", caption=before.caption, kind=kind.name))
        placed = {field for field, _ in before.folder}
        values = {k: v for k, v in before.values.items() if kind.field(k) is not None or k in placed}
        return replace(before, type=kind.id, values=values, caption=make_caption(kind, values) or before.caption)

    said = message("version.other-type", kind=name_of(setup.document_types, type_id))
    return _revise(session, document_id, command, base, said)


@needs(Right.CORRECT, Right.FILE)
def split_off(session: Session, document_id: FiledId, page_ids: Sequence[PageId], base: int | None) -> SplitOff:
    """Make pages of a filed document a document of their own, in the same folder, of the same type and with its values."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        before = _load(session, c, document_id)
        corrected = _revise(
            session, document_id, page_commands.leave_out(page_ids), base,
            message("version.split-off", n=len(page_ids)),
        )  # fmt: skip
        pages = tuple(p for p in before.pages if p.page_id in page_ids)
        placed = {field for field, _ in before.folder}
        kind = workspace.setup.document_type(before.type)
        own = {
            k: v
            for k, v in before.values.items()
            if k not in placed or (kind is not None and kind.field(k) is not None)
        }
        named = (kind.name if kind is not None else before.type, name_of(workspace.setup.cabinets, before.cabinet))
        new = NewDocument(
            f"{document_id}/{corrected.versions[0][2]}", before.cabinet, before.folder, before.type, before.caption, own,
            pages, tags=before.tags, received_at=before.received_at, named=named,
        )  # fmt: skip
        made = session.document(document_id, Right.CORRECT).beside(new)
        kept = load_list(c, c.execute(select(t.document.c.access_id).where(t.document.c.id == document_id)).scalar())
        if kept is not None:
            keep_document_to(c, Following(session.person, session.name), made, kept)  # as the one it comes from
    return SplitOff(corrected, made)


@needs(Right.CORRECT, Right.DELETE)
def take_back_split(session: Session, split: SplitOff) -> int:
    """Give split-off pages back to their document, and put the one that had them into the trash; return how many were."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        done = take_back_correction(session, split.corrected)
        if done:
            at, why = workspace.clock.stamp(), message("rearranging.given-back")
            trash.throw_away(c, split.document, by=session, at=at, why=why)
        return done


def _load(session: Session, c: Connection, document_id: FiledId) -> FiledDocument:
    """Return a document that the person may correct; raises NotAllowed for any other."""
    if document_id not in session.documents(c, [document_id], Right.CORRECT, with_values=False):
        raise NotAllowed(message("correcting.may-not", name=session.name))
    return session.document(document_id, Right.CORRECT).load()


def _revise(session: Session, document_id: FiledId, command: Command, base: int | None, comment: Message) -> Corrected:
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        before = _load(session, c, document_id)
        after = revise(
            c, document_id, command, by=session, base=base, at=workspace.clock.stamp(), comment=comment,
            locale=workspace.setup.locale, named=names_of_fields(workspace.setup), what=Change.PAGES,
        )  # fmt: skip
    changed = after.version != before.version
    return Corrected(((document_id, before.version, after.revision),) if changed else (), 0)
