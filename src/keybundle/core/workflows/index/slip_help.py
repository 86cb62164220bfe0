"""What helps an operator fill a slip: starters, the day, folders by hand, many slips at once, tags, register entries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import ColumnElement, Connection, delete, func, insert, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, DocumentId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch
from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import ASSUMED, FieldValue, Origin
from keybundle.core.finding import documents
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import DocumentType, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.arrange.bench import run_command
from keybundle.core.workflows.index.following import following
from keybundle.core.workflows.index.slip import emptied, label_of, read_kept, read_value, value_by_hand
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.propose.defaults import today
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_FOLDERS = 200


@dataclass(frozen=True)
class Starter:
    """A named set of values that a slip of a type can start from."""

    name: str
    type: str
    values: Mapping[str, str]


@needs(Right.INDEX, under="indexing")
def clear_assumed(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Empty all fields that were only carried over, defaulted or prefilled, and that nobody confirmed."""
    workspace, who = session.workspace, session.person
    stamp = workspace.clock.stamp()

    def command(batch: Batch) -> Batch:
        values = batch.document(document_id).values
        gone = [n for n, v in values.items() if v.origin in ASSUMED and not v.confirmed_by]
        if not gone:
            raise InputProblem(message("slip-help.nothing-slip-only-assumed"))
        return commands.set_values(batch, document_id, {n: emptied(who, stamp, values[n]) for n in gone})

    return run_command(session, line, batch_id, message("step.clear-assumed"), command)


@needs(Right.INDEX, under="indexing")
def empty_slip(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Empty all fields of a slip."""
    workspace, who = session.workspace, session.person
    stamp = workspace.clock.stamp()

    def command(batch: Batch) -> Batch:
        document = batch.document(document_id)
        kind = workspace.setup.document_type(document.type)
        # What is still being proposed is emptied too: it would come after this.
        names = {**dict.fromkeys(f.id for f in kind.fields), **document.values} if kind is not None else document.values
        return commands.set_values(
            batch, document_id, {name: emptied(who, stamp, document.values.get(name)) for name in names}
        )

    return run_command(session, line, batch_id, message("step.empty-slip"), command)


@needs(Right.INDEX, under="indexing")
def set_today(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, name: str) -> Changes:
    """Give a date field today's date, marked as such; raises InputProblem for a field of another kind."""
    workspace, who = session.workspace, session.person
    stamp, day, label = workspace.clock.stamp(), today(workspace), label_of(session.batch(batch_id), document_id, name)

    def command(batch: Batch) -> Batch:
        spec = _kind(workspace, batch, document_id).field(name)
        if spec is None or spec.kind is not Kind.DATE:
            raise InputProblem(message("slip-help.holds-no-date", label=label))
        value = FieldValue((day,), 1.0, Origin.TODAY, True, confirmed_by=who, confirmed_at=stamp)
        return commands.set_values(batch, document_id, {name: value})

    return run_command(session, line, batch_id, message("step.today", label=label), command)


def _kind(workspace: Workspace, batch: Batch, document_id: str) -> DocumentType:
    kind = workspace.setup.document_type(batch.document(document_id).type)
    if kind is None:
        raise InputProblem(message("slip-help.document-no-type-yet-choose"))
    return kind


@needs(Right.LOOK)
def list_starters(session: Session, type_name: str) -> list[Starter]:
    """Return the starters of a type, by name."""
    workspace = session.workspace
    s = t.starter.c
    with workspace.place.database.read() as c:
        rows = c.execute(select(t.starter).where(s.type == type_name).order_by(s.name))
        return [Starter(r.name, r.type, r.given) for r in rows]


@needs(Right.INDEX)
def keep_starter(session: Session, type_id: str, name: str, values: Mapping[str, str], *, before: str = "") -> None:
    """Keep texts (by field) as a starter of a type; one of that name, or of the name it had ``before``, is replaced.

    Raises InputProblem for a person who may only look, where somebody else keeps that name, and for a text that is no value
    of its field.
    """
    workspace, who, name = session.workspace, session.person, name.strip()
    kind = workspace.setup.document_type(type_id)
    given: dict[str, str] = {}
    for field, text in values.items():
        spec = kind.field(field) if kind is not None else None
        if spec is None or not text.strip():
            continue
        items, problem = read_value(workspace, spec, text)
        if problem:
            raise InputProblem(message("slip-help.starter-value", field=spec.name, problem=problem))
        given[field] = "; ".join(items)
    if not name or not given:
        raise InputProblem(message("slip-help.starter-needs-name-slip-type"))
    row = {"name": name, "type": type_id, "given": given, "who": who, "at": workspace.clock.stamp()}
    with workspace.place.database.atomic() as c:
        for replaced in dict.fromkeys(filter(None, (before, name))):
            _may_change_starter(session, c, type_id, replaced)
            c.execute(delete(t.starter).where(*_starter(type_id, replaced)))
        c.execute(insert(t.starter).values(row))


@needs(Right.INDEX)
def drop_starter(session: Session, type_name: str, name: str) -> None:
    """Forget a starter of a type; raises InputProblem where it is somebody else's."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        _may_change_starter(session, c, type_name, name)
        c.execute(delete(t.starter).where(*_starter(type_name, name)))


def _starter(type_name: str, name: str) -> tuple[ColumnElement[bool], ColumnElement[bool]]:
    return t.starter.c.type == type_name, t.starter.c.name == name


def _may_change_starter(session: Session, c: Connection, type_id: str, name: str) -> None:
    owner = c.execute(select(t.starter.c.who).where(*_starter(type_id, name))).scalar()
    if owner is not None and owner != session.person and not session.may(Right.PREPARE):
        whose = name_of(session.workspace.setup.people, owner)
        raise InputProblem(message("slip-help.starter-s-choose-another-name", name=name, whose=whose))


@needs(Right.INDEX, under="indexing")
def start_from(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, starter: Starter) -> Changes:
    """Fill the empty and the only assumed fields of a slip from a starter; they stay marked until confirmed."""

    workspace, who = session.workspace, session.person

    def command(batch: Batch) -> Batch:
        document = batch.document(document_id)
        kind, found = _kind(workspace, batch, document_id), {}
        for name, text in starter.values.items():
            have, spec = document.values.get(name), kind.field(name)
            is_free = have is None or not have.items or (have.origin in ASSUMED and not have.confirmed_by)
            parts = ([p.strip() for p in text.split(";")] if spec.several else [text]) if spec is not None else []
            items, _ = read_kept(workspace, spec, parts) if spec is not None else ((), "")
            if is_free and items:
                found[name] = FieldValue(items, 0.0, Origin.STARTER, given_by=who)
        return commands.set_values(batch, document_id, dict(found))

    return run_command(session, line, batch_id, message("step.start-from", starter=starter.name), command)


@needs(Right.INDEX, under="indexing")
def take_from_before(session: Session, line: Line, batch_id: BatchId, document_id: DocumentId) -> Changes:
    """Fill the empty and the only assumed fields of a slip from the nearest document of its type before it.

    They stay marked until confirmed. Raises InputProblem where there is none.
    """

    workspace, who = session.workspace, session.person

    def command(batch: Batch) -> Batch:
        document, order = batch.document(document_id), batch.in_order()
        here = next(i for i, d in enumerate(order) if d.id == document_id)
        before = next((d for d in reversed(order[:here]) if d.type == document.type), None)
        if before is None:
            raise InputProblem(message("slip-help.no-document-type-stands-before"))
        kind = _kind(workspace, batch, document_id)
        found: dict[str, FieldValue | None] = {}
        for name, value in before.values.items():
            have = document.values.get(name)
            is_free = have is None or not have.items or (have.origin in ASSUMED and not have.confirmed_by)
            if is_free and value.items and kind.field(name) is not None:
                found[name] = FieldValue(value.items, 0.0, Origin.CARRIED, given_by=who)
        return commands.set_values(batch, document_id, found)

    return run_command(session, line, batch_id, message("step.take-from-before"), command)


Paths = tuple[tuple[str, ...], ...]


@needs(Right.LOOK)
def list_folders(session: Session, cabinet: str, typed: str) -> tuple[Paths, Paths]:
    """Return the paths of a cabinet's folders that were filed into last, and of those that hold every typed word."""
    with session.workspace.place.database.read() as c:
        view = session.view(c)
        recent = documents.recent_folders(c, cabinet, view=view)
        return tuple(recent), tuple(documents.list_folders(c, cabinet, typed, MOST_FOLDERS, view=view))


@needs(Right.INDEX, under="indexing")
def choose_folder(
    session: Session, line: Line, batch_id: BatchId, document_id: DocumentId, path: Sequence[str]
) -> Changes:
    """Set the folder fields of a slip from a folder chosen by hand; what a level derives from a date stays as it is."""
    workspace, who = session.workspace, session.person
    stamp = workspace.clock.stamp()

    def command(batch: Batch) -> Batch:
        kind = _kind(workspace, batch, document_id)
        cabinet = workspace.setup.cabinet(kind.cabinet)
        found: dict[str, FieldValue | None] = {}
        for level, value in zip(cabinet.levels if cabinet else (), path, strict=False):
            source = kind.folder.get(level, level)
            if kind.field(source) is not None:
                found[source] = FieldValue((value,), 1.0, Origin.FOLDER, True, confirmed_by=who, confirmed_at=stamp)
        if not found:
            raise InputProblem(message("slip-help.folders-cabinet-follow-from-dates"))
        return commands.set_values(batch, document_id, found)

    return run_command(
        session, line, batch_id, message("step.choose-folder"), following(workspace, [document_id], command)
    )


@needs(Right.INDEX, under="indexing")
def set_for_many(session: Session, line: Line, batch_id: BatchId, changes: Sequence[tuple[str, str, str]]) -> Changes:
    """Set fields of many slips as one step; ``changes`` are (document, field, text). Fields a type lacks are passed over."""

    workspace, who = session.workspace, session.person

    def command(batch: Batch) -> Batch:
        for document_id, name, text in changes:
            document = batch.document(document_id)
            kind = workspace.setup.document_type(document.type)
            spec = kind.field(name) if kind else None
            if spec is None or document.is_shut:
                continue
            value = value_by_hand(workspace, spec, text, document.values.get(name), who)
            batch = commands.set_values(batch, document_id, {name: value})
        return batch

    follows = following(workspace, [document_id for document_id, _, _ in changes], command)
    return run_command(session, line, batch_id, message("step.set-values", n=len(changes)), follows)


@needs(Right.LOOK)
def search_register(
    session: Session, register: str, typed: str, limit: int = 200
) -> tuple[tuple[str, ...], list[Entry]]:
    """Return (columns, entries that hold every typed word)."""
    workspace = session.workspace
    found = workspace.setup.register(register)
    if found is None:
        raise InputProblem(message("slip-help.no-register", register=register))
    return found.columns, workspace.books()[register].search(typed, limit=limit)


@needs(Right.ADD_ENTRIES)
def add_entry(session: Session, register: str, entry: Entry) -> None:
    """Add an entry to a register; raises InputProblem where its key is empty or taken, or the person may not."""
    workspace, who = session.workspace, session.person
    found = workspace.setup.register(register)
    if found is None:
        raise InputProblem(message("slip-help.no-register", register=register))
    key = entry.get(found.key, "").strip()
    if not key:
        raise InputProblem(message("slip-help.entry-needs", found_name=found.name, key=found.key))
    row = {c: entry.get(c, "").strip() for c in found.columns}
    e = t.register_entry
    with workspace.place.database.atomic() as c:
        if c.execute(select(e.c.key).where(e.c.register == register, e.c.key == key)).first() is not None:
            raise InputProblem(message("slip-help.already-nothing-added", found_name=found.name, key=key))
        last = c.execute(select(func.max(e.c.position)).where(e.c.register == register)).scalar()
        c.execute(insert(e).values(register=register, key=key, position=(last or 0) + 1, row=found.stored(row)))
        audit.append(c, workspace.clock.stamp(), who, "register entry added", register, row)
    workspace.forget_books(register)


def list_parked(batch: Batch) -> list[tuple[str, str]]:
    """Return (document, reason) of what is set aside in a batch."""
    return [(d.id, d.parked) for d in batch.in_order() if d.parked]
