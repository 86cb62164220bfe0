"""Values held against a second, independent reading of their place: what both say is trusted, what they dispute is not."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import replace

from rapidfuzz import fuzz

from keybundle.core.base.boxes import Box
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.dates import is_ambiguous
from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise
from keybundle.core.fields.mend import mend
from keybundle.core.fields.values import MOST_OFFERED, FieldValue, Origin
from keybundle.core.proposing.candidates import AROUND, LEADERS, is_plain
from keybundle.core.proposing.evidence import RuleFor, is_by_hand, weigh
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType

FIGURES, WORDS = "figures", "words"
LATIN = ("LATIN", "FEMININE ORDINAL", "MASCULINE ORDINAL", "MICRO SIGN")
CLEAR = 0.97  # what is as sure as that is not read again
LEAST_HEARD, LEAST_WORDS, CLEAR_WORDS, SURE_WORDS, CLEAR_FIGURES = 0.5, 0.7, 0.8, 0.9, 0.95
ALIKE, MOST_LETTERS = 0.75, 4
# What is left of the doubt where both agree, differ in accents alone, or nearly; what a disputed value is trusted at most.
DOUBT_AGREED, DOUBT_ACCENTS, DOUBT_NEAR = 0.35, 0.45, 0.7
_ODD = re.compile(r"[£$€¥°~^*|<>{}=\u2013\u2014]|(?<=[^\W\d_])\.(?=\d)")
DISPUTED, ONLY_SECOND = 0.6, 0.75
BY_FIGURES = frozenset((Kind.DATE, Kind.MONEY, Kind.DECIMAL, Kind.WHOLE, Kind.CHOICE))


@dataclass(frozen=True)
class Ask:
    """A value to be read again: its field, its page and box in px of the captured picture, and by which reader."""

    field: str
    page: str
    box: Box
    reader: str


@dataclass(frozen=True)
class Heard:
    """What a second reader says of a value's place, and how sure it is, 0 to 1."""

    text: str
    confidence: float


def list_asks(values: Mapping[str, FieldValue], kind: DocumentType, make_rule: RuleFor) -> Iterator[Ask]:
    """Yield the values whose place is worth a second reading: read once, on a page, by nobody's hand, and not clear.

    Second readers know the Latin script alone: of another one they would make lookalikes.
    """
    for spec in kind.fields:
        value = values.get(spec.id)
        if value is None or spec.several or value.read_twice or is_by_hand(value) or value.origin is not Origin.PAGE:
            continue
        if value.page and value.box and value.items and value.confidence < CLEAR and _is_latin(value.as_read):
            yield Ask(spec.id, value.page, value.box, _reader_for(value, make_rule(spec)))


def _is_latin(text: str) -> bool:
    return all(not c.isalpha() or unicodedata.name(c, "").startswith(LATIN) for c in text)


def _reader_for(value: FieldValue, rule: Rule) -> str:
    figures, letters = sum(c.isdigit() for c in value.as_read), sum(c.isalpha() for c in value.as_read)
    is_code = figures * MOST_LETTERS >= letters and figures > 0
    return FIGURES if rule.kind in BY_FIGURES or rule.pattern or rule.check or is_code else WORDS


def hear_all(
    values: Mapping[str, FieldValue], heard: Mapping[str, tuple[Ask, Heard]], kind: DocumentType,
    books: Mapping[str, Book], bar: float, make_rule: RuleFor,
) -> dict[str, FieldValue]:  # fmt: skip
    """Return the values with what was heard of some of them, weighed against each other anew.

    What was heard of a value that stands elsewhere by now, or that a person gave, counts for nothing.
    """
    told = dict(values)
    for name, (ask, said) in heard.items():
        spec, value = kind.field(name), values.get(name)
        if spec is None or value is None or is_by_hand(value) or (value.page, value.box) != (ask.page, ask.box):
            continue
        if not value.read_twice:
            told[name] = replace(hear(value, make_rule(spec), said, ask.reader), read_twice=True)
    weighed = weigh(told, kind, books, bar, make_rule)
    return {
        name: v if is_by_hand(v) else replace(v, guess=v.text, guess_score=v.confidence) for name, v in weighed.items()
    }


def hear(value: FieldValue, rule: Rule, heard: Heard, reader: str) -> FieldValue:
    """Return a value with what a second reader says of its place.

    What it confirms is trusted more; where it alone reads a value of the kind, that one is taken, and told; where the two
    differ, the kind's check decides, and without one the value is unsure and both are offered.
    """
    text = " ".join(LEADERS.sub(" ", heard.text).strip(AROUND).lstrip(".").split())
    text = text if value.text.endswith(".") else text.rstrip(".")
    if heard.confidence < LEAST_HEARD or not text:  # seldom so where the first reader was right
        return replace(value, confidence=min(value.confidence, DISPUTED)) if is_plain(rule) else value
    if rule.kind is Kind.REGISTER:
        agrees = _letters(text) == _letters(value.text)
        return _trust(value, DOUBT_AGREED) if agrees else value
    second = _value_of(text, rule)
    first_counts = bool(value.items) and _value_of(value.text, replace(rule, decimal_mark=".")) is not None
    if second is None:
        return value
    if is_plain(rule):
        return _hear_plain(value, text, heard, reader)
    if not first_counts:
        return _take(value, second, text, ONLY_SECOND * heard.confidence)
    if second != value.text and heard.confidence >= CLEAR_FIGURES:
        return replace(_dispute(value, value.text), items=(second,), alternatives=_offer(value, value.text))
    if second == value.text:
        is_open = rule.kind is Kind.DATE and is_ambiguous(value.as_read)  # both read it, neither knows which way round
        return value if is_open else _trust(value, DOUBT_AGREED)
    return _dispute(value, second)


def _hear_plain(value: FieldValue, text: str, heard: Heard, reader: str) -> FieldValue:
    """Return a value of any text with what was heard: the readers' letters are compared, spaces and signs are not.

    Where they differ, the second one is right wherever it is sure of itself: that was so of 133 among 136 in a world made
    for it. Names that it knows the accents of are nearly always right, codes are for a person to see.
    """
    if _letters(text) == _letters(value.text):
        return _trust(replace(value, items=(_without_odd(value.text, text),)), DOUBT_AGREED)
    if _bare(text) == _bare(value.text) and heard.confidence >= LEAST_WORDS:
        return replace(_trust(value, DOUBT_ACCENTS), items=(text,))
    if heard.confidence < (CLEAR_WORDS if reader == WORDS else CLEAR_FIGURES):
        return _dispute(value, text)
    is_near = reader == WORDS and heard.confidence >= SURE_WORDS and fuzz.ratio(text, value.text) >= 100 * ALIKE
    second = replace(value, items=(text,), alternatives=_offer(value, value.text), legible=heard.confidence)
    return _trust(second, DOUBT_NEAR) if is_near else replace(second, confidence=min(DISPUTED, value.standing))


def _without_odd(first: str, second: str) -> str:
    """Return a reading without signs that no code has; what has no spaces is taken as the second reader has it."""
    if not _ODD.search(first):
        return first
    return _ODD.sub("", first).strip() if " " in first else second


def _value_of(text: str, rule: Rule) -> str | None:
    forms = (text, text.replace(" ", "")) if rule.pattern or rule.check or rule.kind is Kind.DATE else (text,)
    for form in forms:
        value = normalise(form, rule)
        if value and not isinstance(value, Refusal):
            return value
    return mend(text, rule)


def _letters(text: str) -> str:
    return "".join(c for c in text.casefold() if c.isalnum())


def _bare(text: str) -> str:
    """Return the letters of a text without accents."""
    return "".join(c for c in unicodedata.normalize("NFKD", text.casefold()) if c.isascii() and c.isalnum())


def _trust(value: FieldValue, doubt: float) -> FieldValue:
    """Return a value whose words are read right; of the other doubt, where it stands, so much is left."""
    return replace(value, confidence=1 - (1 - value.standing) * doubt, legible=1.0)


def _offer(value: FieldValue, more: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys((more, *value.alternatives)))[:MOST_OFFERED]


def _dispute(value: FieldValue, second: str) -> FieldValue:
    return replace(value, confidence=min(value.confidence, DISPUTED), alternatives=_offer(value, second))


def _take(value: FieldValue, second: str, text: str, confidence: float) -> FieldValue:
    said = message("again.read-twice-first-which-none", as_read=value.as_read, text=text)
    return replace(value, items=(second,), confidence=confidence, note=value.note or said, problem="")
