"""Which document type a first page is, by the words that head it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rapidfuzz import fuzz

from keybundle.core.proposing.rows import Rows, build_rows
from keybundle.core.reading.text import PageText
from keybundle.core.setup.model import DocumentType

if TYPE_CHECKING:
    from keybundle.core.proposing.memory import Memory

CLEAR_WORDS = 0.85


def propose_type(rows: Rows, types: tuple[DocumentType, ...]) -> tuple[str, float] | None:
    """Return (type name, confidence from 0 to 1), or None when no type's words are on the page.

    Words that stand alone in their segment and are set large count most; the lead over the next type counts too.
    """
    scores = {t.name: max((_find(rows, w) for w in t.words), default=0.0) for t in types}
    ranked = sorted(scores.items(), key=lambda item: -item[1])
    if not ranked or ranked[0][1] <= 0:
        return None
    second = ranked[1][1] if len(ranked) > 1 else 0.0
    name, best = ranked[0]
    confidence = best * (1.0 if best - second > 0.1 else 0.6)
    return name, round(min(confidence, 0.99), 3)


def guess_type(memory: Memory, text: PageText, types: tuple[DocumentType, ...]) -> tuple[str, float] | None:
    """Return (type name, confidence from 0 to 1) of a first page; None where it is of no type that is known.

    Words that head the page and say one type clearly go first; else the filed documents it looks like tell, and what
    looks like none of them is unknown.
    """
    said = propose_type(build_rows(text), types)
    guess = memory.guess_type(text)
    names = {t.name for t in types}
    if guess is None or guess.type not in names:
        return said
    if said is not None and said[0] == guess.type:
        return said[0], max(said[1], round(min(0.99, 0.5 + guess.likeness / 2), 3))
    if said is not None and said[1] >= CLEAR_WORDS:
        return said
    if guess.is_known:
        return guess.type, round(min(0.98, 0.3 + 0.72 * guess.likeness), 3)
    return said if said is not None and said[1] > 0.6 else None


def _find(rows: Rows, phrase: str) -> float:
    wanted = phrase.casefold()
    length = len(phrase.split())
    best = 0.0
    for segment in rows.segments:
        said = " ".join(w.text for w in segment.words[:length]).casefold().strip(" ,.:")
        likeness = fuzz.ratio(said, wanted) / 100
        if likeness < 0.85:
            continue
        box = segment.box
        is_large = box[3] - box[1] > 1.35 * rows.height
        is_alone = len(segment.words) == length
        certainty = min(w.confidence for w in segment.words[:length])
        weight = 0.99 if is_alone and is_large else 0.9 if is_alone else 0.45
        best = max(best, likeness * weight * min(1.0, certainty + 0.1))
    return best
