"""Which document type a first page is, by the words that head it and the labels on it."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from rapidfuzz import fuzz

from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.records import dataclass
from keybundle.core.proposing.candidates import map_labels, propose_candidates
from keybundle.core.proposing.letters import find_letter
from keybundle.core.proposing.rows import Rows, build_rows
from keybundle.core.proposing.wording import make_plain, title_words
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import DocumentType

if TYPE_CHECKING:
    from keybundle.core.proposing.memory import Memory

CLEAR_WORDS, CLEAR_LEAD = 0.85, 0.1
SAME_MEANING, STANDS_ALONE = 0.84, 0.5
BY_GREETING, LETTERS = 0.78, frozenset({"letter", "correspondence"})
FEWEST_FIELDS, FIELD_SHARE, FEWEST_LABELS = 4, 0.5, 1.0
LABEL_SHARE, MOST_BY_LABELS, BOTH = 0.3, 0.75, 0.12


@dataclass(frozen=True)
class TypeGuess:
    """A type as proposed: its name, the confidence from 0 to 1, what speaks for it in words, and the runner-up's name.

    ``rival`` is empty where nothing speaks for another type.
    """

    name: str
    confidence: float
    because: str = ""
    rival: str = ""


@dataclass(frozen=True)
class _Evidence:
    """What speaks for a type: how well a title of it heads the page (0 to 1), and which; its labels that have a value.

    ``labels`` is their weight, ``shown`` and ``of`` tell how many fields of how many have one.
    """

    title: float = 0.0
    words: str = ""
    labels: float = 0.0
    shown: int = 0
    of: int = 0

    @property
    def score(self) -> float:
        """Both together, 0 to 0.99; labels alone are never enough to be sure."""
        by_labels = min(MOST_BY_LABELS, LABEL_SHARE * self.labels) if self.labels >= FEWEST_LABELS else 0.0
        return min(0.99, self.title + BOTH) if self.title and by_labels else max(self.title, by_labels)

    @property
    def because(self) -> str:
        """What speaks for the type, in words."""
        parts = [message("types.title", words=self.words)] if self.words and self.title >= STANDS_ALONE else []
        parts += [message("types.fields", shown=self.shown, of=self.of)] if self.labels else []
        parts += [message("reason.words", words=self.words)] if self.words and not parts else []
        return join_comma(parts) or message("types.its-greeting")


def propose_type(rows: Rows, types: tuple[DocumentType, ...], *, is_letter: bool = False) -> TypeGuess | None:
    """Return the type of a page by its words alone, or None when nothing on it speaks for a type.

    Words that stand alone in their segment and are set large count most, titles that mean the same a little less; then
    which type's labels stand on the page with values of their kind, the more the fewer types have them. The lead over the
    next type counts too. A page that greets somebody and has no title is a letter.
    """
    found = {t.id: _find_title(rows, t) for t in types}
    if is_letter and max((e.title for e in found.values()), default=0.0) < STANDS_ALONE:
        found = {t.id: _Evidence(BY_GREETING if LETTERS & _titles_of(t) else 0.0) for t in types}
    if max((e.title for e in found.values()), default=0.0) < CLEAR_WORDS:
        counted = _weigh_labels(rows, types)
        found = {name: replace(e, **counted[name]) for name, e in found.items()}
    ranked = sorted(((e.score, name) for name, e in found.items()), reverse=True)
    if not ranked or ranked[0][0] <= 0:
        return None
    best, name = ranked[0]
    second, rival = ranked[1] if len(ranked) > 1 else (0.0, "")
    confidence = best * (1.0 if best - second > CLEAR_LEAD else 0.6)
    return TypeGuess(name, round(min(confidence, 0.99), 3), found[name].because, rival if second > 0 else "")


def _titles_of(kind: DocumentType) -> frozenset[str]:
    own = (kind.name, *kind.words)
    return title_words(own) | {make_plain(w) for w in own}


def _find_title(rows: Rows, kind: DocumentType) -> _Evidence:
    own = [(_find(rows, w), w) for w in kind.words]
    meant = [(SAME_MEANING * _find(rows, w), w) for w in title_words(kind.words)]
    score, words = max((*own, *meant), default=(0.0, ""))
    return _Evidence(score, words if score else "")


def _weigh_labels(rows: Rows, types: tuple[DocumentType, ...]) -> dict[str, dict[str, Any]]:
    """Return for each type the weight of its fields that have a label and a value of their kind on the page; how many.

    A type of which fewer than half stand there, or fewer than four, weighs nothing: papers of types that nobody set up
    have a number and a date as well.
    """
    shown: dict[str, list[frozenset[Word]]] = {}
    for kind in types:
        labels = map_labels(rows, kind.fields)
        with_value = (s.id for s in kind.fields if s.id in labels and propose_candidates(rows, s, s.rule(), labels))
        shown[kind.id] = [frozenset(p.segment.words[0] for p in labels[name]) for name in with_value]
    shared = Counter(word for places in shown.values() for words in places for word in words)
    weighed = {name: sum(1 / min(shared[w] for w in words) for words in places) for name, places in shown.items()}
    enough = {k.id: len(shown[k.id]) >= max(FEWEST_FIELDS, FIELD_SHARE * len(k.fields)) for k in types}
    return {
        k.id: {"labels": weighed[k.id] if enough[k.id] else 0.0, "shown": len(shown[k.id]), "of": len(k.fields)}
        for k in types
    }


def guess_type(memory: Memory, text: PageText, types: tuple[DocumentType, ...]) -> TypeGuess | None:
    """Return the type of a first page; None where it is of no type that is known.

    Words that head the page and say one type clearly go first; else the filed documents it looks like tell, and what
    looks like none of them is unknown.
    """
    rows = build_rows(text)
    said = propose_type(rows, types, is_letter=find_letter(rows, text.frame.upright_size[1]) is not None)
    guess = memory.guess_type(text)
    names = {t.id for t in types}
    if guess is None or guess.type not in names:
        return said
    alike = message("types.filed-ones-like")
    if said is not None and said.name == guess.type:
        confidence = max(said.confidence, round(min(0.99, 0.5 + guess.likeness / 2), 3))
        return replace(
            said, confidence=confidence, because=join_comma([said.because, alike]), rival=said.rival or guess.rival_type
        )
    if said is not None and said.confidence >= CLEAR_WORDS:
        return replace(said, rival=guess.type)
    if guess.is_known:
        rival = said.name if said is not None else guess.rival_type
        return TypeGuess(guess.type, round(min(0.98, 0.3 + 0.72 * guess.likeness), 3), alike, rival)
    return replace(said, rival=guess.type) if said is not None and said.confidence > 0.6 else None


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
