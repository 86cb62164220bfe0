"""People, groups and roles: added, changed and taken away; each change is kept at once and can be put back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Group, Person, Role, Setup, number_people
from keybundle.core.workflows.prepare.routines import refuse_changed
from keybundle.core.workflows.session.session import Session, needs

KINDS: Mapping[str, type[Person] | type[Group] | type[Role]] = {"people": Person, "groups": Group, "roles": Role}
Holding = Person | Group | Role


def change_part(part: Holding, changes: Mapping[str, Any]) -> Holding:
    """Return a person, group or role with some parts changed; raises InputProblem in words."""
    try:
        return type(part).model_validate({**part.model_dump(), **changes})
    except ValidationError as error:
        said = [
            f"{'.'.join(str(x) for x in e['loc'])}: {e['msg'].removeprefix('Value error, ')}" for e in error.errors()
        ]
        raise InputProblem(message("prepare.nothing-changed", said="; ".join(dict.fromkeys(said)))) from error


@needs(Right.PREPARE, Right.GIVE_RIGHTS)
def add_part(session: Session, kind: str, name: str) -> str:
    """Add a person, group or role without any right yet, and return its id; raises InputProblem for a name that is taken."""
    name = name.strip()
    if not name:
        raise InputProblem(message("people.needs-name-nothing-added"))
    added: list[str] = []

    def change(setup: Setup) -> Setup:
        parts, used = getattr(setup, kind), session.workspace.used_ids().get(kind, set())
        if any(p.name.casefold() == name.casefold() for p in parts):
            raise InputProblem(message("people.name-taken-already-choose-another", name=name))
        if kind == "people":
            after = number_people((*parts, Person(name=name)), used)
        else:
            after = (*parts, KINDS[kind](id=fresh_id(name, {*used, *(p.id for p in parts)}), name=name))
        added[:] = [after[-1].id]
        return setup.model_copy(update={kind: after})

    session.workspace.change_setup(session.person, change)
    return added[0]


@needs(Right.PREPARE, Right.GIVE_RIGHTS)
def save_part(session: Session, kind: str, part: Holding, base: Holding | None = None) -> None:
    """Keep a person, group or role in place of the one with its id.

    Raises InputProblem where somebody else has changed it meanwhile (``base`` is what was changed), for a name that is
    taken, and where nobody would be left who may prepare and give rights.
    """

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        refuse_changed(next((p for p in parts if p.id == part.id), None), base, part.name)
        return setup.model_copy(update={kind: tuple(part if p.id == part.id else p for p in parts)})

    session.workspace.change_setup(session.person, change)


@needs(Right.PREPARE, Right.GIVE_RIGHTS)
def remove_part(session: Session, kind: str, part_id: str) -> None:
    """Take a group or role away that nobody has, or a person who is only set to work here no more: what they did stays.

    Raises InputProblem where somebody still has it.
    """

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        found = next((p for p in parts if p.id == part_id), None)
        if found is None:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        if kind == "people":
            gone = found.model_copy(update={"active": False, "login": ""})
            return setup.model_copy(update={kind: tuple(gone if p.id == part_id else p for p in parts)})
        holders = [p.name for p in setup.people if part_id in getattr(p, kind)]
        if holders:
            raise InputProblem(
                message("people.still-have-take-from-them", list=", ".join(holders[:5]), found_name=found.name)
            )
        return setup.model_copy(update={kind: tuple(p for p in parts if p.id != part_id)})

    session.workspace.change_setup(session.person, change)


@needs(Right.PREPARE, Right.GIVE_RIGHTS)
def put_part(session: Session, kind: str, part: Holding) -> None:
    """Bring a group or role back that was taken away."""

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        others = tuple(p for p in parts if p.id != part.id)
        return setup.model_copy(update={kind: (*others, part)})

    session.workspace.change_setup(session.person, change)
