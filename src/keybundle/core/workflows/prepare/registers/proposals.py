"""What somebody proposes who may not make it: register entries, choices of a field, document types.

Proposals wait for who may to say yes or no. What is asked for on the slip is so never a dead end.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection, delete, func, insert, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.setup.parts import LONGEST_NAME
from keybundle.core.store import schema as t
from keybundle.core.workflows.index.slip_help import add_entry
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.session.session import Session, needs

ENTRY, CHOICE, TYPE = "entry", "choice", "type"
TAKEN_BY: Mapping[str, Right] = {ENTRY: Right.ADD_ENTRIES, CHOICE: Right.PREPARE, TYPE: Right.PREPARE}
LONGEST = 200


@dataclass(frozen=True)
class Proposed:
    """A proposal: its number and kind, the part it is about (a register, a type; empty for a new type), what is wanted.

    ``row`` is an entry by columns, or holds ``field`` and ``choice``, or ``name`` and ``why``.
    """

    id: int
    kind: str
    part: str
    row: Entry
    who: str
    at: str


@needs(Right.INDEX)
def propose_entry(session: Session, register_id: str, entry: Entry) -> None:
    """Propose an entry; raises InputProblem where its key is empty, or waits or stands there already."""
    workspace, e = session.workspace, t.register_entry
    register = workspace.setup.register(register_id)
    if register is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    row = {column: entry.get(column, "").strip() for column in register.columns}
    key = row[register.key]
    if not key:
        raise InputProblem(message("slip-help.entry-needs", found_name=register.name, key=register.key))
    with workspace.place.database.atomic() as c:
        there = c.execute(select(e.c.key).where(e.c.register == register_id, e.c.key == key)).first()
        waiting = [register.entry(r)[register.key] for r in _rows(c, ENTRY, register_id)]
        if there is not None or key in waiting:
            raise InputProblem(message("slip-help.already-nothing-added", found_name=register.name, key=key))
        _note(session, c, ENTRY, register_id, register.stored(row), "register entry proposed")
    session.workspace.on_setup()


@needs(Right.INDEX)
def propose_choice(session: Session, type_id: str, field: str, choice: str) -> str:
    """Propose another choice for a field and return what it would be; raises InputProblem where it is one, or waits already."""
    kind, choice = session.workspace.setup.document_type(type_id), choice.strip()
    spec = kind.field(field) if kind is not None else None
    if kind is None or spec is None or spec.kind is not Kind.CHOICE:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    if not 0 < len(choice) <= LONGEST:
        raise InputProblem(message("proposals.needs-words", n=LONGEST))
    with session.workspace.place.database.atomic() as c:
        waiting = [r["choice"] for r in _rows(c, CHOICE, type_id) if r["field"] == field]
        if choice.casefold() in {known.casefold() for known in (*spec.choices, *waiting)}:
            raise InputProblem(message("proposals.is-there", name=choice))
        _note(session, c, CHOICE, type_id, {"field": field, "choice": choice}, "choice proposed")
    session.workspace.on_setup()
    return choice


@needs(Right.INDEX)
def propose_type(session: Session, name: str, why: str = "") -> None:
    """Propose a document type; raises InputProblem for a name that is empty, too long, taken, or waits already."""
    setup, name = session.workspace.setup, name.strip()
    if not 0 < len(name) <= LONGEST_NAME:
        raise InputProblem(message("proposals.needs-words", n=LONGEST_NAME))
    with session.workspace.place.database.atomic() as c:
        waiting = [r["name"] for r in _rows(c, TYPE, "")]
        if name.casefold() in {known.casefold() for known in (*(k.name for k in setup.document_types), *waiting)}:
            raise InputProblem(message("proposals.is-there", name=name))
        _note(session, c, TYPE, "", {"name": name, "why": why.strip()[:LONGEST]}, "document type proposed")
    session.workspace.on_setup()


def _rows(c: Connection, kind: str, part: str) -> list[dict[str, str]]:
    p = t.proposal.c
    return list(c.execute(select(p.row).where(p.kind == kind, p.part == part)).scalars())


def _note(session: Session, c: Connection, kind: str, part: str, row: Mapping[str, str], what: str) -> None:
    stamp = session.workspace.clock.stamp()
    c.execute(insert(t.proposal).values(kind=kind, part=part, row=dict(row), who=session.person, at=stamp))
    audit.append(c, stamp, session.person, what, part, dict(row))


@needs(Right.LOOK)
def list_proposed(session: Session, kind: str, part: str | None = None) -> list[Proposed]:
    """Return what of a kind waits for a yes, about a part or (None) about any, the oldest first."""
    with session.workspace.place.database.read() as c:
        return load_proposed(c, session.workspace.setup, kind, part)


def load_proposed(c: Connection, setup: Setup, kind: str, part: str | None = None) -> list[Proposed]:
    """Return the same in a transaction."""
    p, people = t.proposal.c, setup.people
    chosen = select(t.proposal).where(p.kind == kind).order_by(p.id)
    rows = c.execute(chosen if part is None else chosen.where(p.part == part)).all()
    return [
        Proposed(r.id, r.kind, r.part, _told(setup, r.kind, r.part, r.row), name_of(people, r.who), r.at) for r in rows
    ]


def _told(setup: Setup, kind: str, part: str, row: Mapping[str, str]) -> Entry:
    """Return what was proposed by the names of today: an entry waits by the ids of its columns."""
    register = setup.register(part) if kind == ENTRY else None
    return register.entry(row) if register is not None else dict(row)


def count_proposed(c: Connection) -> dict[str, int]:
    """Return how many entries wait for a yes, by register."""
    p = t.proposal.c
    counted = select(p.part, func.count().label("n")).where(p.kind == ENTRY).group_by(p.part)
    return {r.part: int(r.n) for r in c.execute(counted)}


@needs(Right.LOOK)
def decide_proposed(session: Session, proposal: int, *, take: bool) -> tuple[str, str, str]:
    """Make what was proposed, or do not; either way it waits no more.

    Returns the kind and id of the part that was changed or made, and the field (empty for none). Raises NotAllowed for who
    may not make such a thing, InputProblem where it is decided already or can no longer be made.
    """
    workspace, p = session.workspace, t.proposal
    with workspace.place.database.atomic() as c:
        found = c.execute(select(p).where(p.c.id == proposal)).first()
        if found is None:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        session.require(TAKEN_BY[found.kind])
        c.execute(delete(p).where(p.c.id == proposal))
        row = _told(workspace.setup, found.kind, found.part, found.row)
        if not take:
            audit.append(c, workspace.clock.stamp(), session.person, "proposal not taken", found.part, row)
            made = "document_types" if found.kind != ENTRY else "registers", found.part, ""
        elif found.kind == ENTRY:
            add_entry(session, found.part, row)
            made = "registers", found.part, ""
        elif found.kind == CHOICE:
            _add_choice(session, found.part, row["field"], row["choice"])
            made = "document_types", found.part, row["field"]
        else:
            made = "document_types", parts.add_part(session, "document_types", row["name"]), ""
    workspace.on_setup()
    return made


def _add_choice(session: Session, type_id: str, field: str, choice: str) -> None:
    kind = session.workspace.setup.document_type(type_id)
    spec = kind.field(field) if kind is not None else None
    if kind is None or spec is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    parts.save_part(
        session, "document_types", types.change_field(kind, field, {"choices": (*spec.choices, choice)}), kind
    )
