"""Cutting a sequence of sheets into documents: a fold over page facts that can be taken up at any sheet.

``place_sheet`` decides about one sheet's sides and returns the state for the next one; a batch is cut the same way
whether its pages come all at once or while the feeder runs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.separation.facts import Placing, SideFacts
from keybundle.core.separation.rules import Hit, find_hit
from keybundle.core.setup.routines import Routine

BY_HAND = message("reason.by-hand")


@dataclass(frozen=True)
class CutState:
    """Where the fold stands between two sheets: what breaks before the next kept side, and what is open."""

    begun: bool = False
    pending: str = ""
    pending_type: str = ""
    sheets_in_document: int = 0
    source: str = ""


def place_sheet(sides: Sequence[SideFacts], routine: Routine, state: CutState) -> tuple[list[Placing], CutState]:
    """Decide about the sides of one sheet, in feed order; what a person decided about one beforehand counts."""
    rules = routine.separation.rules
    looked = [find_hit(s, sides, rules) for s in sides]
    mark = next((hit for hit, _ in looked if hit is not None and not hit.kept), None)
    if mark is not None:
        placings = [_leave_out(s, hit, mark, state) for s, (hit, _) in zip(sides, looked, strict=True)]
        begun = state.begun or any(p.kept for p in placings)
        return placings, replace(
            state, begun=begun, pending=mark.before, pending_type=mark.type_name, sheets_in_document=0
        )
    asked = _ask_sheet_rules(sides, routine, state)
    placings = []
    for side, (hit, note) in zip(sides, looked, strict=True):
        if side.hand_kept is None and side.is_blank and routine.leave_out_blank and hit is None:
            placings.append(Placing(side.page, False, message("reason.blank"), note=note))
            continue
        reason = (hit.before if hit else "") or state.pending or asked or _ask_side_rules(side, routine)
        type_name = state.pending_type or (hit.type_name if hit else "")
        if side.hand_kept is False:
            # The break that this side would have made waits for the next one that is kept.
            placings.append(Placing(side.page, False, side.hand_reason or BY_HAND, note=note))
            if not (side.is_blank and hit is None):
                state, asked = replace(state, pending=reason, pending_type=type_name), ""
            continue
        if side.hand_break is not None:
            reason = (reason or BY_HAND) if side.hand_break else ""
        starts = not state.begun or bool(reason)
        reason = reason or message("reason.first-page")
        placings.append(
            Placing(side.page, True, starts=starts, break_reason=reason if starts else "",
                    type_name=type_name if starts else "", note=note)
        )  # fmt: skip
        if starts:
            state = replace(state, begun=True, pending="", pending_type="", sheets_in_document=0)
            asked = ""
        elif side.hand_break is False:
            state, asked = replace(state, pending="", pending_type=""), ""
        if hit is not None and hit.after:
            state = replace(state, pending=message("reason.after", after=hit.after))
    return placings, replace(state, sheets_in_document=state.sheets_in_document + 1, source=sides[0].source)


def _leave_out(side: SideFacts, hit: Hit | None, mark: Hit, state: CutState) -> Placing:
    if side.hand_kept:
        return Placing(
            side.page, True, starts=not state.begun, break_reason="" if state.begun else message("reason.first-page")
        )
    if side.hand_kept is False:
        return Placing(side.page, False, side.hand_reason or BY_HAND)
    if hit is not None and not hit.kept:
        return Placing(side.page, False, hit.left_out_as)
    what = mark.left_out_as
    note = "" if side.is_blank else message("cut.back-sheet-not-blank-take", what=what)
    return Placing(side.page, False, message("reason.back-of", what=what), note=note)


def _ask_sheet_rules(sides: Sequence[SideFacts], routine: Routine, state: CutState) -> str:
    """Return why the sheet starts a document whatever is on it; empty when it does not."""
    if not state.begun:
        return ""
    for rule in routine.separation.rules:
        if rule.rule == "every n sheets" and state.sheets_in_document >= rule.sheets:
            return rule.said
        if rule.rule == "each source file" and sides[0].source != state.source:
            return message("reason.new-source-file")
    return ""


def _ask_side_rules(side: SideFacts, routine: Routine) -> str:
    for rule in routine.separation.rules:
        if rule.rule == "each page":
            return rule.said
        if rule.rule == "front side" and side.side == "front":
            return rule.said
    return ""
