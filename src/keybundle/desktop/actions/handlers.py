"""What runs the commands of a place here and now, and why one cannot be run: rights, conditions, what the place knows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.desktop.actions import attention
from keybundle.desktop.actions.conditions import CONDITIONS, NEEDS
from keybundle.desktop.actions.registry import LACKS, MAY_LOOK, find_command, right_of
from keybundle.desktop.words import tr


@dataclass
class Handlers:
    """Which function runs a command now; set by the places as they are built.

    What somebody's roles do not give (``may``, asked each time) is refused by ``refuse``, which is given why; so is what a
    command needs and does not hold, and what ``unless`` says of a command where a place knows more than its conditions.
    """

    may: Callable[[Right], bool] = lambda right: True
    refuse: Callable[[str], None] = lambda why: None
    run: dict[str, Callable[[], None]] = field(default_factory=dict)
    holds: dict[str, Callable[[], bool]] = field(default_factory=dict)
    why: dict[str, Callable[[], str]] = field(default_factory=dict)
    otherwise: dict[str, Callable[[], None]] = field(default_factory=dict)
    unless: Callable[[str], str] = lambda command_id: ""

    def may_run(self, command_id: str) -> bool:
        """Whether who is at work here may run a command."""
        return self.may(right_of(command_id))

    def on(self, command_id: str, function: Callable[[], None]) -> None:
        """Let a function run a command."""
        find_command(command_id)
        self.run[command_id] = function

    def provide(
        self, condition: str, holds: Callable[[], bool], why: Callable[[], str] | None = None, *,
        otherwise: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Say whether a condition holds here and now.

        Where it does not, ``why`` says it more closely (or nothing), and ``otherwise`` is done when the key is pressed.
        """
        if condition not in CONDITIONS:
            raise KeyError(condition)
        self.holds[condition] = holds
        if why is not None:
            self.why[condition] = why
        if otherwise is not None:
            self.otherwise[condition] = otherwise

    def hindrance(self, command_id: str) -> str:
        """Return why a command cannot be run here and now, in words; empty where it can."""
        if not self.may_run(command_id):
            right = right_of(command_id)
            return tr(LACKS, right=tr(right.value)) if self.may(Right.INDEX) else tr(MAY_LOOK)
        unmet = self._unmet(command_id)
        if not unmet:
            return self.unless(command_id)
        closely = self.why[unmet]() if unmet in self.why else ""
        return closely or tr(CONDITIONS[unmet])

    def _unmet(self, command_id: str) -> str:
        """Return the first condition of a command that does not hold; empty where all do."""
        return next((c for c in NEEDS.get(command_id, ()) if c in self.holds and not self.holds[c]()), "")

    def trigger(self, command_id: str) -> bool:
        """Run a command; False when nobody runs it, or it cannot be run now, which is told.

        Esc is pressed to be out of things: where there is nothing to be out of, nothing is said.
        """
        function = self.run.get(command_id)
        if function is None:
            return False
        if why := self.hindrance(command_id):
            if find_command(command_id).shortcut != "Esc":
                self.refuse(why)
            if self.may_run(command_id):
                self.otherwise.get(self._unmet(command_id), lambda: None)()
            return False
        with attention.asking():
            function()
        return True
