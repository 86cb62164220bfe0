"""Which rules would break at a side like this one: told by the marks and the large print that are on it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from statistics import median

import regex

from keybundle.core.fields.patterns import pattern_like
from keybundle.core.marks.model import BARCODE, PATCH
from keybundle.core.reading.text import PageText
from keybundle.core.separation.facts import SideFacts
from keybundle.core.separation.numbering import read_numbering
from keybundle.core.setup.routines import SeparationRule, Zone

UPPER = Zone(left=0.0, top=0.0, right=1.0, bottom=0.5)
MOST_LINES, LEAST_LETTERS, LONGEST = 3, 4, 60


def suggest_rules(side: SideFacts, sheet: Sequence[SideFacts]) -> tuple[SeparationRule, ...]:
    """Return rules that find their mark on a side, the ones that are surest to mean a break first.

    ``sheet`` holds all sides of its sheet. Figures in a barcode or a heading may be others on the next document, so they
    become a pattern; of the words it is the largest print in the upper half that heads a document.
    """
    return tuple(_suggest(side, sheet))


def _suggest(side: SideFacts, sheet: Sequence[SideFacts]) -> Iterator[SeparationRule]:
    if side.separator:
        yield SeparationRule(rule="separator sheet")
    for symbol in dict.fromkeys(m.text for m in side.marks if m.kind == PATCH):
        yield SeparationRule(rule="patch code", symbols=(symbol,))
    for mark in (m for m in side.marks if m.kind == BARCODE and not side.separator):
        yield SeparationRule.model_validate(
            {"rule": "barcode", "format": mark.format, "pattern": pattern_like(mark.text)}
        )
    if all(s.is_blank for s in sheet):
        yield SeparationRule(rule="blank page")
    if side.text is None:
        return
    numbering = read_numbering(side.text)
    if numbering is not None and numbering.page == 1:
        yield SeparationRule(rule="page numbering")
    for line in _headings(side.text):
        if any(c.isdigit() for c in line):
            yield SeparationRule(rule="words", pattern=pattern_like(line), zone=UPPER)
        else:
            yield SeparationRule(rule="words", words=line, zone=UPPER)


def _headings(text: PageText) -> list[str]:
    """Return the lines of the largest print in the upper half, the largest first."""
    found: dict[str, float] = {}
    for words in text.lines():
        inside = [w for w in words if w.box[3] <= UPPER.bottom * text.frame.upright_size[1]]
        line = " ".join(w.text for w in inside)
        if len(regex.findall(r"\p{L}", line)) >= LEAST_LETTERS and len(line) <= LONGEST:
            found.setdefault(line, median(w.box[3] - w.box[1] for w in inside))
    return sorted(found, key=lambda line: -found[line])[:MOST_LINES]
