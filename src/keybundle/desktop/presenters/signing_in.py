"""Who is working: signing in at the start, and again where the window was locked."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import field, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.prepare.parts import first_start, surroundings
from keybundle.core.workflows.prepare.parts.first_start import FirstAnswers
from keybundle.core.workflows.session import signing_in
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.desktop.jobs.runner import JobRunner

__all__ = ["FirstAnswers", "SignInPresenter", "SignInState"]


@dataclass(frozen=True)
class SignInState:
    """All that the start page shows; ``people`` (name, roles) to choose from, where that is allowed.

    ``account`` is who has the account that this runs under; ``locked`` who is at work behind the page. ``answers`` are
    what is proposed at the first start, with what ``locales``, ``time_zones`` and ``beginnings`` there are to choose from.
    ``recent`` are other data directories that were open here.
    """

    repository: str = ""
    place: str = ""
    people: tuple[tuple[str, str], ...] = ()
    account: str = ""
    asks_password: bool = False
    locked: str = ""
    problem: str = ""
    is_busy: bool = False
    answers: FirstAnswers = field(default_factory=FirstAnswers)
    locales: tuple[str, ...] = ()
    time_zones: tuple[str, ...] = ()
    beginnings: tuple[tuple[str, str, str], ...] = ()
    recent: tuple[str, ...] = ()


class SignInPresenter(QObject):
    """State and verbs of the start page."""

    changed = Signal(object)
    signed_in = Signal(object)

    def __init__(
        self, workspace: Workspace, runner: JobRunner, parent: QObject | None = None, recent: Sequence[Path] = ()
    ) -> None:
        super().__init__(parent)
        self._ws, self._runner = workspace, runner
        self.state = SignInState(recent=tuple(str(place) for place in recent))
        self.refresh()

    def refresh(self, *, locked: str = "", problem: str = "") -> None:
        """Look at the set-up again; ``locked`` names who is at work behind the page."""
        ws = self._ws
        if not ws.has_setup:
            from keybundle.core.workflows.prepare.parts import beginnings

            here = FirstAnswers("", "", locale=surroundings.system_locale(), time_zone=surroundings.system_time_zone())
            self._show(
                place=str(ws.place.root), problem=problem, answers=here,
                locales=tuple(surroundings.list_locales()), time_zones=tuple(surroundings.list_time_zones()),
                beginnings=tuple((b.code, b.name, b.said) for b in beginnings.list_beginnings()),
            )  # fmt: skip
            return
        setup = ws.setup
        active = [p for p in setup.people if p.active]
        told = tuple((p.name, ", ".join(name_of(setup.roles, r) for r in p.roles)) for p in active)
        account = signing_in.person_of_account(ws)
        self._show(
            repository=setup.repository, place=str(ws.place.root),
            people=told if "choose" in setup.sign_in else (), account=account.name if account is not None else "",
            asks_password="password" in setup.sign_in and "choose" not in setup.sign_in, locked=locked, problem=problem,
        )  # fmt: skip

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def choose(self, name: str) -> None:
        """Let somebody in by name alone."""
        self._try(lambda: signing_in.choose_person(self._ws, name))

    def take_account(self) -> None:
        """Let whoever has this account of the system in."""
        self._try(lambda: signing_in.sign_in_by_account(self._ws))

    def sign_in(self, name: str, password: str) -> None:
        """Let somebody in by name and password."""
        self._try(lambda: signing_in.sign_in(self._ws, name, password))

    def begin(self, answers: FirstAnswers) -> None:
        """Begin a repository, as its first administrator."""
        self._try(lambda: first_start.begin_with(self._ws, answers))

    def _try(self, let_in: Callable[[], Session]) -> None:
        if self.state.is_busy:
            return
        self._show(is_busy=True, problem="")

        def done(session: Session) -> None:
            self._show(is_busy=False)
            self.signed_in.emit(session)

        self._runner.change(
            let_in, done, lane="signing in", owner=self, on_error=lambda told: self._show(is_busy=False, problem=told)
        )
