"""Correcting what is filed: values of one or many documents, with the caption and, where it is wanted, the folder following."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from sqlalchemy import Connection, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.filing.gate import By, allow_move
from keybundle.core.filing.revise import (
    Command,
    as_it_was,
    both,
    move_to,
    refuse_older,
    revise,
    revision_standing_as,
    set_values,
)
from keybundle.core.repository.folders import led
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import DocumentType, name_of
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.index.slip import value_by_hand
from keybundle.core.workflows.keep.documents.many import Corrected as Corrected
from keybundle.core.workflows.keep.documents.many import Meant, revise_many
from keybundle.core.workflows.session.naming import names_of_fields
from keybundle.core.workflows.session.session import MACHINE, NotAllowed, Session, asks_inside, needs

Given = Mapping[str, Mapping[str, str]]
Place = tuple[str, tuple[tuple[str, str], ...]]


@dataclass(frozen=True)
class Moves:
    """What a correction would move: how many documents would lie elsewhere, and an example, from and to.

    ``why_not`` says why the person may not let one of them go there; empty where they may.
    """

    number: int
    caption: str = ""
    before: tuple[str, ...] = ()
    after: tuple[str, ...] = ()
    why_not: str = ""


@needs(Right.CORRECT)
def editable_fields(session: Session, document_type: str) -> dict[str, str]:
    """Return the fields of a type that can be corrected, by name: their ids."""
    kind = session.workspace.setup.document_type(document_type)
    return {f.name: f.id for f in kind.fields} if kind is not None else {}


@needs(Right.CORRECT)
def preview_moves(session: Session, given: Given) -> Moves:
    """Return which documents would belong in another folder by corrected values (field names and texts, by document)."""
    workspace = session.workspace
    moved: list[tuple[FiledDocument, Place, bool]] = []
    with workspace.place.database.read() as c:
        found = session.documents(c, list(given), Right.CORRECT)
        for document_id, texts in given.items():
            document = found.get(document_id)
            if document is None:
                continue
            kind, values = _read(session, document, texts)
            goes = _goes(session, kind, {**document.values, **values})
            if goes is not None and goes[1] != document.folder:
                moved.append((document, goes, goes != _goes(session, kind, document.values)))
        if not moved:
            return Moves(0)
        first, goes, _ = moved[0]
        after = led(c, first.cabinet, [v for _, v in goes[1]])
        why = next((said for m in moved if (said := _why_not(session, c, *m))), "")
    return Moves(len(moved), first.caption, tuple(v for _, v in first.folder), after, why)


def _why_not(session: Session, c: Connection, document: FiledDocument, goes: Place, follows: bool) -> str:
    """Return why a document may not go where its values say; empty where it may."""
    try:
        allow_move(c, session, document.id, goes[0], [value for _, value in goes[1]], follows=follows)
    except NotAllowed as error:
        return str(error)
    return ""


@needs(Right.CORRECT)
def correct(
    session: Session, given: Given, *, follow: bool, base: Mapping[str, int] | None = None, stood: Given | None = None
) -> Corrected:
    """Put values (field names and texts, by document) in place of those that are filed, as one further version of each.

    ``follow``: documents whose values now say another folder are filed there; else they stay. ``base`` are the revisions
    that were shown, ``stood`` the texts that stood there then: what somebody changed meanwhile in other fields stands
    beside the correction. A document in which the same field was changed meanwhile (anything, where ``stood`` is not
    given), that is gone, may not be corrected (or not be filed where it would go), or of which a text is no value of its
    field, is left whole: the answer says which, and why. Raises why where that is so of one and there is nothing else to
    do: InputProblem, or NotAllowed. What stops it in between is said in the answer.
    """
    with session.workspace.place.database.read() as c:
        found = session.documents(c, list(given), Right.CORRECT)
    wanted, refused = list[Meant](), dict[str, InputProblem]()
    for document, texts in given.items():
        try:
            seen = (base or {}).get(document), (stood or {}).get(document)
            wanted.append(_command(session, found.get(document), texts, seen, follow=follow))
        except InputProblem as error:
            refused[document] = error
    done = revise_many(session, wanted, lambda one: message("version.corrected", n=one.values))
    if len(refused) == 1 and not (done.versions or done.left or done.stopped):
        raise next(iter(refused.values()))
    left = ((i, found[i].caption if i in found else "") for i in refused)
    said = tuple((i, str(error)) for i, error in refused.items())
    return replace(
        done, left=(*left, *done.left), said=(*said, *done.said), why=done.why or (said[0][1] if said else "")
    )


def _command(
    session: Session, document: FiledDocument | None, texts: Mapping[str, str],
    seen: tuple[int | None, Mapping[str, str] | None], *, follow: bool,
) -> Meant:  # fmt: skip
    """Return what a correction does to a document; raises InputProblem and NotAllowed as ``correct`` does."""
    if document is None:
        raise NotAllowed(message("correcting.may-not", name=session.name))
    kind, values = _read(session, document, texts)
    base, stood = seen
    if base is not None and base != document.revision and not _stands(kind, document, stood):
        with session.workspace.place.database.read() as c:
            refuse_older(c, document)
    _refuse_problems(kind, document, values)
    command: Command = set_values(values, make_caption(kind, {**document.values, **values}))
    goes = _goes(session, kind, {**document.values, **values}) if follow else None
    if goes is None or goes[1] == document.folder:
        return Meant(document, command, len(values))
    follows = goes != _goes(session, kind, document.values)
    with session.workspace.place.database.read() as c:
        allow_move(c, session, document.id, goes[0], [value for _, value in goes[1]], follows=follows)
    return Meant(document, both(command, move_to(*goes)), len(values), follows)


def _stands(kind: DocumentType, document: FiledDocument, stood: Mapping[str, str] | None) -> bool:
    """Whether a document still has the texts that were seen in it, by the names of its fields."""
    ids = {f.name: f.id for f in kind.fields}
    found = ((document.values.get(ids.get(name, "")), text) for name, text in (stood or {}).items())
    return stood is not None and all((value.text if value is not None else "") == text for value, text in found)


@needs(Right.CORRECT)
def take_back_correction(session: Session, corrected: Corrected) -> int:
    """Make documents what they were before a correction, as further versions; return how many.

    One that is something else by now stays as it is; one that was changed again and put back since is not. Raises NotAllowed
    where none may be put back, and InputProblem that says how many were where others may not, or something stopped it.
    """
    return put_back(session, corrected)


@asks_inside(Right.CORRECT)
def put_back(session: Session, corrected: Corrected, *, by: By | None = None) -> int:
    """Do what ``take_back_correction`` does; ``by``: in whose name, where it was asked for already."""
    workspace = session.workspace
    at, locale, named = workspace.clock.stamp(), workspace.setup.locale, names_of_fields(workspace.setup)
    with workspace.place.database.read() as c:
        whole = session if by is None else Session(workspace, MACHINE)
        ids = [i for i, *_ in corrected.versions]
        seen = whole.documents(c, ids, Right.CORRECT, with_values=False)

    def put_one(c: Connection, one: tuple[str, int, int]) -> InputProblem | bool:
        document_id, version, revision = one
        stands = revision_standing_as(c, document_id, version + 1, known=revision)
        if stands is None:
            return False  # it was changed again since, and stays as it is
        try:
            revise(
                c, document_id, as_it_was(c, document_id, version), by=by or session, base=stands, at=at,
                comment=message("version.put-back", number=version), locale=locale, named=named,
                follows=document_id in corrected.follows,
            )  # fmt: skip
        except InputProblem as error:
            return error
        return True

    found = in_pieces(workspace.place.database, [one for one in corrected.versions if one[0] in seen], put_one)
    done = sum(x is True for x in found.done)
    refused = [x for x in found.done if isinstance(x, InputProblem)]
    if refused and not done:
        raise refused[0]
    if refused or found.stopped:
        said = found.stopped or str(refused[0])
        raise InputProblem(message("correcting.put-back-partly", n=done, of=len(corrected.versions), why=said))
    return done


def _read(
    session: Session, document: FiledDocument, texts: Mapping[str, str]
) -> tuple[DocumentType, dict[str, FieldValue]]:
    """Return the type of a document and the values that texts stand for, by field id."""
    workspace = session.workspace
    kind = workspace.setup.document_type(document.type)
    if kind is None:
        raise InputProblem(message("correcting.type-gone", caption=document.caption))
    ids = {f.name: f.id for f in kind.fields}
    values: dict[str, FieldValue] = {}
    for name, text in texts.items():
        spec = kind.field(ids.get(name, name))
        if spec is None:
            raise InputProblem(message("correcting.no-such-field", name=name, kind=kind.name))
        before = document.values.get(spec.id)
        value = value_by_hand(workspace, spec, text, before, session.person)
        if before is None or value.items != before.items:
            values[spec.id] = replace(value, guess="", guess_score=0.0, alternatives=())
    return kind, values


def _refuse_problems(kind: DocumentType, document: FiledDocument, values: Mapping[str, FieldValue]) -> None:
    for field, value in values.items():
        spec = kind.field(field)
        if value.problem:
            raise InputProblem(message("correcting.no-value", caption=document.caption, problem=value.problem))
        if spec is not None and spec.required and not value.items:
            raise InputProblem(message("correcting.required", caption=document.caption, name=spec.name))


def _goes(session: Session, kind: DocumentType, values: Mapping[str, FieldValue]) -> Place | None:
    """Return the cabinet and folder that values say, None where they do not say it all."""
    goes = compute_destination(kind, session.workspace.setup, values)
    if not goes.cabinet or not goes.is_known:
        return None
    return goes.cabinet, tuple((field, value or "") for field, value in goes.folder)


@dataclass(frozen=True)
class VersionRow:
    """A version as people read it: its number, when and by whom it was made, and what it changed."""

    number: int
    at: str
    who: str
    comment: str
    caption: str


@needs(Right.LOOK)
def list_versions(session: Session, document_id: FiledId) -> Sequence[VersionRow]:
    """Return the versions of a document, the newest first."""
    workspace, v = session.workspace, t.version.c
    with workspace.place.database.read() as c:
        session.document(document_id)
        chosen = select(v.number, v.at, v.who, v.comment, v.caption).where(v.document_id == document_id)
        rows = c.execute(chosen.order_by(v.number.desc())).all()
    return [VersionRow(r.number, r.at, name_of(workspace.setup.people, r.who), r.comment, r.caption) for r in rows]
