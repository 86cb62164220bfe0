"""What is not ready yet: what is missing, each with what makes it, and ready-made beginnings."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.gaps import Gap
from keybundle.core.workflows.prepare.parts import beginnings, readiness
from keybundle.core.workflows.prepare.parts.beginnings import Beginning
from keybundle.core.workflows.prepare.parts.readiness import Made
from keybundle.core.workflows.prepare.registers import proposals
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, tr, worded

REMEDIES = {
    "no cabinets": mark("Make a cabinet"), "no types": mark("Make a document type"), "no routines": mark("Make a routine"),
    "no cabinet": mark("Make a cabinet for it"), "no source": mark("Let a field say it"), "no type": mark("Make a type for it"),
    "no files routine": mark("Make a routine for files"),
}  # fmt: skip


@dataclass(frozen=True)
class MissingRow:
    """A line of the list: what is missing, in words, and what its button makes (empty: only somebody knows)."""

    gap: Gap
    said: str
    remedy: str


@dataclass(frozen=True)
class MissingState:
    """All that is shown; ``beginnings`` while there is nothing to work by."""

    rows: tuple[MissingRow, ...] = ()
    is_known: bool = False
    beginnings: tuple[tuple[str, str, str], ...] = ()
    can_change: bool = False

    @property
    def stopping(self) -> int:
        """How many of them stop work."""
        return sum(row.gap.stops for row in self.rows)


class MissingPresenter(QObject):
    """State and verbs of the list."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    opened = Signal(str, str, str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = MissingState()
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup and self.state.is_known:
            self.refresh()

    def refresh(self) -> None:
        """Look again at what is missing."""
        s = self._s
        if not s.may(Right.PREPARE):
            self._show(is_known=True, rows=(), can_change=False)
            return

        def done(found: tuple[list[Gap], tuple[Beginning, ...]]) -> None:
            rows = tuple(
                MissingRow(g, worded(g.said), tr(REMEDIES[g.code]) if g.code in REMEDIES else "") for g in found[0]
            )
            is_bare = not s.workspace.setup.document_types
            offered = tuple((b.code, b.name, worded(b.said)) for b in found[1]) if is_bare else ()
            self._show(rows=rows, is_known=True, beginnings=offered, can_change=True)

        s.runner.query(
            lambda: (readiness.list_missing(s.session), beginnings.list_beginnings()), done, key="missing", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def make(self, gap: Gap) -> None:
        """Make what is missing, and go to what was made."""
        s = self._s
        s.runner.change(
            lambda: readiness.remedy(s.session, gap), self._made, lane="setup", owner=self, on_error=self.failed.emit
        )

    def _made(self, made: Made) -> None:
        self.refresh()
        self.opened.emit(made.kind, made.id, "")

    def look(self, gap: Gap) -> None:
        """Go to where something is missing."""
        at = "entries" if gap.code in ("no entries", "proposed") else gap.at
        self.opened.emit(gap.kind, gap.id, at)

    def decide(self, gap: Gap, *, take: bool) -> None:
        """Make what somebody proposed, and go to it; or do not."""
        s = self._s

        def done(made: tuple[str, str, str]) -> None:
            self.refresh()
            if take:
                self.opened.emit(*made)
            else:
                self.said.emit(tr("Not taken."))

        s.runner.change(
            lambda: proposals.decide_proposed(s.session, gap.proposal, take=take), done, lane="setup", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def note_seen(self, gap: Gap) -> None:
        """Tell of it no more."""
        s = self._s
        s.runner.change(
            lambda: readiness.note_seen(s.session, gap), lambda _: self.refresh(), lane="setup", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def take(self, code: str) -> None:
        """Begin with something ready-made."""
        s = self._s

        def done(names: tuple[str, ...]) -> None:
            self.said.emit(tr("Added: {name}", name=", ".join(names)))
            self.refresh()

        s.runner.change(
            lambda: beginnings.take_beginning(s.session, code),
            done,
            lane="setup",
            owner=self,
            on_error=self.failed.emit,
        )
