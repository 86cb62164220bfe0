"""Values that stand in sentences: a date after “begins on”, a number after “under the number”."""

from __future__ import annotations

from collections.abc import Iterator

from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.proposing.candidates import MOST_TOKENS, Candidate, is_prose, parse_words
from keybundle.core.proposing.rows import Rows
from keybundle.core.proposing.wording import make_plain, wordings_of
from keybundle.core.reading.text import Word
from keybundle.core.setup.model import FieldSpec

SENTENCE_SCORE = 0.75
GLUE = frozenset(("is", "of", "on", "the", "a", "at", "to", "no", "under"))
MOST_BEFORE, SHORTEST_PHRASE, SHORTEST_CODE = 4, 4, 4


def propose_in_sentences(rows: Rows, spec: FieldSpec, rule: Rule) -> Iterator[Candidate]:
    """Yield what stands in running text right after words that mean the field; small words between them do not count."""
    phrases = {tuple(w.plain.split()): w.weight for w in wordings_of(spec) if len(w.plain) >= SHORTEST_PHRASE}
    said = list(_running_words(rows))
    plain = [make_plain(w.text) for w in said]
    for at in range(1, len(said)):
        if not any(c.isdigit() for w in said[at : at + 3] for c in w.text):
            continue
        before = [p for p in plain[max(0, at - 2 * MOST_BEFORE) : at] if p]
        weight = max((_ends_with(before, phrase) * w for phrase, w in phrases.items()), default=0.0)
        parsed = _parse(tuple(said[at : at + MOST_TOKENS]), rule) if weight else None
        if parsed is not None:
            as_read, value, words = parsed
            yield Candidate(as_read, value, words, SENTENCE_SCORE * weight * min(w.confidence for w in words))


def _running_words(rows: Rows) -> Iterator[Word]:
    """Yield the words of sentences in reading order; the last line of a paragraph belongs to it."""
    goes_on = False
    for row in rows.rows:
        for segment in row:
            if is_prose(segment) or (goes_on and len(row) == 1):
                yield from segment.words
                goes_on = is_prose(segment)


def _ends_with(before: list[str], phrase: tuple[str, ...]) -> float:
    """Return 1 where the words before end with a phrase, glue in front of the value left out; else 0."""
    words = list(before)
    for _ in range(3):
        if tuple(words[-len(phrase) :]) == phrase:
            return 1.0
        if not words or words[-1] not in GLUE:
            return 0.0
        words.pop()
    return 0.0


def _parse(words: tuple[Word, ...], rule: Rule) -> tuple[str, str, tuple[Word, ...]] | None:
    """Return the value that begins the words; a plain code is one word with a figure in it."""
    if rule.kind is Kind.TEXT and not rule.pattern and not rule.check:
        code = words[0].text.strip(".,;:()")
        is_code = len(code) >= SHORTEST_CODE and any(c.isdigit() for c in code)
        return (code, code, words[:1]) if is_code else None
    return parse_words(words, rule)
