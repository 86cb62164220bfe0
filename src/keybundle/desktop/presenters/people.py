"""People, groups and roles in Prepare: the chosen one, its changes, and what a person may reach."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.errors import InputProblem
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Group, Person, Role
from keybundle.core.workflows.prepare import parts
from keybundle.core.workflows.session import access, signing_in
from keybundle.core.workflows.session.access import Reached
from keybundle.desktop.presenters.editing import Editing, Kept, tell_parts
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, tr, worded

KINDS = {"people": mark("People"), "groups": mark("Groups"), "roles": mark("Roles")}
__all__ = ["KINDS", "PeoplePresenter", "PeopleState", "Person", "Reached", "Right", "Role"]


@dataclass(frozen=True)
class PeopleState:
    """All that the editor shows; ``roles`` and ``groups`` are (id, name) to choose from, ``reach`` is of a chosen person."""

    kind: str = "people"
    names: tuple[tuple[str, str], ...] = ()
    chosen: str = ""
    part: Person | Group | Role | None = None
    roles: tuple[tuple[str, str], ...] = ()
    groups: tuple[tuple[str, str], ...] = ()
    members: str = ""
    has_password: bool = False
    reach: tuple[Reached, ...] = ()
    can_change: bool = False
    undo: str = ""
    problem: str = ""


class PeoplePresenter(QObject):
    """State and verbs of the editor of people, groups and roles; every change is kept at once."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = PeopleState()
        self._editing = Editing(seat, self.said.emit, self.failed.emit, self.refresh)

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def show_kind(self, kind: str) -> None:
        """Show people, groups or roles."""
        if kind != self.state.kind:
            self._show(kind=kind, chosen="", part=None, reach=(), problem="")
            self.refresh()

    def choose(self, part_id: str) -> None:
        """Show another one."""
        if part_id and part_id != self.state.chosen:
            self._show(chosen=part_id, problem="", reach=())
            self.refresh()

    def refresh(self) -> None:
        """Look at the set-up again."""
        if self._editing.is_keeping:
            return
        ws, state = self._s.workspace, self.state
        setup = ws.setup
        parts = getattr(setup, state.kind)
        part = next((p for p in parts if p.id == state.chosen), parts[0] if parts else None)
        own = [p.name for p in setup.people if part is not None and part.id in getattr(p, state.kind, ())]
        self._show(
            names=tuple((p.id, _told(p)) for p in parts), part=part, chosen=part.id if part else "",
            roles=tuple((r.id, r.name) for r in setup.roles), groups=tuple((g.id, g.name) for g in setup.groups),
            members=", ".join(own), can_change=self._s.session.may(Right.PREPARE, Right.GIVE_RIGHTS),
            undo=self._editing.undo_told,
        )  # fmt: skip
        if isinstance(part, Person):
            self._ask_reach(part.id)

    def _ask_reach(self, person: str) -> None:
        session, ws = self._s.session, self._s.workspace

        def load() -> tuple[tuple[Reached, ...], bool]:
            return access.reach_of(session, person), signing_in.has_password(ws, person)

        def done(found: tuple[tuple[Reached, ...], bool]) -> None:
            if self.state.chosen == person:
                self._show(reach=found[0], has_password=found[1])

        self._s.runner.query(load, done, key="reach", owner=self, on_error=lambda told: self._show(reach=()))

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change parts of the chosen one."""
        base, session, kind = self.state.part, self._s.session, self.state.kind
        if base is None:
            return
        try:
            part = parts.change_part(base, changes)
        except InputProblem as error:
            self._show(problem=worded(error))
            return
        if part == base:
            return
        self._show(part=part, problem="")
        told = tell_parts(part.name, base.model_dump(), part.model_dump())
        self._keep(
            lambda: parts.save_part(session, kind, part, base),
            lambda _: Kept(told, lambda: parts.save_part(session, kind, base, part)), tr("Kept: {name}", name=part.name),
        )  # fmt: skip

    def change_values(self, typed: str) -> None:
        """Change the chosen person's values for defaults; ``typed`` names each with what it is, as ``Office = Holmelock``."""
        if not isinstance(self.state.part, Person):
            return
        pairs = [part.partition("=") for part in typed.split(",") if part.strip()]
        if bad := next((name for name, mark, _ in pairs if not mark or not name.strip()), None):
            self._show(
                problem=tr(
                    "“{bad}” has no value; write a name, an equals sign and the value. Nothing was changed.",
                    bad=bad.strip(),
                )
            )
            return
        self.change({"values": {name.strip(): value.strip() for name, _, value in pairs if value.strip()}})

    def add(self, name: str) -> None:
        """Add one."""
        session, kind = self._s.session, self.state.kind

        def done(part_id: str) -> None:
            self._show(chosen=part_id)

        self._keep(
            lambda: parts.add_part(session, kind, name),
            lambda made: Kept(tr("{name}, added", name=name), lambda: parts.remove_part(session, kind, made)),
            tr("Added: {name}", name=name), done,
        )  # fmt: skip

    def remove(self) -> None:
        """Take the chosen one away; a person works here no more, and what they did stays."""
        session, kind, part = self._s.session, self.state.kind, self.state.part
        if part is None:
            return
        back = parts.save_part if isinstance(part, Person) else parts.put_part
        self._keep(
            lambda: parts.remove_part(session, kind, part.id),
            lambda _: Kept(tr("{name}, taken away", name=part.name), lambda: back(session, kind, part)),
            tr("Taken away: {name}", name=part.name),
        )  # fmt: skip

    def give_password(self, password: str) -> None:
        """Give the chosen person a password; an empty one takes theirs away."""
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
            self.refresh()

        self._s.runner.change(
            lambda: signing_in.give_password(session, part.id, password), done, lane="signing in", owner=self,
            on_error=lambda why: self._show(problem=why),
        )  # fmt: skip

    def _keep(
        self, save: Callable[[], Any], kept: Callable[[Any], Kept], told: str,
        then: Callable[[Any], None] = lambda result: None,
    ) -> None:  # fmt: skip
        def done(result: Any) -> None:
            then(result)
            self.said.emit(told)
            self.refresh()

        def refused(why: str) -> None:
            self.refresh()
            self._show(problem=why)

        self._editing.keep(save, kept, done, refused)

    def undo(self) -> None:
        """Put back what one changed last here."""
        self._editing.undo()


def _told(part: Person | Group | Role) -> str:
    return (
        part.name if not isinstance(part, Person) or part.active else tr("{name} (works here no more)", name=part.name)
    )
