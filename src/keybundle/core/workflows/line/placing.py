"""What becomes of the sides of a sheet: the routine's rules, what a person decided beforehand, and damaged sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from keybundle.core.base.messages import message
from keybundle.core.batches.machine import Decide
from keybundle.core.batches.model import Page
from keybundle.core.reading.text import weighed
from keybundle.core.separation.cut import BY_HAND, CutState, place_sheet
from keybundle.core.separation.facts import Placing
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.pages.page_facts import side_facts, with_hands, with_type
from keybundle.core.workflows.propose.indexing import known_first_pages
from keybundle.core.workflows.session.workspace import Workspace


def decide_by(workspace: Workspace, routine: Routine, owner: str) -> Decide:
    """Return what decides about the sides of a sheet in `owner`'s batch by a routine's rules."""
    known = known_first_pages(workspace, routine, owner)

    def decide(
        pages: Sequence[Page], texts: Mapping[str, bytes], state: CutState
    ) -> tuple[Sequence[Placing], CutState]:
        placings = [_place_damaged(p) for p in pages if p.facts is None]
        sides = []
        for page in (p for p in pages if p.facts is not None):
            text = weighed(texts[page.id]) if page.id in texts else None
            side = with_type(side_facts(page, text, known(text) if text is not None else ""), workspace.setup)
            sides.append(with_hands(side, page))
        if not sides:
            return placings, state
        more, state = place_sheet(sides, routine, state)
        return [*placings, *more], state

    return decide


def _place_damaged(page: Page) -> Placing:
    if page.hand_kept is not None:
        return Placing(page.id, page.hand_kept, "" if page.hand_kept else page.reason or BY_HAND, note=page.trouble)
    return Placing(page.id, False, message("reason.damaged"), note=page.trouble)


def keep_as_it_is(
    pages: Sequence[Page], texts: Mapping[str, bytes], state: CutState
) -> tuple[Sequence[Placing], CutState]:
    """Keep the sides of a sheet that the rules failed on, so that nothing behind them has to wait."""
    note = message("placing.separation-rules-failed-side-check")
    kept = [Placing(p.id, p.hand_kept is not False, BY_HAND if p.hand_kept is False else "", note=note) for p in pages]
    return kept, state
