"""What belongs to no part: the repository's name, where it stands, how people sign in, its mail server and lists of reasons."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup
from keybundle.core.setup.parts import Part
from keybundle.core.workflows.prepare.parts.parts import change_part, value_at
from keybundle.core.workflows.session.session import Session, needs

GENERAL = (
    "repository",
    "locale",
    "time_zone",
    "lock_after_minutes",
    "sign_in",
    "mail",
    "aside_reasons",
    "delete_reasons",
)


@needs(Right.PREPARE)
def save_general(session: Session, changes: Mapping[str, Any], base: Mapping[str, Any]) -> None:
    """Keep values of the set-up as a whole; ``base`` is what they were: changed by somebody else since, nothing is kept.

    Raises PartProblem at the value that cannot be.
    """
    if unknown := [path for path in changes if path.split(".")[0] not in GENERAL]:
        raise InputProblem(message("general.no-such-value", name=unknown[0]))

    def change(setup: Setup) -> Setup:
        if others := [path for path, was in base.items() if _plain(value_at(setup, path)) != _plain(was)]:
            what = message("thing.set-up")
            raise InputProblem(
                message("routines.been-changed-somebody-else-meanwhile", what=what, new=others[0].replace("_", " "))
            )
        return change_part(setup, changes)

    session.workspace.change_setup(session.person, change)


def _plain(value: Any) -> Any:
    return value.model_dump() if isinstance(value, Part) else value
