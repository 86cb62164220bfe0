"""Values that stand in sentences: a date after “begins on”, a number after “under the number”, who agrees with whom."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.numbers import find_currency
from keybundle.core.proposing.candidates import MOST_TOKENS, Candidate, is_plain, is_prose, parse_words
from keybundle.core.proposing.rows import Rows
from keybundle.core.proposing.wording import TRADE_WEIGHT, make_plain, meanings_of, wordings_of
from keybundle.core.reading.text import Word
from keybundle.core.setup.model import FieldSpec

SENTENCE_SCORE, ONLY_ONE_SCORE, NAME_SCORE, OTHER_PARTY = 0.75, 0.45, 0.45, 0.35
# What sentences of agreements say before a value, by what the field means.
SAYINGS = {
    "place": ("concerns", "relates to", "situated at", "located at", "premises at"),
    "rent": ("a sum of", "the sum of", "an amount of", "the amount of", "asum of"),
}
PARTICLES = frozenset(("de", "da", "del", "della", "den", "der", "di", "du", "la", "le", "van", "von", "zu"))
PARTIES = frozenset(("customer", "sender", "supplier"))
MOST_NAME, FARTHEST_AND = 5, 9
GLUE = frozenset(("is", "of", "on", "the", "a", "at", "to", "no", "under"))
AMOUNT = re.compile(r"\d[.,]\d\d\b")
MOST_BEFORE, SHORTEST_PHRASE, SHORTEST_CODE = 4, 4, 4


def propose_in_sentences(rows: Rows, spec: FieldSpec, rule: Rule) -> Iterator[Candidate]:
    """Yield what stands in running text right after words that mean the field; small words between them do not count.

    Names stand right after words in small letters. The parties of an agreement stand after “between”, and where a page has
    one amount in its sentences, it may be the one that is asked for.
    """
    meant = meanings_of(spec)
    phrases = {tuple(w.plain.split()): w.weight for w in wordings_of(spec) if len(w.plain) >= SHORTEST_PHRASE}
    phrases |= {tuple(p.split()): TRADE_WEIGHT for m in meant for p in SAYINGS.get(m, ())}
    said = list(_running_words(rows))
    plain = [make_plain(w.text) for w in said]
    for at in range(1, len(said)):
        has_figure = any(c.isdigit() for w in said[at : at + 3] for c in w.text)
        if not (has_figure or (is_plain(rule) and _begins_name(said, at))):
            continue
        before = [p for p in plain[max(0, at - 2 * MOST_BEFORE) : at] if p]
        weight = max((_ends_with(before, phrase) * w for phrase, w in phrases.items()), default=0.0)
        parsed = _parse(tuple(said[at : at + MOST_TOKENS]), rule) if weight else None
        if parsed is not None:
            is_name = is_plain(rule) and not any(c.isdigit() for c in parsed[1])
            yield _candidate(*parsed, (NAME_SCORE if is_name and weight < 1 else SENTENCE_SCORE) * weight)
    if is_plain(rule) and meant & PARTIES:
        yield from (_candidate(*name, score) for name, score in _parties(said))
    if rule.kind is Kind.MONEY:
        yield from _only_one(said, rule)


def _candidate(as_read: str, value: str, words: tuple[Word, ...], score: float) -> Candidate:
    return Candidate(as_read, value, words, score * min(w.confidence for w in words))


def _begins_name(said: list[Word], at: int) -> bool:
    """Whether a capitalised word goes on with a sentence, so that it begins a name."""
    return said[at].text[:1].isupper() and said[at - 1].text.islower() and said[at - 1].text[-1:].isalpha()


def _parties(said: list[Word]) -> Iterator[tuple[tuple[str, str, tuple[Word, ...]], float]]:
    """Yield the second, then the first name after “between”: what is kept is about the other side."""
    for at, word in enumerate(said[:-2]):
        if make_plain(word.text) != "between":
            continue
        joint = next((i for i in range(at + 2, min(at + FARTHEST_AND, len(said) - 1)) if said[i].text == "and"), None)
        if joint is not None and said[at + 1].text[:1].isupper() and _begins_name(said, joint + 1):
            yield _name(said[joint + 1 : joint + 1 + MOST_NAME]), NAME_SCORE
            yield _name(said[at + 1 : joint]), OTHER_PARTY


def _name(words: Sequence[Word]) -> tuple[str, str, tuple[Word, ...]]:
    """Return the capitalised words and numbers that begin a run; a sign that ends a sentence ends it."""
    taken: list[Word] = []
    for word in words:
        is_part = word.text in PARTICLES or word.text[:2] in ("d'", "d\u2019")
        if not (word.text[:1].isupper() or word.text[:1].isdigit() or word.text == "&" or (taken and is_part)):
            break
        taken.append(word)
        if word.text[-1:] in ".,;":
            break
    text = " ".join(w.text for w in taken).strip(" .,;:")
    return text, text, tuple(taken)


def _only_one(said: list[Word], rule: Rule) -> Iterator[Candidate]:
    """Yield the amount of a page whose sentences have one."""
    found, at = [], 0
    while at < len(said):
        token = said[at].text
        parsed = (
            parse_words(tuple(said[at : at + MOST_TOKENS]), rule)
            if AMOUNT.search(token) or find_currency(token)
            else None
        )
        if parsed is not None:
            found.append(parsed)
        at += len(parsed[2]) if parsed is not None else 1
    if len(found) == 1:
        yield _candidate(*found[0], ONLY_ONE_SCORE)


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
    """Return the value that begins the words; where any text may be one, a word with a figure in it, or a name."""
    if is_plain(rule):
        code = words[0].text.strip(".,;:()")
        is_code = len(code) >= SHORTEST_CODE and any(c.isdigit() for c in code)
        return (code, code, words[:1]) if is_code else _name(words) if words[0].text[:1].isupper() else None
    return parse_words(words, rule)
