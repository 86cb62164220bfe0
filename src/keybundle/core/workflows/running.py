"""What the line remembers of a batch in work between two sheets."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field

from keybundle.core.batches.model import Page
from keybundle.core.intake.halts import Halted
from keybundle.core.reading.text import PageText
from keybundle.core.separation.cut import CutState
from keybundle.core.setup.routines import Routine


@dataclass
class Running:
    """What the line remembers of a batch between two sheets."""

    routine: Routine
    two_sided: bool
    state: CutState = field(default_factory=CutState)
    current: str | None = None
    unplaced: list[str] = field(default_factory=list)
    pages: dict[str, Page] = field(default_factory=dict)
    texts: dict[str, PageText] = field(default_factory=dict)
    ended: bool = False
    paper_mm: tuple[float, float] = (210.0, 297.0)
    halted: Halted | None = None
    looking: int = 0
    seconds: defaultdict[str, float] = field(default_factory=lambda: defaultdict(float))


def is_looked_at(running: Running, page: Page) -> bool:
    """Whether all that the routine's rules need of a page is known."""
    if page.facts is None or page.trouble:
        return bool(page.trouble)
    needs_text = running.routine.separation.needs_text and not (page.facts.is_blank or page.facts.separator)
    return not needs_text or page.id in running.texts
