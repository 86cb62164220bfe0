"""Register entries that somebody who may not add any proposes while indexing; they wait for who may to say yes or no."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, delete, func, insert, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.index.slip_help import add_entry
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class Proposed:
    """An entry that waits: its number, the entry, and who proposed it when."""

    id: int
    row: Entry
    who: str
    at: str


@needs(Right.INDEX)
def propose_entry(session: Session, register_id: str, entry: Entry) -> None:
    """Propose an entry; raises InputProblem where its key is empty, or waits or stands there already."""
    workspace, p, e = session.workspace, t.entry_proposal, t.register_entry
    register = workspace.setup.register(register_id)
    if register is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    row = {column: entry.get(column, "").strip() for column in register.columns}
    key = row[register.key]
    if not key:
        raise InputProblem(message("slip-help.entry-needs", found_name=register.name, key=register.key))
    with workspace.place.database.atomic() as c:
        there = c.execute(select(e.c.key).where(e.c.register == register_id, e.c.key == key)).first()
        waiting = [r.row[register.key] for r in c.execute(select(p.c.row).where(p.c.register == register_id))]
        if there is not None or key in waiting:
            raise InputProblem(message("slip-help.already-nothing-added", found_name=register.name, key=key))
        stamp = workspace.clock.stamp()
        c.execute(insert(p).values(register=register_id, row=row, who=session.person, at=stamp))
        audit.append(c, stamp, session.person, "register entry proposed", register_id, row)
    workspace.on_setup()


@needs(Right.LOOK)
def list_proposed(session: Session, register_id: str) -> list[Proposed]:
    """Return the entries that wait for a yes, the oldest first."""
    p, people = t.entry_proposal, session.workspace.setup.people
    with session.workspace.place.database.read() as c:
        rows = c.execute(select(p).where(p.c.register == register_id).order_by(p.c.id)).all()
    return [Proposed(r.id, dict(r.row), name_of(people, r.who), r.at) for r in rows]


def count_proposed(c: Connection) -> dict[str, int]:
    """Return how many entries wait for a yes, by register."""
    p = t.entry_proposal.c
    return {r.register: int(r.n) for r in c.execute(select(p.register, func.count().label("n")).group_by(p.register))}


@needs(Right.ADD_ENTRIES)
def decide_proposed(session: Session, proposal: int, *, take: bool) -> None:
    """Take a proposed entry into its register, or do not; either way it waits no more."""
    workspace, p = session.workspace, t.entry_proposal
    with workspace.place.database.atomic() as c:
        found = c.execute(select(p).where(p.c.id == proposal)).first()
        if found is None:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        c.execute(delete(p).where(p.c.id == proposal))
        if take:
            add_entry(session, found.register, dict(found.row))
        else:
            audit.append(
                c, workspace.clock.stamp(), session.person, "register entry not taken", found.register, found.row
            )
    workspace.on_setup()
