"""What one rule says about one side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from keybundle.core.base.boxes import Box, centre, upright_box
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.patterns import SlowPattern, search
from keybundle.core.marks.model import BARCODE, PATCH, Mark
from keybundle.core.reading.text import Word
from keybundle.core.separation.facts import SideFacts
from keybundle.core.separation.numbering import read_numbering
from keybundle.core.setup.routines import OnPage, SeparationRule, Zone

LIKE_WORDS = 80.0


@dataclass(frozen=True)
class Hit:
    """A rule speaks about a side: why there is a break before it or after it, and whether the side is kept."""

    before: str = ""
    after: str = ""
    kept: bool = True
    left_out_as: str = ""
    type_name: str = ""


def find_hit(side: SideFacts, sheet: Sequence[SideFacts], rules: Sequence[SeparationRule]) -> tuple[Hit | None, str]:
    """Return what the first rule that finds its mark on the side says, and a note about rules that could not look."""
    note = ""
    for rule in rules:
        try:
            hit = _match(side, sheet, rule)
        except SlowPattern as slow:
            note = str(slow)
            continue
        if hit is not None:
            return hit, note
    return None, note


def _match(side: SideFacts, sheet: Sequence[SideFacts], rule: SeparationRule) -> Hit | None:
    if rule.rule == "separator sheet":
        return (
            _hit(rule, message("rule.separator-sheet"), message("reason.separator"), side.separator_type)
            if side.separator
            else None
        )
    if rule.rule == "patch code":
        mark = next((m for m in side.marks if m.kind == PATCH and (not rule.symbols or m.text in rule.symbols)), None)
        return (
            _hit(rule, message("reason.patch-code", text=mark.text), message("reason.left-out-patch-code"))
            if mark
            else None
        )
    if rule.rule == "barcode":
        mark = find_barcode(side, rule)
        return (
            _hit(rule, message("reason.barcode", text=_short(mark.text)), message("reason.left-out-barcode"))
            if mark
            else None
        )
    if rule.rule == "blank page":
        return (
            _hit(rule, message("rule.blank-page"), message("reason.blank")) if all(s.is_blank for s in sheet) else None
        )
    if rule.rule == "words":
        said = find_words(side, rule)
        return (
            _hit(rule, message("reason.words", words=_short(said)), message("reason.left-out-words")) if said else None
        )
    if rule.rule == "known first page":
        known = side.known_first
        return Hit(before=message("reason.known-first", known=known), type_name="") if known else None
    if rule.rule == "page numbering":
        return _match_numbering(side)
    return None


def _hit(rule: SeparationRule, reason: str, left_out_as: str, type_name: str = "") -> Hit:
    kept = rule.mark_page == "kept"
    if not kept or rule.where == "before":
        return Hit(before=reason, kept=kept, left_out_as=left_out_as, type_name=type_name)
    return Hit(after=reason, type_name=type_name)


def _short(text: str) -> str:
    return text if len(text) <= 40 else text[:37] + "..."


def _match_numbering(side: SideFacts) -> Hit | None:
    found = read_numbering(side.text) if side.text is not None else None
    if found is None:
        return None
    said = f"page {found.page} of {found.of}"
    return Hit(before=said if found.page == 1 else "", after=said if found.page == found.of else "")


def find_barcode(side: SideFacts, rule: OnPage) -> Mark | None:
    """Return the barcode on the side that the rule means; raises SlowPattern."""
    for mark in side.marks:
        if mark.kind != BARCODE or rule.format not in ("any", mark.format):
            continue
        if rule.zone is not None and not _lies_in(side, mark.box, rule.zone):
            continue
        if not rule.pattern or search(rule.pattern, mark.text):
            return mark
    return None


def barcode_values(side: SideFacts, rules: Sequence[SeparationRule]) -> Mapping[str, tuple[str, Mark]]:
    """Return the named groups of barcode patterns found on the side, each with its barcode; ``_`` stands for a blank."""
    found: dict[str, tuple[str, Mark]] = {}
    for rule in (r for r in rules if r.rule == "barcode" and r.pattern):
        try:
            mark = find_barcode(side, rule)
            match = search(rule.pattern, mark.text) if mark else None
        except SlowPattern:
            continue
        if mark is not None and match is not None:
            for name, text in match.groupdict().items():
                if text:
                    found.setdefault(name.replace("_", " "), (text, mark))
    return found


def _lies_in(side: SideFacts, box: Box, zone: Zone) -> bool:
    if side.frame is None:
        return False
    width, height = side.frame.upright_size
    x, y = centre(upright_box(side.frame, box))
    return zone.holds(x / width, y / height)


def find_words(side: SideFacts, rule: OnPage) -> str:
    """Return the words found by the rule on the side; empty when there are none. Raises SlowPattern."""
    if side.text is None:
        return ""
    from rapidfuzz import fuzz

    width, height = side.text.frame.upright_size

    def inside(word: Word) -> bool:
        x, y = centre(word.box)
        return rule.zone is None or rule.zone.holds(x / width, y / height)

    for line in side.text.lines():
        plain = " ".join(w.text for w in line if inside(w))
        if not plain:
            continue
        if rule.pattern:
            match = search(rule.pattern, plain)
            if match is not None and match.group(0):
                return str(match.group(0))
        elif fuzz.partial_ratio(rule.words.casefold(), plain.casefold()) >= LIKE_WORDS and len(plain) >= len(
            rule.words
        ):
            return rule.words
    return ""
