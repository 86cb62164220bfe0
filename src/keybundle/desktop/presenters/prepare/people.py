"""People, groups and roles in Prepare: one editor for each, and what a person may do where, and why."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QObject

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import SHOWN, UNASKED, Right
from keybundle.core.setup.model import Person, Role, Setup
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.parts.parts import PartProblem
from keybundle.core.workflows.session import access, signing_in
from keybundle.core.workflows.session.access import Reached
from keybundle.desktop.presenters.prepare.forms import FormField, Section, of_parts, values_of
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn

__all__ = ["GroupsPresenter", "PeoplePresenter", "PeopleState", "Reached", "RolesPresenter"]

MOST_NAMED = 3


@dataclass(frozen=True)
class PeopleState(PartsState):
    """What the editor of people shows besides: what the chosen person may do where, and whether they have a password."""

    reach: tuple[Reached, ...] = ()
    has_password: bool = False


class PeoplePresenter(PartsPresenter):
    """State and verbs of the editor of people."""

    kind = "people"

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        self._has_password = False
        super().__init__(seat, parent)

    def first_state(self) -> PeopleState:
        """Return the state before anything is known."""
        return PeopleState()

    def note(self, setup: Setup, part: Named) -> str:
        """Return the roles of somebody, or that they work here no more."""
        assert isinstance(part, Person)
        if not part.active:
            return tr("works here no more")
        return ", ".join(r.name for r in setup.roles if r.id in part.roles) or tr("no role yet")

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about somebody."""
        has = (
            tr("has a password; type another one, then Enter")
            if self._has_password
            else tr("has none; type one, then Enter")
        )
        return (
            Section(tr("Person"), (
                FormField("name", tr("Name"), longest=80),
                FormField("initials", tr("Initials"), longest=4, hint=tr("where there is little room")),
                FormField("email", tr("E-mail")),
                FormField("active", tr("Works here"), "check"),
            )),
            Section(tr("Signing in"), (
                FormField("login", tr("Account"), hint=tr("their account of this system, to sign in by; may stay empty")),
                FormField("password", tr("Password"), "password", hint=has),
            )),
            Section(tr("What they are"), (
                FormField("roles", tr("Roles"), "picks", choices=of_parts(setup.roles)),
                FormField("groups", tr("Groups"), "picks", choices=of_parts(setup.groups)),
                FormField("values", tr("Own values"), hint=tr("such as Office = Holmelock, Desk = 3; may stay empty"),
                          help=tr("Defaults such as {person Office} take these.")),
            )),
        )  # fmt: skip

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what somebody has in each field; a password is never shown."""
        assert isinstance(part, Person)
        plain = [Section(s.title, tuple(f for f in s.fields if f.name not in ("password", "values"))) for s in sections]
        told = ", ".join(f"{name} = {value}" for name, value in part.values.items())
        return {**values_of(part, plain), "values": told, "password": ""}

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a person as changes make them; values are typed as ``Office = Holmelock, Desk = 3``."""
        if "values" not in changes:
            return parts.change_part(part, changes)
        pairs = [pair.partition("=") for pair in str(changes["values"]).split(",") if pair.strip()]
        if wrong := [name for name, equals, value in pairs if not (name.strip() and equals and value.strip())]:
            raise PartProblem(
                {"values": tr("“{typed}” says no value; write it like Office = Holmelock.", typed=wrong[0].strip())}
            )
        return parts.change_part(part, {"values": {name.strip(): value.strip() for name, _, value in pairs}})

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change somebody; a password goes another way and stands nowhere."""
        if "password" in changes:
            self._give_password(str(changes["password"]))
        else:
            super().change(changes)

    def _give_password(self, password: str) -> None:
        session, part = self._s.session, self.state.part
        if part is None:
            return
        told = (
            tr("{name} has a new password", name=part.name)
            if password
            else tr("{name} has no password any more", name=part.name)
        )

        def done(_: object) -> None:
            self.said.emit(told)
            self.was_shown()

        self._s.runner.change(
            lambda: signing_in.give_password(session, part.id, password), done, lane="signing in", owner=self,
            on_error=self._could_not,
        )  # fmt: skip

    def was_shown(self) -> None:
        """Ask what the person may do where, and whether they have a password."""
        session, ws, person = self._s.session, self._s.workspace, self.state.chosen
        if not person:
            return

        def load() -> tuple[tuple[Reached, ...], bool]:
            return access.reach_of(session, person), signing_in.has_password(ws, person)

        def done(found: tuple[tuple[Reached, ...], bool]) -> None:
            if self.state.chosen == person and self.state.part is not None:
                self._has_password = found[1]
                self._show_part(ws.setup, self.state.part, reach=found[0], has_password=found[1])

        self._s.runner.query(load, done, key="reach", owner=self, on_error=lambda told: self._show(reach=()))


class GroupsPresenter(PartsPresenter):
    """State and verbs of the editor of groups."""

    kind = "groups"

    def note(self, setup: Setup, part: Named) -> str:
        """Return who is in a group."""
        return _say_who([p.name for p in setup.people if part.id in p.groups])

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about a group."""
        return (Section(tr("Group"), (
            FormField("name", tr("Name"), longest=80), FormField("description", tr("Description"))
        )),)  # fmt: skip


class RolesPresenter(PartsPresenter):
    """State and verbs of the editor of roles."""

    kind = "roles"

    def note(self, setup: Setup, part: Named) -> str:
        """Return how many have a role."""
        return _say_who([p.name for p in setup.people if part.id in p.roles])

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about a role."""
        return (Section(tr("Role"), (
            FormField("name", tr("Name"), longest=80),
            FormField("rights", tr("Rights"), "picks", choices=tuple((r.value, tr(r.value)) for r in SHOWN), longest=len(SHOWN)),
        )),)  # fmt: skip

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a role has in each field; rights that nothing asks for are not shown."""
        assert isinstance(part, Role)
        return super().values(setup, parts.change_part(part, {"rights": _shown(part)}), sections)

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a role as changes make it; rights that are not shown stay as they are."""
        if "rights" in changes:
            changes = {**changes, "rights": (*changes["rights"], *(r for r in part.rights if r in UNASKED))}
        return super().with_changes(part, changes)


def _shown(role: Role) -> tuple[Right, ...]:
    return tuple(r for r in role.rights if r not in UNASKED)


def _say_who(names: list[str]) -> str:
    """Return who has something: by name where they are few, else how many."""
    return ", ".join(names) if len(names) <= MOST_NAMED else trn("{n:,} person", "{n:,} people", len(names))
