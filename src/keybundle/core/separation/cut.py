"""Cutting a sequence of sheets into documents: a fold over page facts that can be taken up at any sheet.

``place_sheet`` decides about one sheet's sides and returns the state for the next one; a batch is cut the same way
whether its pages come all at once or while the feeder runs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from keybundle.core.setup.model import Routine


@dataclass(frozen=True)
class SideFacts:
    """What separation needs to know of one side."""

    page: str
    sheet: int
    side: str
    source: str
    is_blank: bool = False
    separator: bool = False
    separator_type: str = ""


@dataclass(frozen=True)
class Placing:
    """What becomes of a side: kept (perhaps as the first page of a document) or left out, with the reason.

    ``note`` points out something the operator should look at.
    """

    page: str
    kept: bool
    reason: str = ""
    starts: bool = False
    break_reason: str = ""
    type_name: str = ""
    note: str = ""


@dataclass(frozen=True)
class CutState:
    """Where the fold stands between two sheets."""

    begun: bool = False
    pending: str = ""
    pending_type: str = ""
    sheets_in_document: int = 0
    source: str = ""


def place_sheet(sides: Sequence[SideFacts], routine: Routine, state: CutState) -> tuple[list[Placing], CutState]:
    """Decide about the sides of one sheet, in feed order."""
    separator = next((s for s in sides if s.separator), None)
    if routine.separation.by == "separator sheet" and separator is not None:
        placings = [_leave_out_separator(s, separator) for s in sides]
        return placings, replace(
            state, pending="separator sheet", pending_type=separator.separator_type, sheets_in_document=0
        )
    state = _ask_for_break(sides, routine, state)
    placings = []
    for side in sides:
        if side.is_blank and routine.leave_out_blank:
            placings.append(Placing(side.page, False, "blank"))
            continue
        starts = not state.begun or bool(state.pending)
        reason = state.pending or "first page"
        placings.append(
            Placing(side.page, True, starts=starts, break_reason=reason if starts else "",
                    type_name=state.pending_type if starts else "")
        )  # fmt: skip
        if starts:
            state = replace(state, begun=True, pending="", pending_type="", sheets_in_document=0)
    return placings, replace(state, sheets_in_document=state.sheets_in_document + 1, source=sides[0].source)


def _leave_out_separator(side: SideFacts, separator: SideFacts) -> Placing:
    if side.separator:
        return Placing(side.page, False, "separator")
    note = "" if side.is_blank else "The back of this separator sheet is not blank; take it back if it is a page."
    return Placing(side.page, False, "back of separator", note=note)


def _ask_for_break(sides: Sequence[SideFacts], routine: Routine, state: CutState) -> CutState:
    rule = routine.separation
    if not state.begun:
        return state
    if rule.by == "every n sheets" and state.sheets_in_document >= rule.sheets:
        many = "sheet" if rule.sheets == 1 else "sheets"
        return replace(state, pending=f"every {rule.sheets} {many}")
    if rule.by == "each source file" and sides[0].source != state.source:
        return replace(state, pending="new source file")
    return state
