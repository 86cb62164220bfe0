"""Halt conditions: what of a captured side stops the feeder, and the words for it."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.patterns import SlowPattern, search
from keybundle.core.setup.routines import HaltCondition

LONGER_MM = 10.0
SIZE_MM = 6.0
DARK, FAINT, SKEW_DEGREES, SHEETS = 0.35, 0.3, 8.0, 50.0


@dataclass(frozen=True)
class Measured:
    """What a halt condition can look at: ``number`` counts the batch's sides from 0, ``document_sheets`` the sheets of
    the document that grows, ``paper_mm`` is what the scan asked for."""  # noqa: D205, D209

    number: int
    sheet: int
    side: str
    width_mm: float
    height_mm: float
    paper_mm: tuple[float, float]
    is_blank: bool = False
    darkness: float = 0.0
    contrast: float = 1.0
    skew_degrees: float = 0.0
    barcodes: tuple[str, ...] = ()
    document_sheets: int = 0


@dataclass(frozen=True)
class Halted:
    """The feeder is to stop: which condition, at which captured sheet (0: one that never came), and what to say."""

    on: str
    sheet: int
    words: str


def find_halt(conditions: Sequence[HaltCondition], seen: Measured) -> Halted | None:
    """Return the first condition that a side meets, with the routine's own words where it has some."""
    for condition in conditions:
        said = _meets(condition, seen)
        if said:
            return Halted(condition.on, seen.sheet, " ".join(x for x in (condition.words, said) if x))
    return None


def _meets(condition: HaltCondition, seen: Measured) -> str:
    """Return why the side meets the condition, empty when it does not."""
    where = f"sheet {seen.sheet}, {seen.side}"
    limit = condition.limit
    width, height = seen.paper_mm
    if condition.on == "double feed":
        longer = seen.height_mm - height
        return (
            message("halts.two-sheets-may-have-gone", where=where, longer=longer)
        ) if longer > (limit or LONGER_MM) else ""  # fmt: skip
    if condition.on == "size":
        off = max(abs(seen.width_mm - width), abs(seen.height_mm - height))
        return (
            message(
                "halts.paper-x-mm-not-x", where=where, width_mm=seen.width_mm, height_mm=seen.height_mm, width=width,
                height=height,
            )
        ) if off > (limit or SIZE_MM) else ""  # fmt: skip
    if condition.on == "barcode":
        return _barcode(condition, seen, where)
    if condition.on == "first side blank":
        return message("halts.first-side-blank-stack-may") if seen.number == 0 and seen.is_blank else ""
    if condition.on == "too dark":
        return message("halts.picture-too-dark", where=where) if seen.darkness > (limit or DARK) else ""
    if condition.on == "too faint":
        return (
            message("halts.print-too-faint", where=where)
            if not seen.is_blank and seen.contrast < (limit or FAINT)
            else ""
        )
    if condition.on == "skew":
        crooked = abs(seen.skew_degrees)
        return (
            message("halts.paper-went-crooked-degrees", where=where, crooked=crooked)
            if crooked > (limit or SKEW_DEGREES)
            else ""
        )
    long = seen.document_sheets > (limit or SHEETS)
    return (
        message("halts.document-more-than-sheets-separator", where=where, value=limit or SHEETS)
    ) if long else ""  # fmt: skip


def _barcode(condition: HaltCondition, seen: Measured, where: str) -> str:
    for text in seen.barcodes:
        try:
            if not condition.pattern or search(condition.pattern, text):
                return message("halts.barcode-asks-stop-here", text=text, where=where)
        except SlowPattern as slow:
            return str(slow)
    return ""
