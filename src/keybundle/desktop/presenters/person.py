"""Who is at work here, their own password and their own values for defaults."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import SHOWN
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.session import signing_in
from keybundle.core.workflows.session.oneself import change_oneself, known_languages, own_values
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import language_name, tr


@dataclass(frozen=True)
class PersonState:
    """All that is shown of who is at work; ``is_changed``: the password was changed just now.

    ``values`` are their own for defaults such as ``{person Office}``, by name.
    """

    name: str = ""
    roles: str = ""
    groups: str = ""
    rights: str = ""
    account: str = ""
    values: tuple[tuple[str, str], ...] = ()
    language: str = ""
    languages: tuple[tuple[str, str], ...] = ()
    has_password: bool = False
    problem: str = ""
    is_changed: bool = False


class PersonPresenter(QObject):
    """State and verbs of the sheet about oneself."""

    changed = Signal(object)
    said = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        setup, session = seat.workspace.setup, seat.session
        person, holder = setup.person(session.person), session.holder
        language, known = known_languages(session)
        self.state = PersonState(
            session.name,
            ", ".join(name_of(setup.roles, r) for r in (person.roles if person else ())) or tr("none"),
            ", ".join(name_of(setup.groups, g) for g in (person.groups if person else ())) or tr("none"),
            ", ".join(tr(r.value) for r in SHOWN if r in holder.rights) or tr("do nothing here"),
            (person.login if person else "") or tr("none"),
            tuple(own_values(session).items()),
            language,
            tuple((code, language_name(code)) for code in known),
            signing_in.has_password(seat.workspace, session.person),
        )

    def change_language(self, language: str) -> None:
        """Change the language that the window speaks to oneself; it does so from the next signing in on."""
        session = self._s.session

        def done(_: object) -> None:
            self.state = replace(self.state, problem="", language=language)
            self.changed.emit(self.state)
            self.said.emit(tr("The window speaks {language} when you sign in next", language=language_name(language)))

        self._s.runner.change(
            lambda: change_oneself(session, language=language), done, lane="set-up", owner=self, on_error=self._refuse
        )

    def _refuse(self, told: str) -> None:
        self.state = replace(self.state, problem=told)
        self.changed.emit(self.state)

    def change_value(self, name: str, value: str) -> None:
        """Change one of one's own values; defaults take it from now on."""
        session, values = self._s.session, {**dict(self.state.values), name: value.strip()}
        if values == dict(self.state.values):
            return

        def done(_: object) -> None:
            self.state = replace(self.state, problem="", values=tuple(values.items()))
            self.changed.emit(self.state)
            self.said.emit(tr("{name} changed; new batches of yours take it", name=name))

        self._s.runner.change(
            lambda: change_oneself(session, values=values), done, lane="set-up", owner=self, on_error=self._refuse
        )

    def change_password(self, old: str, new: str) -> None:
        """Give oneself another password."""
        session = self._s.session

        def done(_: object) -> None:
            self.state = replace(self.state, problem="", has_password=True, is_changed=True)
            self.changed.emit(self.state)
            self.said.emit(tr("Password changed"))

        def refused(told: str) -> None:
            self.state = replace(self.state, problem=told, is_changed=False)
            self.changed.emit(self.state)

        self._s.runner.change(
            lambda: signing_in.set_password(session, new, old=old),
            done,
            lane="signing in",
            owner=self,
            on_error=refused,
        )
