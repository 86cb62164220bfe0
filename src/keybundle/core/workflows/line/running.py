"""What of a batch lies in memory while the line is at it."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import field
from typing import TYPE_CHECKING

from keybundle.core.base.records import dataclass
from keybundle.core.setup.routines import Routine

if TYPE_CHECKING:
    from keybundle.core.intake.halts import Halted
    from keybundle.core.proposing.again import Heard
    from keybundle.core.workflows.line.second_look import Spot


@dataclass
class Running:
    """A batch under way: its routine, what the feeder is asked, what was heard, and figures.

    ``as_set_up`` is the routine as the set-up had it when it was asked last.
    """

    routine: Routine
    as_set_up: Routine | None = None
    ended: bool = False
    paper_mm: tuple[float, float] = (210.0, 297.0)
    halted: Halted | None = None
    looking: int = 0
    sheets: int = 0
    current: str | None = None
    heard: dict[Spot, Heard] = field(default_factory=dict)
    seconds: defaultdict[str, float] = field(default_factory=lambda: defaultdict(float))
