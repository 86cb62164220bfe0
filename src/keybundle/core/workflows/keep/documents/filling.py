"""Filling a field of a type in documents that were filed before it was there: by a value, from their text, from a register.

What it would do is shown first; documents that have a value keep it. Each that is filled gets a further version.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

from sqlalchemy import func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Refusal, normalise
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import make_caption
from keybundle.core.filing.revise import Command, set_values
from keybundle.core.proposing.propose import ReadPage, propose_values
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.documents.correcting import Corrected
from keybundle.core.workflows.keep.documents.many import revise_each
from keybundle.core.workflows.session.session import Session, needs

How = Literal["fixed", "text", "register"]
MOST_SHOWN = 20
ValueOf = Callable[[FiledDocument], FieldValue | None]


@dataclass(frozen=True)
class FillShown:
    """What filling would do: how many documents have no value, and of the newest of these (caption, value; empty: none)."""

    empty: int
    examples: tuple[tuple[str, str], ...]


@needs(Right.LOOK)
def count_filed(session: Session, type_id: str) -> int:
    """Return how many documents of a type are filed that one may see."""
    d = t.document.c
    with session.workspace.place.database.read() as c:
        seen = (d.type == type_id, d.removed_at.is_(None), *session.view(c).documents())
        return int(c.execute(select(func.count()).where(*seen)).scalar() or 0)


@needs(Right.CORRECT)
def show_fill(session: Session, type_id: str, field_id: str, how: How, text: str = "") -> FillShown:
    """Return what filling a field would do; nothing is changed. Raises InputProblem where it cannot be filled so."""
    value_of = _value_of(session, *_spec(session, type_id, field_id), how, text)
    ids = _empty(session, type_id, field_id)
    shown = []
    with session.workspace.place.database.read() as c:
        seen = session.documents(c, ids[:MOST_SHOWN], Right.CORRECT)
        for document_id in (i for i in ids[:MOST_SHOWN] if i in seen):
            document = session.document(document_id, Right.CORRECT).load() if how == "text" else seen[document_id]
            value = value_of(document)
            shown.append((document.caption, value.text if value is not None else ""))
    return FillShown(len(ids), tuple(shown))


@needs(Right.CORRECT)
def fill_field(
    session: Session, type_id: str, field_id: str, how: How, text: str = "", *, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Corrected:  # fmt: skip
    """Fill a field where it is empty; documents for which nothing is known stay as they are."""
    kind, spec = _spec(session, type_id, field_id)
    value_of = _value_of(session, kind, spec, how, text)

    def meant(document: FiledDocument) -> Command | None:
        whole = session.document(document.id, Right.CORRECT).load() if how == "text" else document
        value = value_of(whole)
        if value is None:
            return None
        return set_values({spec.id: value}, make_caption(kind, {**document.values, spec.id: value}))

    return revise_each(
        session, _empty(session, type_id, field_id), meant, message("filling.filled", label=spec.name), progress=progress,
        cancel=cancel,
    )  # fmt: skip


def _spec(session: Session, type_id: str, field_id: str) -> tuple[DocumentType, FieldSpec]:
    kind = session.workspace.setup.document_type(type_id)
    spec = kind.field(field_id) if kind is not None else None
    if kind is None or spec is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    return kind, spec


def _empty(session: Session, type_id: str, field_id: str) -> list[FiledId]:
    """Return the documents of a type without a value of a field that may be corrected, the newest first."""
    d, v = t.document.c, t.document_value.c
    has = select(v.document_id).where(v.document_id == d.id, v.field == field_id).exists()
    chosen = select(d.id).where(d.type == type_id, d.removed_at.is_(None), ~has).order_by(d.number.desc())
    with session.workspace.place.database.read() as c:
        return list(c.execute(chosen.where(*session.view(c, Right.CORRECT).documents())).scalars())


def _value_of(session: Session, kind: DocumentType, spec: FieldSpec, how: How, text: str) -> ValueOf:
    workspace = session.workspace
    if how == "fixed":
        value = normalise(text, workspace.rule(spec))
        if isinstance(value, Refusal) or not value:
            said = value.sentence if isinstance(value, Refusal) else message("filling.needs-value")
            raise InputProblem(message("giving.no-value", label=spec.name, said=said))
        fixed = FieldValue((value,), 1.0, Origin.TYPED, True, confirmed_by=session.person)
        return lambda document: fixed
    if how == "register":
        return _from_register(session, kind, spec)
    alone = kind.model_copy(update={"fields": (replace_register(spec),)})

    def from_text(document: FiledDocument) -> FieldValue | None:
        pages = [ReadPage(p.page_id, PageText.from_bytes(p.text)) for p in document.pages if p.text]
        bar = workspace.bar(None)
        found = propose_values(pages, alone, workspace.books(), bar, workspace.rule).get(spec.id) if pages else None
        return replace(found, alternatives=()) if found is not None and found.items and not found.problem else None

    return from_text


def replace_register(spec: FieldSpec) -> FieldSpec:
    """Return a field as it is read off a page by itself, whatever others of its register say."""
    return spec.model_copy(update={"required": False, "carry": False, "default": ""})


def _from_register(session: Session, kind: DocumentType, spec: FieldSpec) -> ValueOf:
    workspace = session.workspace
    book = workspace.books().get(spec.register_name)
    others = [f for f in kind.fields if f.register_name == spec.register_name and f.id != spec.id]
    if book is None or not others:
        raise InputProblem(message("filling.no-register", label=spec.name))
    column = spec.column or book.key

    def of_entry(document: FiledDocument) -> FieldValue | None:
        for other in others:
            known = document.values.get(other.id)
            entry = book.find(known.text, other.column or book.key) if known is not None and known.items else None
            if entry is not None and entry.get(column):
                return FieldValue((entry[column],), 1.0, Origin.REGISTER, True, confirmed_by=session.person)
        return None

    return of_entry
