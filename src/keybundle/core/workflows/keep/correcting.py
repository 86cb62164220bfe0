"""Correcting what is filed: values of one or many documents, with the caption and, where it is wanted, the folder following."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Connection, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.destination import compute_destination, make_caption
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
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right, effective_rights
from keybundle.core.setup.model import DocumentType, name_of
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.index.slip import value_by_hand
from keybundle.core.workflows.keep.naming import names_of_fields
from keybundle.core.workflows.session.session import NotAllowed, Session, needs

Given = Mapping[str, Mapping[str, str]]


@dataclass(frozen=True)
class Moves:
    """What a correction would move: how many documents lie elsewhere afterwards, and an example, from and to."""

    number: int
    caption: str = ""
    before: tuple[str, ...] = ()
    after: tuple[str, ...] = ()


@dataclass(frozen=True)
class Corrected:
    """What a correction changed: each document with the version it had before and the revision it has now.

    ``left`` are those (id, caption) that somebody else changed while it was under way: they stay as they are.
    """

    versions: tuple[tuple[str, int, int], ...]
    values: int
    left: tuple[tuple[str, str], ...] = ()

    def changes(self) -> Changes:
        """Return what this touched."""
        return Changes(repository=True, text=message("correcting.corrected", n=len(self.versions)))


@needs(Right.CORRECT)
def editable_fields(session: Session, document_type: str) -> dict[str, str]:
    """Return the fields of a type that can be corrected, by name: their ids."""
    kind = session.workspace.setup.document_type(document_type)
    return {f.name: f.id for f in kind.fields} if kind is not None else {}


@needs(Right.CORRECT)
def preview_moves(session: Session, given: Given) -> Moves:
    """Return which documents would belong in another folder by corrected values (field names and texts, by document)."""
    workspace = session.workspace
    moved: list[tuple[FiledDocument, tuple[tuple[str, str], ...]]] = []
    with workspace.place.database.read() as c:
        found = workspace.repository.load_many(list(given), view=session.view(c, Right.CORRECT))
        for document_id, texts in given.items():
            document = found.get(document_id)
            if document is None:
                continue
            kind, values = _read(session, document, texts)
            goes = _goes(session, kind, {**document.values, **values})
            if goes is not None and goes[1] != document.folder:
                moved.append((document, goes[1]))
    if not moved:
        return Moves(0)
    first, folder = moved[0]
    return Moves(len(moved), first.caption, tuple(v for _, v in first.folder), tuple(v for _, v in folder))


@needs(Right.CORRECT)
def correct(session: Session, given: Given, *, follow: bool, base: Mapping[str, int] | None = None) -> Corrected:
    """Put values (field names and texts, by document) in place of those that are filed, as one further version of each.

    ``follow``: documents whose values now say another folder are filed there; else they stay. ``base`` are the revisions
    that were shown. All or none: raises InputProblem for a text that is no value of its field, for a document that was
    changed meanwhile, and NotAllowed for one that may not be corrected, or not be filed where it would go.
    """
    workspace, at = session.workspace, session.workspace.clock.stamp()
    with workspace.place.database.read() as c:
        found = workspace.repository.load_many(list(given), view=session.view(c, Right.CORRECT))
    commands = [
        _command(session, found.get(i), texts, (base or {}).get(i), follow=follow) for i, texts in given.items()
    ]
    versions, count, left = list[tuple[str, int, int]](), 0, list[tuple[str, str]]()

    def revise_one(c: Connection, one: _Meant) -> None:
        nonlocal count
        try:
            _require_at(session, c, one.document.id)
            after = revise(
                c, one.document.id, one.command, base=one.document.revision, who=session.person, at=at,
                comment=message("version.corrected", n=one.values), locale=workspace.setup.locale,
                named=names_of_fields(workspace.setup),
            )  # fmt: skip
        except InputProblem:
            left.append((one.document.id, one.document.caption))
            return
        if after.version != one.document.version:
            versions.append((one.document.id, one.document.version, after.revision))
            count += one.values

    in_pieces(workspace.place.database, commands, revise_one)
    return Corrected(tuple(versions), count, tuple(left))


def _require_at(session: Session, c: Connection, document_id: str) -> None:
    if not session.may_at(c, document_id, Right.CORRECT):
        raise NotAllowed(message("correcting.may-not", name=session.name))


@dataclass(frozen=True)
class _Meant:
    """A document as it was looked at, what is to be done to it, and to how many values."""

    document: FiledDocument
    command: Command
    values: int


def _command(
    session: Session, document: FiledDocument | None, texts: Mapping[str, str], base: int | None, *, follow: bool
) -> _Meant:
    """Return what a correction does to a document; raises InputProblem and NotAllowed as ``correct`` does."""
    if document is None:
        raise NotAllowed(message("correcting.may-not", name=session.name))
    if base is not None and base != document.revision:
        with session.workspace.place.database.read() as c:
            refuse_older(c, document)
    kind, values = _read(session, document, texts)
    _refuse_problems(kind, document, values)
    command: Command = set_values(values, make_caption(kind, {**document.values, **values}))
    goes = _goes(session, kind, {**document.values, **values}) if follow else None
    if goes is not None and goes[1] != document.folder:
        _require_there(session, goes)
        command = both(command, move_to(*goes))
    return _Meant(document, command, len(values))


@needs(Right.CORRECT)
def take_back_correction(session: Session, corrected: Corrected) -> int:
    """Make documents what they were before a correction, as further versions; return how many.

    One that is something else by now stays as it is; one that was changed again and put back since is not.
    """
    workspace, done = session.workspace, 0
    at, locale = workspace.clock.stamp(), workspace.setup.locale
    with workspace.place.database.read() as c:
        seen = workspace.repository.load_many([i for i, *_ in corrected.versions], view=session.view(c, Right.CORRECT))

    def put_back(c: Connection, one: tuple[str, int, int]) -> None:
        nonlocal done
        document_id, version, _ = one
        stands = revision_standing_as(c, document_id, version + 1)
        if stands is None:
            return  # it was changed again since, and stays as it is
        with contextlib.suppress(InputProblem):
            _require_at(session, c, document_id)
            revise(
                c, document_id, as_it_was(c, document_id, version), base=stands, who=session.person, at=at,
                comment=message("version.put-back", number=version), locale=locale, named=names_of_fields(workspace.setup),
            )  # fmt: skip
            done += 1

    in_pieces(workspace.place.database, [one for one in corrected.versions if one[0] in seen], put_back)
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


Place = tuple[str, tuple[tuple[str, str], ...]]


def _goes(session: Session, kind: DocumentType, values: Mapping[str, FieldValue]) -> Place | None:
    """Return the cabinet and folder that values say, None where they do not say it all."""
    goes = compute_destination(kind, session.workspace.setup, values)
    if not goes.cabinet or not goes.is_known:
        return None
    return goes.cabinet, tuple((field, value or "") for field, value in goes.folder)


def _require_there(session: Session, goes: Place) -> None:
    """Raise NotAllowed where who corrects may not move, or not file where the document would go."""
    session.require(Right.MOVE)
    cabinet, folder = goes
    nearest: Any = session.workspace.repository.nearest_list(cabinet, [value for _, value in folder])
    if Right.FILE not in effective_rights(session.holder, nearest):
        raise NotAllowed(
            message("correcting.may-not-file-there", name=session.name, place=" / ".join(v for _, v in folder))
        )


@dataclass(frozen=True)
class VersionRow:
    """A version as people read it: its number, when and by whom it was made, and what it changed."""

    number: int
    at: str
    who: str
    comment: str
    caption: str


@needs(Right.LOOK)
def list_versions(session: Session, document_id: str) -> Sequence[VersionRow]:
    """Return the versions of a document, the newest first."""
    workspace, v = session.workspace, t.version.c
    with workspace.place.database.read() as c:
        workspace.repository.load(document_id, with_pages=False, view=session.view(c))
        chosen = select(v.number, v.at, v.who, v.comment, v.caption).where(v.document_id == document_id)
        rows = c.execute(chosen.order_by(v.number.desc())).all()
    return [VersionRow(r.number, r.at, name_of(workspace.setup.people, r.who), r.comment, r.caption) for r in rows]
