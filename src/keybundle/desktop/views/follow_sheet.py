"""The question that is asked once when corrected values say another folder: follow, or stay."""

from __future__ import annotations

from keybundle.desktop.presenters.cabinet_changes import CabinetChanges, FollowAsked
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.words import tr, trn


def make_follow_sheet(asked: FollowAsked, changes: CabinetChanges) -> ChooseSheet:
    """Return the sheet that asks it; its answer keeps the corrections."""
    moves = asked.moves
    places = tr("{before} → {after}", before=" / ".join(moves.before), after=" / ".join(moves.after))
    head = trn(
        "By the corrected values it belongs in another folder: {places}",
        "By the corrected values {n:,} documents belong in other folders, the first of them: {places}",
        moves.number, places=places,
    )  # fmt: skip
    sheet = ChooseSheet(tr("Follow or stay"), head, of=moves.caption)
    sheet.render_entries([tr("Follow: file them where the values now say"), tr("Stay: correct the values alone")])
    sheet.chosen.connect(lambda row: changes.keep_with(asked, follow=row == 0))
    return sheet
