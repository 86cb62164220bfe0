"""Whom a batch was given to: each change is kept at once."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Grantee
from keybundle.core.workflows.arrange.giving import Given, give_batch, hand_over, load_given
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr


@dataclass(frozen=True)
class GivingState:
    """All that is shown: the batch, in a sentence whose it is, and (key, whom, whether given) for each it could go to.

    ``owners`` are those who could own it: (id, name).
    """

    title: str = " "
    told: str = ""
    others: tuple[tuple[str, str, bool], ...] = ()
    owner: str = ""
    owners: tuple[tuple[str, str], ...] = ()
    may_give: bool = False
    problem: str = ""


class GivingPresenter(QObject):
    """State and verbs of the sheet about whom a batch was given to."""

    changed = Signal(object)

    def __init__(self, seat: Seat, batch_id: BatchId, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s, self._batch, self.state = seat, batch_id, GivingState()
        self._grantees: dict[str, Grantee] = {}
        self.refresh()

    def refresh(self, problem: str = "") -> None:
        """Ask again."""
        session, batch_id = self._s.session, self._batch

        def done(found: Given) -> None:
            self._grantees = {f"{g.kind} {g.id}": g for g, _, _ in found.others}
            told = tr(
                "This is {owner}'s batch. Whoever is checked finds it in their work list too and goes on with it.",
                owner=found.owner_name,
            )
            if not found.may_give:
                told += tr(" Only they, or somebody who oversees, can change that.")
            others = tuple(
                (f"{g.kind} {g.id}", tr("group {name}", name=name) if g.kind == "group" else name, given)
                for g, name, given in found.others
            )
            self._publish(GivingState(found.origin, told, others, found.owner, found.owners, found.may_give, problem))

        s = self._s
        s.runner.query(lambda: load_given(session, batch_id), done, key="giving", owner=self, on_error=self._fail)

    def give(self, key: str, given: bool) -> None:
        """Give the batch to somebody, or take it from them."""
        s, batch_id, grantee = self._s, self._batch, self._grantees[key]

        def done(changes: Any) -> None:
            s.bus.tell(changes)
            self.refresh()

        s.runner.change(
            lambda: give_batch(s.session, batch_id, grantee, given=given), done, lane=f"batch {batch_id}", owner=self,
            on_error=self.refresh,
        )  # fmt: skip

    def hand_over(self, person: str) -> None:
        """Make somebody else the owner of the batch."""
        s, batch_id = self._s, self._batch

        def done(changes: Any) -> None:
            s.bus.tell(changes)
            self.refresh()

        s.runner.change(
            lambda: hand_over(s.session, batch_id, person), done, lane=f"batch {batch_id}", owner=self,
            on_error=self.refresh,
        )  # fmt: skip

    def _fail(self, told: str) -> None:
        self._publish(GivingState(problem=told))

    def _publish(self, state: GivingState) -> None:
        self.state = state
        self.changed.emit(state)
