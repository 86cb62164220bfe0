"""Filing a batch's documents, and taking one back.

A filing claims the ready documents first, so that nobody changes them meanwhile; brings the files of each into its area; and
commits it only if it is still what was claimed. What it could not file it lets go of, with the reason. PDFs are made behind
(``renditions``).
"""

from __future__ import annotations

import json
import logging
from collections.abc import Collection, Mapping, Sequence
from dataclasses import field

from sqlalchemy import Connection, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.ids import BatchId, DocumentId, FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Batch, Document, State
from keybundle.core.filing.commit import compose_document
from keybundle.core.filing.destination import Destination, compute_destination, make_caption
from keybundle.core.filing.gate import Following
from keybundle.core.filing.keeping import keep_document_to
from keybundle.core.jobs.pool import Pool
from keybundle.core.rights.model import AccessList, Right
from keybundle.core.setup.model import DocumentType
from keybundle.core.setup.routines import Routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.file.copies_due import note_due
from keybundle.core.workflows.file.records import FiledEntry, add_entry, end_record
from keybundle.core.workflows.keep.areas.places import area_of, bring_files, note_places
from keybundle.core.workflows.pages.page_jobs import cleaned_by
from keybundle.core.workflows.propose.learning import learn, refresh_calibration, unlearn
from keybundle.core.workflows.propose.why_not import why_not
from keybundle.core.workflows.session.handles import OpenBatch, release_claim
from keybundle.core.workflows.session.session import NotAllowed, Session, asks_inside, needs
from keybundle.core.workflows.session.workspace import Workspace

log = logging.getLogger(__name__)
CHANGED = message("filing.changed-while-being-filed-so")
TYPED = message("filing.typed-not-kept")
CANCELLED = message("filing.filing-cancelled-before")
A_BUG = message("filing.something-went-wrong-inside-key")


@dataclass
class Filed:
    """What a filing brought: filed documents, and the others with what they still wait for."""

    batch: BatchId
    entries: list[FiledEntry] = field(default_factory=list)
    left: list[tuple[str, str]] = field(default_factory=list)
    record: str | None = None
    seconds: float = 0.0

    def changes(self) -> Changes:
        """Return what this touched."""
        return Changes(frozenset([self.batch]), repository=True, text=message("filing.filed", n=len(self.entries)))


@dataclass(frozen=True)
class _InHand:
    """A claimed document as it was then."""

    document: Document
    kind: DocumentType
    destination: Destination
    texts: dict[str, bytes]
    routine: Routine


@dataclass
class Filing:
    """A filing under way: what it has claimed, and what it has brought so far."""

    claim: str
    who: str
    result: Filed
    was_seen: bool
    in_hand: list[_InHand] = field(default_factory=list)


@needs(Right.FILE, under="filing")
def file_documents(
    session: Session, pool: Pool, batch_id: BatchId, document_ids: Sequence[DocumentId] | None = None, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Filed:  # fmt: skip
    """File the ready ones among the named documents (None: all of the batch), each all or nothing, and make their PDFs.

    The others are left and listed with the reason, and so is what is still to come when ``cancel`` is set; a PDF that is
    not made then stays due. Raises InputProblem for a person who may only look.
    """
    cancel = cancel or CancelToken()
    begun = begin_filing(session, batch_id, document_ids)

    def filed() -> set[FiledId]:
        return {entry.id for entry in begun.result.entries}

    with renditions.made_meanwhile(session.workspace, pool, filed, cancel) as meanwhile:
        result = finish_filing(session, pool, begun, progress=progress, cancel=cancel)
    made = renditions.make_due(session.workspace, pool, only=filed(), progress=progress, cancel=cancel)
    result.seconds += meanwhile.seconds + made.seconds
    return result


@needs(Right.FILE, under="filing")
def begin_filing(
    session: Session, batch_id: BatchId, document_ids: Sequence[DocumentId] | None = None, *,
    unkept: Collection[str] = (),
) -> Filing:  # fmt: skip
    """Claim what is ready among the named documents (None: all of the batch); ``finish_filing`` must follow.

    This much is quick: what a person does to the batch afterwards waits for it, not for the files. Documents for which
    something was typed that could not be kept (``unkept``), and those that others changed since the batch was ``seen``,
    are left: nobody who files them knows them as they are. Raises InputProblem for a person who may only look.
    """
    workspace, who = session.workspace, session.person
    begun = Filing(workspace.clock.new_id(), who, Filed(batch_id), document_ids is not None)
    try:
        _take_in_hand(session.batch(batch_id), begun, document_ids, unkept)
    except BaseException:
        _let_go(session, begun)
        raise
    return begun


@asks_inside(Right.FILE)
def finish_filing(
    session: Session, pool: Pool, begun: Filing, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> Filed:
    """Commit each claimed document once its files lie in their area; what is left is let go of, with the reason."""
    workspace = session.workspace
    cancel, result, in_hand = cancel or CancelToken(), begun.result, begun.in_hand
    try:
        if in_hand:
            progress(Step(0, len(in_hand), message("progress.filing")))
        for number, one in enumerate(in_hand, 1):
            said = _file_one(session, one, begun, cancel)
            if said:
                result.left.append((_name(one.document, one.kind), said))
            progress(Step(number, len(in_hand), message("progress.filing-one", document=_name(one.document, one.kind))))
    finally:
        _let_go(session, begun)
    if result.entries:
        result.record = begun.claim
        end_record(workspace, begun.claim, result.left)
        refresh_calibration(workspace, pool)
    return result


def _let_go(session: Session, begun: Filing) -> None:
    release_claim(session.workspace, begun.claim)


def _take_in_hand(
    own: OpenBatch, begun: Filing, document_ids: Sequence[str] | None, unkept: Collection[str] = ()
) -> None:
    """Claim what is ready; note why the others are left."""
    workspace, result = own.session.workspace, begun.result
    before = own.load()
    wanted = [d.id for d in before.in_order() if not d.filed_id and (document_ids is None or d.id in document_ids)]
    unknown = _why_unknown(before, wanted, own.list_unseen(), unkept)
    claimed = own.claim([i for i in wanted if i not in unknown], begun.claim)
    batch = own.load()
    routine = workspace.setup.routine(batch.routine) or Routine(name=batch.routine, sign="??")
    for document in (batch.documents[i] for i in wanted if i in batch.documents):
        kind, pages = workspace.setup.document_type(document.type), batch.pages_of(document.id)
        if document.id in unknown:
            result.left.append((_name(document, kind), unknown[document.id]))
            continue
        if document.id not in claimed or kind is None:
            result.left.append((_name(document, kind), why_not(workspace, document, pages)))
            continue
        texts = own.texts([p.id for p in pages])
        destination = compute_destination(kind, workspace.setup, document.values)
        begun.in_hand.append(_InHand(document, kind, destination, texts, routine))


def _why_unknown(
    batch: Batch, wanted: Sequence[str], unseen: Mapping[str, str], unkept: Collection[str]
) -> dict[str, str]:
    """Return the documents that are not as whoever files them knows them, and why."""
    found = {i: str(TYPED) for i in wanted if i in unkept}
    for document in (i for i in wanted if unseen and i not in found):
        things = (document, *(p.id for p in batch.pages_of(document)))
        if name := next((unseen[thing] for thing in things if thing in unseen), ""):
            found[document] = message("filing.changed-unseen", name=name)
    return found


def _file_one(session: Session, one: _InHand, begun: Filing, cancel: CancelToken) -> str:
    """File one document and note it in the result; return why it was left, empty when it was not."""
    try:
        if cancel.cancelled:
            return CANCELLED
        with session.workspace.place.database.read() as c:
            area = area_of(session.workspace, c, one.destination)
        batch = session.batch(begun.result.batch).load_document(DocumentId(one.document.id))
        bring_files(session.workspace, area, _files_of(batch, one))
        entry = _commit(session, one, begun, area)
    except AppError as error:
        return str(error)
    except Exception:
        log.exception("a document could not be filed")
        return A_BUG
    if entry is None:
        return CHANGED
    begun.result.entries.append(entry)
    return ""


def _files_of(batch: Batch, one: _InHand) -> list[str]:
    """Return the files that the pages of a document are shown from, and came as."""
    pages = batch.pages_of(one.document.id)
    return [sha for p in pages for sha in (p.file_sha, p.facts.flat_sha if p.facts else "") if sha]


def _commit(session: Session, one: _InHand, begun: Filing, area: str) -> FiledEntry | None:
    """File a document in one transaction; None, and nothing done, where it is no longer what was claimed."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        _require_at(session, c, one.destination)
        own = session.batch(begun.result.batch)
        own.keep_claim(begun.claim)
        batch = own.load_document(DocumentId(one.document.id))
        document = batch.document(one.document.id)
        if not _is_unchanged(workspace, document, one, begun.claim):
            return None
        new = compose_document(
            batch, document, one.kind, one.destination, one.texts, own.text_ids(one.texts), cleaned_by(one.routine),
        )  # fmt: skip
        filed_id = own.file(new)
        note_places(workspace, c, area, _files_of(batch, one))
        if document.kept_to is not None:
            said = Following(session.person, session.name)  # who may was asked when it was said on the slip
            keep_document_to(c, said, filed_id, AccessList.from_json(json.loads(document.kept_to)))
        learn(c, workspace, document, one.kind, one.texts, was_seen=begun.was_seen)
        note_due(workspace, c, filed_id, begun.who, batch.routine)
        path = (one.destination.titles[0], *(v for _, v in new.folder))
        entry = FiledEntry(filed_id, new.caption, one.kind.name, path, len(new.pages))
        add_entry(c, begun.claim, own, entry, workspace.clock.stamp(), begun.who)
    return entry


def _require_at(session: Session, c: Connection, destination: Destination) -> None:
    """Raise NotAllowed where the person may not file there, as the nearest list of what is there by now has it."""
    session.require(Right.FILE)
    path = [value or "" for _, value in destination.folder]
    if not session.may_there(c, destination.cabinet, path, Right.FILE):
        raise NotAllowed(
            message("filing.kept-others-may-not-file", list=" / ".join(destination.path), name=session.name)
        )


def _is_unchanged(workspace: Workspace, document: Document, one: _InHand, claim: str) -> bool:
    """Whether a document, its pages and what the set-up makes of it are as they were when it was claimed."""
    kind = workspace.setup.document_type(document.type)
    return (
        document.claim == claim
        and document.revision == one.document.revision
        and document.state is State.READY
        and kind is not None
        and compute_destination(kind, workspace.setup, document.values) == one.destination
        and make_caption(kind, document.values) == make_caption(one.kind, one.document.values)
    )


def _name(document: Document, kind: DocumentType | None) -> str:
    return (
        make_caption(kind, document.values)
        if kind and document.values
        else document.type or message("filing.document-without-type")
    )


def _refuse_scattered(c: Connection, filed_id: str) -> None:
    """Raise InputProblem where pages that a document was filed with are in another one by now."""
    p, d = t.version_page.c, t.document.c
    own = select(p.page_id).where(p.document_id == filed_id, p.version == 1)
    others = select(d.caption).join(t.version_page, (p.document_id == d.id) & (p.version == d.version))
    others = others.where(p.page_id.in_(own), d.id != filed_id, d.removed_at.is_(None))
    elsewhere = c.execute(others.limit(1)).scalar()
    if elsewhere is not None:
        raise InputProblem(message("filing.pages-elsewhere", caption=elsewhere))


@needs(Right.TAKE_BACK)
def take_back(session: Session, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Take a filed document back into its batch; raises InputProblem when it is not filed from there, or that is closed."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        batch: Batch = session.batch(batch_id).load()
        document = batch.document(document_id)
        if document.filed_id is None:
            raise InputProblem(message("filing.document-not-filed-nothing-take"))
        session.document(document.filed_id, Right.TAKE_BACK)
        if batch.closed_at:
            raise InputProblem(message("filing.batch-closed-so-cannot-go"))
        _refuse_scattered(c, document.filed_id)
        session.batch(batch_id).take_back(DocumentId(document_id), FiledId(document.filed_id))
        unlearn(c, document_id)
    return Changes(frozenset([batch_id]), frozenset([document_id]), True, message("filing.taken-back-from-repository"))
