"""What like documents always say in a field: the same value, or codes of one shape. New pages are held against it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from rapidfuzz import fuzz

from keybundle.core.base.folding import fold
from keybundle.core.proposing.candidates import MOST_TOKENS, Candidate
from keybundle.core.proposing.rows import Rows
from keybundle.core.proposing.shapes import shape_of

NEARLY, ANYWHERE_NEARLY = 0.8, 0.88
SAME, OTHER, OFF_SHAPE = 1.04, 0.85, 0.7
MOST, FOUND_ANYWHERE = 0.99, 0.9


def hold_against(candidates: Sequence[Candidate], rows: Rows, value: str, shape: str) -> list[Candidate]:
    """Return candidates weighed by a layout's usual value and shape, best first.

    What was read nearly like the usual value is that value; where nothing like it stands in the field's places, it is looked
    for on the whole page.
    """
    held = [_held(c, value, shape) for c in candidates]
    if value and not any(c.value == value for c in held):
        held += _anywhere(rows, value)
    return sorted(held, key=lambda c: -c.score)


def _held(c: Candidate, value: str, shape: str) -> Candidate:
    if value:
        likeness = fuzz.ratio(fold(c.value), fold(value)) / 100
        if likeness >= NEARLY:
            return replace(c, value=value, score=min(MOST, max(c.score * SAME, likeness * MOST)))
        return replace(c, score=c.score * OTHER)
    if shape:
        return replace(c, score=min(MOST, c.score * SAME) if shape_of(c.value) == shape else c.score * OFF_SHAPE)
    return c


def _anywhere(rows: Rows, value: str) -> Iterator[Candidate]:
    wanted, count = fold(value), len(value.split())
    for segment in rows.segments:
        for at in range(len(segment.words) - count + 1):
            words = segment.words[at : at + min(count, 2 * MOST_TOKENS)]
            said = " ".join(w.text for w in words)
            likeness = fuzz.ratio(fold(said), wanted) / 100
            if likeness >= ANYWHERE_NEARLY:
                yield Candidate(said, value, words, FOUND_ANYWHERE * likeness)
                return
