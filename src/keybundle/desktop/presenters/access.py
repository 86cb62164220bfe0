"""Whom a cabinet, folder or document is kept to: seen, changed, and explained for any person."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import RIGHTS_OF_PLACE, SHOWN, Grantee, Right
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.access import Kept, Reached, Said, Spot, say_grantee
from keybundle.desktop.presenters.seat import Seat

LOOKING = frozenset({Right.LOOK})
WORKING = frozenset({Right.LOOK, Right.FILE, Right.TAKE_BACK, Right.CORRECT, Right.SEND, Right.MARK})
__all__ = [
    "LOOKING",
    "RIGHTS_OF_PLACE",
    "SHOWN",
    "WORKING",
    "AccessPresenter",
    "AccessState",
    "Reached",
    "Right",
    "Said",
    "Spot",
]


@dataclass(frozen=True)
class EntryShown:
    """An entry of a list: whom it means, in words, and its rights."""

    grantee: Grantee
    told: str
    rights: frozenset[Right]


@dataclass(frozen=True)
class AccessState:
    """All that is shown of whom a thing is kept to; ``people`` (id, name) can be asked about, ``why`` is about ``person``."""

    title: str = ""
    told: str = ""
    entries: tuple[EntryShown, ...] = ()
    has_own: bool = False
    may_change: bool = False
    grantees: tuple[tuple[Grantee, str], ...] = ()
    people: tuple[tuple[str, str], ...] = ()
    person: str = ""
    why: tuple[Said, ...] = ()
    problem: str = ""


class AccessPresenter(QObject):
    """State and verbs of the sheet about whom something is kept to; each change is kept at once."""

    changed = Signal(object)
    said = Signal(str)

    def __init__(self, seat: Seat, spot: Spot, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s, self._spot = seat, spot
        may_ask = seat.may(Right.GIVE_RIGHTS) or seat.may(Right.OVERSEE)
        people = [p for p in seat.workspace.setup.people if p.active and (may_ask or p.id == seat.who)]
        self.state = AccessState(people=tuple((p.id, p.name) for p in people), person=seat.who)
        self.refresh()

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def refresh(self) -> None:
        """Ask again."""
        session, spot, person = self._s.session, self._spot, self.state.person

        def load() -> tuple[Kept, tuple[Said, ...]]:
            return access.load_kept(session, spot), access.explain(session, person, spot)

        def done(found: tuple[Kept, tuple[Said, ...]]) -> None:
            kept, why = found
            entries = kept.own if kept.own is not None else ()
            self._show(
                title=kept.title, told=kept.told, has_own=kept.own is not None, may_change=kept.may_change, why=why,
                entries=tuple(EntryShown(e.grantee, say_grantee(e.grantee, e.name), e.rights) for e in entries),
                grantees=kept.grantees,
            )  # fmt: skip

        self._s.runner.query(load, done, key="access", owner=self, on_error=lambda told: self._show(problem=told))

    def choose_person(self, person: str) -> None:
        """Explain somebody else's rights here."""
        self._show(person=person)
        self.refresh()

    def add(self, grantee: Grantee, rights: frozenset[Right]) -> None:
        """Keep the thing to somebody too, with these rights; the first one makes the list."""
        self._keep(lambda now: {**now, grantee: rights})

    def remove(self, grantee: Grantee) -> None:
        """Take somebody off the list."""
        self._keep(lambda now: {g: r for g, r in now.items() if g != grantee})

    def toggle(self, grantee: Grantee, right: Right, on: bool) -> None:
        """Give an entry a right, or take it away."""
        self._keep(
            lambda now: {**now, grantee: now.get(grantee, frozenset()) | {right} if on else now[grantee] - {right}}
        )

    def take_away(self) -> None:
        """Take the whole list away: what stands above counts again."""
        self._change(None)

    def _keep(self, make: Callable[[dict[Grantee, frozenset[Right]]], dict[Grantee, frozenset[Right]]]) -> None:
        self._change(make({e.grantee: e.rights for e in self.state.entries}))

    def _change(self, entries: dict[Grantee, frozenset[Right]] | None) -> None:
        s, spot = self._s, self._spot

        def done(changes: Any) -> None:
            self._show(problem="")
            s.bus.tell(changes)
            self.refresh()

        def refused(told: str) -> None:
            self._show(problem=told)
            self.refresh()

        s.runner.change(
            lambda: access.keep_to(s.session, spot, entries), done, lane="access", owner=self, on_error=refused
        )
