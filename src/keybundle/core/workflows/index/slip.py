"""What an operator does on the slip: type, confirm, lift and empty values, choose type and register entry."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, DocumentId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch
from keybundle.core.fields.kinds import Kept, Kind, Refusal, normalise, revive, without_control
from keybundle.core.fields.values import MOST_OFFERED, FieldValue, Origin
from keybundle.core.finding import documents
from keybundle.core.reading.text import PageText, Word
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import FieldSpec, called
from keybundle.core.workflows.arrange.bench import run_command
from keybundle.core.workflows.index.following import following
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.propose.under import types_under
from keybundle.core.workflows.session.handles import OpenBatch
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

_POINTED = re.compile(r"-?\d{1,3}\.\d{3}")


@dataclass(frozen=True)
class Completion:
    """A line of a type-ahead list: the value and what tells it apart."""

    value: str
    told: str


def _field(workspace: Workspace, batch: Batch, document_id: str, field: str) -> FieldSpec:
    kind = workspace.setup.document_type(batch.document(document_id).type)
    spec = kind.field(field) if kind else None
    if spec is None:
        raise InputProblem(message("slip.document-no-field-choose-type", field=field))
    return spec


def label_of(own: OpenBatch, document_id: DocumentId, field: str) -> str:
    """Return what people call a field of a batch's document."""
    batch = own.load_document(document_id)
    kind = own.session.workspace.setup.document_type(batch.document(document_id).type)
    return kind.label(field) if kind else field


def read_value(workspace: Workspace, spec: FieldSpec, text: str) -> tuple[tuple[str, ...], str]:
    """Return (normalised items, problem) of a text given by hand; a refused text is kept as it is, with the problem."""
    parts = [p for p in text.replace("\n", ";").split(";") if p.strip()] if spec.several else [text]
    items: list[str] = []
    problem = ""
    for part in parts:
        found = normalise(part, workspace.rule(spec))
        if isinstance(found, Refusal):
            problem = problem or found.sentence
        value = without_control(part).strip() if isinstance(found, Refusal) else found
        if value:
            items.append(_as_stored(workspace, spec, value))
    return tuple(items), problem


def read_kept(workspace: Workspace, spec: FieldSpec, items: Sequence[str]) -> tuple[tuple[str, ...], str]:
    """Return (items, problem) of a value that is kept already: the locale's marks count for nothing in it."""
    found = [revive(Kept(item), workspace.rule(spec)) for item in items]
    problem = next((value.sentence for value in found if isinstance(value, Refusal)), "")
    return tuple(i if isinstance(v, Refusal) else v for i, v in zip(items, found, strict=True)), problem


def _as_stored(workspace: Workspace, spec: FieldSpec, value: str) -> str:
    book = workspace.books().get(spec.register_name) if spec.kind is Kind.REGISTER else None
    entry = book.find(value, spec.column or book.key) if book else None
    return entry[spec.column or book.key] if book and entry else value


def value_by_hand(
    workspace: Workspace, spec: FieldSpec, text: str, before: FieldValue | None, who: str, *,
    origin: Origin = Origin.TYPED, page: str | None = None, box: Box | None = None,
) -> FieldValue:  # fmt: skip
    """Return the value that a person gives a field; an empty text gives an empty one, which stays empty.

    A text that fails its checks is kept, unsure, with its problem. One that is the value it has, as it is shown, is that
    value; one that could be that with other figures, or a number as people here write it, is asked about.
    """
    is_same = before is not None and bool(before.items) and not before.problem and text.strip() == before.text
    if is_same and before is not None:
        items, problem = read_kept(workspace, spec, before.items)
    else:
        items, problem = read_value(workspace, spec, text)
        problem = problem or _say_two_ways(workspace, spec, text, before)
    value = FieldValue(
        items, 0.0 if problem else 1.0, origin, not problem, page, box, without_control(text).strip(), problem,
        "" if problem else who,
        "" if problem else workspace.clock.stamp(),
    )  # fmt: skip
    if before is None:
        return value
    others = (before.text, *before.alternatives) if before.text else before.alternatives
    told = tuple(dict.fromkeys(x for x in others if x != value.text))[:MOST_OFFERED]
    return replace(value, guess=before.guess, guess_score=before.guess_score, alternatives=told)


def _say_two_ways(workspace: Workspace, spec: FieldSpec, text: str, before: FieldValue | None) -> str:
    """Return what is to be asked of a number that is typed over one with a decimal point where people write a comma.

    ``1.126`` over ``1.125``, which is how a kept number is shown, could be either number.
    """
    body = text.strip()
    is_shown_so = (
        before is not None and not before.problem and "." in before.text and _POINTED.fullmatch(body) is not None
    )
    if spec.kind is not Kind.DECIMAL or workspace.rule(spec).decimal_mark == "." or not is_shown_so:
        return ""
    return message("slip.two-ways", text=body, decimal=body.replace(".", ","), whole=body.replace(".", ""))


def emptied(who: str, stamp: str, before: FieldValue | None = None) -> FieldValue:
    """Return the value of a field that a person emptied: nothing fills it again by itself."""
    guess, score = (before.guess, before.guess_score) if before is not None else ("", 0.0)
    return FieldValue((), 1.0, Origin.TYPED, True, confirmed_by=who, confirmed_at=stamp, guess=guess, guess_score=score)


@needs(Right.INDEX, under="indexing")
def enter_value(
    session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, name: str, text: str, *,
    origin: Origin = Origin.TYPED, page: str | None = None, words: Sequence[Word] = (), page_text: PageText | None = None,
) -> Changes:  # fmt: skip
    """Give a field a value by hand; empty text empties it. A text that fails its checks is kept, unsure, and told."""

    workspace, who = session.workspace, session.person

    def command(batch: Batch) -> Batch:
        spec = _field(workspace, batch, document_id, name)
        box = page_text.captured_box(list(words)) if page_text is not None and words else None
        before = batch.document(document_id).values.get(name)
        value = value_by_hand(workspace, spec, text, before, who, origin=origin, page=page, box=box)
        return commands.set_values(batch, document_id, {name: value})

    name_of = label_of(session.batch(batch_id), document_id, name)
    label = message("step.lift", label=name_of) if origin is Origin.LIFTED else message("step.set", label=name_of)
    return run_command(session, line, batch_id, label, following(workspace, [document_id], command))


@needs(Right.INDEX, under="indexing")
def confirm_value(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, name: str) -> Changes:
    """Confirm a field's value as it stands; raises InputProblem for one that is no value of its kind."""
    workspace, who = session.workspace, session.person
    stamp, label = workspace.clock.stamp(), label_of(session.batch(batch_id), document_id, name)

    def command(batch: Batch) -> Batch:
        value = batch.document(document_id).values.get(name)
        if value is None or not value.items:
            raise InputProblem(message("slip.empty-nothing-confirm", label=label))
        spec = _field(workspace, batch, document_id, name)
        _, problem = read_kept(workspace, spec, value.items)
        if problem:
            raise InputProblem(problem)
        return commands.set_values(batch, document_id, {name: replace(value, confirmed_by=who, confirmed_at=stamp)})

    return run_command(session, line, batch_id, message("step.confirm", label=label), command)


@needs(Right.LOOK)
def list_types(session: Session, routine_id: str) -> list[str]:
    """Return the names of the document types that somebody may choose under a routine."""
    setup = session.workspace.setup
    allowed = {k.id for k in types_under(setup.routine(routine_id), setup)}
    return [k.name for k in session.types() if k.id in allowed]


@needs(Right.INDEX, under="indexing")
def choose_type(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, type_name: str) -> Changes:
    """Give a document its type; its values are proposed anew."""
    kind = called(session.types(), type_name)
    if kind is None:
        raise InputProblem(message("slip.no-document-type", type_name=type_name))
    names = [f.id for f in kind.fields]
    return run_command(
        session, line, batch_id, message("step.type", type=kind.name),
        lambda b: commands.set_type(b, document_id, kind.id, names),
    )  # fmt: skip


@needs(Right.INDEX, under="indexing")
def confirm_type(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Confirm the type that was proposed for a document."""

    def command(batch: Batch) -> Batch:
        if not batch.document(document_id).type:
            raise InputProblem(message("slip.no-type-confirm-choose-one"))
        return commands.confirm_type(batch, document_id)

    return run_command(session, line, batch_id, message("step.confirm-type"), command)


@needs(Right.INDEX, under="indexing")
def set_aside(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, reason: str) -> Changes:
    """Set a document aside with a reason."""
    return run_command(
        session, line, batch_id, message("step.set-aside"), lambda b: commands.set_aside(b, document_id, reason)
    )


@needs(Right.INDEX, under="indexing")
def bring_back(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Bring a document back that was set aside."""
    return run_command(
        session, line, batch_id, message("step.bring-back"), lambda b: commands.bring_back(b, document_id)
    )


@needs(Right.LOOK)
def check_value(session: Session, type_id: str, name: str, text: str) -> str:
    """Return what is wrong with a text as the value of a field, in words; empty where nothing is."""
    kind = session.workspace.setup.document_type(type_id)
    spec = kind.field(name) if kind else None
    return read_value(session.workspace, spec, text)[1] if spec is not None and text.strip() else ""


@needs(Right.LOOK)
def complete(session: Session, type_id: str, name: str, typed: str) -> list[Completion]:
    """Return the type-ahead list of a field: register entries, choices, or yes and no."""
    workspace = session.workspace
    kind = workspace.setup.document_type(type_id)
    spec = kind.field(name) if kind else None
    if spec is None:
        return []
    book = workspace.books().get(spec.register_name)
    if book is not None:
        column = spec.column or book.key
        return [
            Completion(e[column], ", ".join(v for k, v in e.items() if k != column and v))
            for e in book.complete(typed, column)
        ]
    options = spec.choices or (("yes", "no") if spec.kind is Kind.YES_NO else ())
    if options:
        return [Completion(o, "") for o in options if o.casefold().startswith(typed.casefold())]
    if spec.kind is not Kind.TEXT:
        return []
    with workspace.place.database.read() as c:
        earlier = documents.earlier_values(c, name, typed, view=session.view(c))
    return [Completion(value, message("slip.filed-so-often", n=n)) for value, n in earlier]
