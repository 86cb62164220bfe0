"""The repository itself in Prepare: its name, where it stands, how people sign in, its mail server, lists of reasons."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.workflows.prepare.parts import general, setup_admin, surroundings
from keybundle.core.workflows.prepare.parts.parts import value_at
from keybundle.desktop.presenters.prepare.editing import Editing
from keybundle.desktop.presenters.prepare.form_drafts import TYPED, FormDrafts
from keybundle.desktop.presenters.prepare.forms import FormField, Section
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import tr

WHOLE = ""  # what is typed here is typed for the repository as a whole


@dataclass(frozen=True)
class RepositoryState:
    """All that is shown."""

    place: str = ""
    sections: tuple[Section, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    problems: Mapping[str, str] = field(default_factory=dict)
    undo: str = ""
    can_change: bool = False


class RepositoryPresenter(QObject):
    """State and verbs."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = RepositoryState()
        self._problems: dict[str, str] = {}
        self._typed = FormDrafts(seat, "repository")
        self._typed.drafts.changed.connect(self._show_typed)
        self._plain: dict[str, Any] = {}
        self._editing = Editing(self, seat, self.said.emit, self.failed.emit, self.refresh)
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup and self.state.sections:
            self.refresh()

    def refresh(self) -> None:
        """Look at the set-up again."""
        if self._editing.is_keeping:
            return
        setup = self._s.workspace.setup
        typed = self._typed.drafts.find(WHOLE, "locale")
        sections = _form(typed.text if typed is not None else setup.locale)
        self._plain = {f.name: value_at(setup, f.name) for s in sections for f in s.fields}
        problems = {**self._problems, **self._typed.problems(WHOLE)}
        self.state = replace(
            self.state, place=str(self._s.workspace.place.root), sections=sections, problems=problems,
            values={**self._plain, **self._typed.values(WHOLE, sections)}, undo=self._editing.undo_told,
            can_change=self._s.may(Right.PREPARE),
        )  # fmt: skip
        self.changed.emit(self.state)

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change values of the repository."""
        session, setup = self._s.session, self._s.workspace.setup
        before = {path: value_at(setup, path) for path in changes}
        fields = [f for s in self.state.sections for f in s.fields if f.name in changes and f.kind in TYPED]
        for f in fields:
            if told := self._typed.crossed(WHOLE, f, changes[f.name], before[f.name]):
                self._typed.leave(WHOLE, f, changes[f.name], before[f.name], setup.repository, told)
                self.refresh()
                return
            self._typed.drop(WHOLE, f, changes[f.name])
        for path in changes:
            self._problems.pop(path, None)

        def kept(_: object) -> Undo:
            told = ", ".join(path.replace("_", " ").replace(".", " ") for path in changes)
            return Undo(told, lambda: general.save_general(session, before, changes))

        def done(_: object) -> None:
            self.said.emit(tr("Kept: {name}", name=self._s.workspace.setup.repository))
            self.refresh()

        def refused(told: str) -> None:
            for f in fields:
                self._typed.leave(WHOLE, f, changes[f.name], before[f.name], setup.repository, told)
            if not fields:
                self._problems[next(iter(changes))] = told
            self.refresh()

        self._editing.keep(lambda: general.save_general(session, changes, before), kept, done, refused)

    def type(self, name: str, text: str) -> None:
        """Take what stands in an editor after a key."""
        field = next((f for s in self.state.sections for f in s.fields if f.name == name and f.kind in TYPED), None)
        if field is not None:
            told = self._s.workspace.setup.repository
            self._typed.type(WHOLE, field, text, self._plain.get(name), told)

    def is_typed(self, name: str) -> bool:
        """Whether something is typed in a field, and not kept."""
        return self._typed.drafts.find(WHOLE, name) is not None

    def let_go_here(self, name: str) -> None:
        """Let go of what is typed in a field."""
        self._problems.pop(name, None)
        self._typed.drafts.let_go([(WHOLE, name)])

    def _show_typed(self) -> None:
        if self.state.sections:
            self.refresh()

    def try_locale(self, locale: str) -> None:
        """Show how a locale writes days and numbers while it is typed."""
        self.state = replace(self.state, sections=_form(locale.strip()), values={})
        self.changed.emit(self.state)

    @property
    def can_undo(self) -> bool:
        """Whether there is something to put back, or will be once what is under way is through."""
        return self._editing.can_undo

    def undo(self) -> None:
        """Put back what one changed last here."""
        self._editing.undo()

    def export(self, path: Path) -> None:
        """Write the whole set-up as a text file."""
        session = self._s.session
        self._s.runner.change(
            lambda: setup_admin.export_setup(session, path),
            lambda _: self.said.emit(tr("Written: {name}", name=path.name)), on_error=self.failed.emit, owner=self,
        )  # fmt: skip

    def bring_in(self, path: Path) -> None:
        """Put a set-up file in force; what is wrong with it is told, and then nothing changes."""
        session = self._s.session

        def done(imported: setup_admin.Imported) -> None:
            self.said.emit("; ".join(imported.lines()) or tr("The file says what is in force already."))
            self.refresh()

        self._s.runner.change(
            lambda: setup_admin.import_setup(session, path), done, lane="setup", owner=self, on_error=self.failed.emit
        )


def _form(locale: str) -> tuple[Section, ...]:
    return (
        Section(tr("Repository"), (
            FormField("repository", tr("Name"), longest=80),
            FormField("locale", tr("Locale"), offers=tuple(surroundings.list_locales()),
                      help=tr("Days and numbers are read and written by it from now on: {example}. What is filed stays.",
                              example=surroundings.show_locale(locale) or "?")),
            FormField("time_zone", tr("Time zone"), offers=tuple(surroundings.list_time_zones()),
                      help=tr("What the clock says here; moments are kept in UTC.")),
        )),
        Section(tr("Signing in"), (
            FormField("sign_in", tr("People sign in by"), "picks", choices=(
                ("password", tr("a password")), ("system", tr("their account of this system")),
                ("choose", tr("choosing their name; in a demo only")),
            )),
            FormField("lock_after_minutes", tr("The window locks after"), "whole", unit=tr("minutes"), high=1440,
                      none=tr("never")),
        )),
        Section(tr("Mail"), (
            FormField("mail.host", tr("Server"), hint=tr("empty: the user's own mail program")),
            FormField("mail.port", tr("Port"), "whole", low=1, high=65535),
            FormField("mail.security", tr("Security"), "pick", choices=tuple((c, tr(c)) for c in ("none", "starttls", "tls"))),
            FormField("mail.sender", tr("Sender")),
            FormField("mail.user", tr("User")),
            FormField("mail.password_file", tr("File with the password"), hint=tr("that only its owner may read")),
            FormField("mail.subject", tr("Subject"), hint=tr("such as {caption}")),
            FormField("mail.text", tr("Text")),
            FormField("mail.largest_mb", tr("Largest message"), "whole", unit="MB", low=1, high=1000),
        )),
        Section(tr("Reasons"), (
            FormField("aside_reasons", tr("For setting aside"), "lines", hint=tr("one on each line")),
            FormField("delete_reasons", tr("For deleting"), "lines", hint=tr("one on each line")),
        ), help=tr("They are offered where a reason is asked for; others can be typed.")),
    )  # fmt: skip
