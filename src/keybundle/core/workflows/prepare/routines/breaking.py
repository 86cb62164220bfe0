"""“Break where this is”: the rules that find a side of a sample batch that somebody points at, and what else they find."""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.core.jobs.pool import Pool
from keybundle.core.rights.model import Right
from keybundle.core.separation.rules import find_hit
from keybundle.core.separation.suggest import suggest_rules
from keybundle.core.setup.routines import Routine, Separation, SeparationRule
from keybundle.core.workflows.arrange.separating import gather_facts
from keybundle.core.workflows.session.session import Session, needs

# What must be looked for so that every rule that can be suggested finds its mark.
ALL_MARKS = Separation(rules=(
    SeparationRule(rule="separator sheet"), SeparationRule(rule="patch code"), SeparationRule(rule="barcode"),
    SeparationRule(rule="page numbering"),
))  # fmt: skip
LOOKED_THROUGH = 40


@dataclass(frozen=True)
class Suggested:
    """A rule that finds the side that was pointed at, and on how many of the sides that were looked at it finds its mark."""

    rule: SeparationRule
    finds: int
    sides: int


@needs(Right.LOOK)
def rules_at(
    session: Session, pool: Pool, batch_id: BatchId, place: int, routine: Routine, cancel: CancelToken | None = None
) -> tuple[Suggested, ...]:
    """Return the rules that would break at the side at a place of a batch (from 0), without those the routine has.

    What else they find is told by the sides around it, ``LOOKED_THROUGH`` at most: all marks are looked for on each.
    Raises InputProblem where that side was not measured, or where nothing on it tells it from others.
    """
    own = session.batch(batch_id)
    batch = own.load()
    pointed = batch.pages[place].id if 0 <= place < len(batch.pages) else ""
    before = max(0, min(place - LOOKED_THROUGH // 2, len(batch.pages) - LOOKED_THROUGH))
    near = {p.sheet for p in batch.pages[before : before + LOOKED_THROUGH]}
    batch = replace(batch, pages=tuple(p for p in batch.pages if p.sheet in near))
    asked = routine.model_copy(update={"separation": ALL_MARKS})
    sides = gather_facts(own, pool, batch, asked, keep=False, cancel=cancel)
    sheets = {p.id: [sides[x.id] for x in batch.pages if x.sheet == p.sheet and x.id in sides] for p in batch.pages}
    if pointed not in sides:
        raise InputProblem(message("pointing.page-could-not-measured-choose"))
    rules = [r for r in suggest_rules(sides[pointed], sheets[pointed]) if r not in routine.separation.rules]
    if not rules:
        raise InputProblem(message("breaking.nothing-there"))
    return tuple(
        Suggested(
            rule, sum(find_hit(side, sheets[key], [rule])[0] is not None for key, side in sides.items()), len(sides)
        )
        for rule in rules
    )
