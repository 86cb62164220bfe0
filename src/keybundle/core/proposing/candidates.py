"""Candidates for a field's value: beside or under its label, or anywhere on the page by its pattern."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from rapidfuzz import fuzz

from keybundle.core.base.boxes import Box, centre, union
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise
from keybundle.core.fields.mend import mend
from keybundle.core.proposing.lessons import Shares
from keybundle.core.proposing.rows import Rows, Segment
from keybundle.core.proposing.wording import ALL_PHRASES, Wording, make_plain, wordings_of
from keybundle.core.reading.text import Word
from keybundle.core.setup.model import FieldSpec

Heads = frozenset[Word]
LABEL_BAR = 84.0
MOST_TOKENS = 6
MOST_LABEL_WORDS, MOST_AFTER_LABEL, FEW_AFTER_LABEL, SMALL_LETTERS = 5, 8, 3, 0.8
LONGEST_SHORT = 4  # of an abbreviation with its full stop
PROSE_WORDS, SMALL_SHARE, ENDED_SHARE, PROSE_WEIGHT, SHORT_ANSWER = 7, 0.45, 0.3, 0.8, 3
FIGURES = (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE)
SENTENCE_WORDS = frozenset(
    ("and", "is", "are", "was", "were", "be", "begins", "ends", "of", "on", "to", "from", "with", "which", "that", "who", "by",
     "for", "as", "at", "in", "until")
)  # fmt: skip
AROUND = " :;,\u2013\u2014\u2022_="
LEADERS = re.compile(r"\.{2,}|\u2026")
_RATE = re.compile(r"\(?(\d{1,2}([.,]\d{1,2})?\s?)?%\)?:?")
UNPARSED, CHECKED = 0.25, 0.97
PLACE_LINES, AWAY, MOVED = 3.0, 0.85, 0.7


@dataclass(frozen=True)
class Candidate:
    """A possible value: as read, normalised, with its words and a score from 0 to 1."""

    as_read: str
    value: str
    words: tuple[Word, ...]
    score: float


@dataclass(frozen=True)
class LabelPlace:
    """A label found on the page: its words' number at the head of a segment, and how well it matched (0 to 1)."""

    segment: Segment
    length: int
    likeness: float

    @property
    def box(self) -> Box:
        """The box of the label's words."""
        words = self.segment.words[: self.length]
        return (words[0].box[0], min(w.box[1] for w in words), words[-1].box[2], max(w.box[3] for w in words))


def match_label(segment: Segment, wordings: tuple[Wording, ...]) -> LabelPlace | None:
    """Return the label that heads a segment best, the longest one; short ones must match to the letter, others nearly."""
    best: LabelPlace | None = None
    for length in range(1, min(MOST_LABEL_WORDS, len(segment.words)) + 1):
        said = make_plain(" ".join(w.text for w in segment.words[:length]))
        words = len(said.split())
        tight = said.replace(" ", "")
        likeness = max((_liken(said, w) for w in wordings if w.words == words or w.tight == tight), default=0.0)
        likeness *= _stands_out(segment, length) if likeness else 0.0
        if likeness:
            best = LabelPlace(segment, length, likeness)
    return best


def _liken(said: str, wording: Wording) -> float:
    """Return how like a label what is printed is, 0 to 1, by what the label counts; 0 where it is another one."""
    if said == wording.plain or said.replace(" ", "") == wording.tight:
        return wording.weight
    if len(wording.plain) <= 5 or wording.plain[0] != said[:1]:
        return 0.0
    return float(fuzz.ratio(said, wording.plain, score_cutoff=LABEL_BAR)) * wording.weight / 100


def _stands_out(segment: Segment, length: int) -> float:
    """Return how far the head of a segment can be a label, 0 to 1: it is all of it, a colon ends it, or no prose follows."""
    last = segment.words[length - 1].text
    if last.endswith(":"):
        return 1.0
    if len(segment.words) == length:
        return float(_is_no_answer(segment.text) or not segment.text.islower())
    if segment.words[0].text[0].isupper():
        return float(len(segment.words) <= length + MOST_AFTER_LABEL)
    goes_on = segment.words[length].text.islower()  # as a sentence does
    return SMALL_LETTERS if len(segment.words) <= length + FEW_AFTER_LABEL and not goes_on else 0.0


LabelMap = dict[str, list[LabelPlace]]


def map_labels(rows: Rows, fields: tuple[FieldSpec, ...]) -> LabelMap:
    """Return the places of each field's labels; a segment goes to the fields whose label matches it best."""
    found: LabelMap = {}
    for segment in rows.segments:
        matches = {f.id: place for f in fields if (place := match_label(segment, wordings_of(f))) is not None}
        best = max(((p.length, p.likeness) for p in matches.values()), default=None)
        for name, place in matches.items():
            if (place.length, place.likeness) == best:
                found.setdefault(name, []).append(place)
    return found


def find_heads(rows: Rows, labels: LabelMap) -> Heads:
    """Return the first words of all labels on the page, of fields and of the trade: where a label begins, no value does."""
    own = {place.segment.words[0] for places in labels.values() for place in places}
    trade = {s.words[0] for s in rows.segments if make_plain(s.text) in ALL_PHRASES and _is_no_answer(s.text)}
    return frozenset(own | trade)


def _is_no_answer(text: str) -> bool:
    """Whether a text is no short answer, as the “no” of a form is; “No.” is a label."""
    return len(text) > SHORT_ANSWER or text.endswith((".", ":"))


def _certainty(words: tuple[Word, ...], rule: Rule | None = None) -> float:
    """Return how sure the reading is of words; right check digits say more than it does."""
    certain = min((w.confidence for w in words), default=0.0)
    return max(certain, CHECKED) if rule is not None and rule.check else certain


def _value_words(rows: Rows, place: LabelPlace, heads: Heads, rule: Rule) -> Iterator[tuple[Segment, float]]:
    """Yield segments where the label's value may stand, with how much the place counts; never another label.

    A rate after the label of a sum belongs to the label, and what heads a column of figures has no one value below it.
    """
    rest = _without_rate(place.segment.words[place.length :], rule)
    row = rows.rows[place.segment.row]
    beside = None
    in_prose = is_prose(place.segment)
    if rest:
        rest = _without_sentence(rest) if in_prose else rest
        beside = Segment(rest, place.segment.row, place.segment.column)
    elif place.segment.column + 1 < len(row) and row[place.segment.column + 1].words[0] not in heads:
        beside = row[place.segment.column + 1]
    if beside is not None:
        yield beside, PROSE_WEIGHT if rest and in_prose else 0.99
    left, _, _, bottom = place.box
    for below in rows.rows[place.segment.row + 1 : place.segment.row + 3]:
        for segment in below:
            is_near = 0 < segment.box[1] - bottom < 2.6 * rows.height
            is_under = is_near and abs(segment.box[0] - left) < 1.5 * rows.height
            if is_under and segment.words[0] not in heads and not _goes_on_below(rows, segment, rule):
                yield segment, 0.97 if beside is None else 0.5


def is_prose(segment: Segment) -> bool:
    """Whether a segment is part of a sentence: long, and with many words in small letters; a full stop at its end tells too."""
    small = sum(w.text.islower() and w.text.strip(".,;:").isalpha() for w in segment.words)
    share = ENDED_SHARE if segment.text.endswith(".") else SMALL_SHARE
    return len(segment.words) >= PROSE_WORDS and small > share * len(segment.words)


def _without_rate(words: tuple[Word, ...], rule: Rule) -> tuple[Word, ...]:
    if rule.kind in FIGURES:
        for count in (2, 1):
            if len(words) >= count and _RATE.fullmatch(" ".join(w.text for w in words[:count])):
                return words[count:]
    return words


def _goes_on_below(rows: Rows, segment: Segment, rule: Rule) -> bool:
    """Whether another figure follows right below one, as in the column of a table."""
    if rule.kind not in FIGURES or segment.row + 1 >= len(rows.rows):
        return False
    left, _, right, bottom = segment.box
    return any(
        min(abs(s.box[0] - left), abs(s.box[2] - right)) < rows.height
        and s.box[1] - bottom < 2.6 * rows.height
        and parse_words(s.words, rule) is not None
        for s in rows.rows[segment.row + 1]
    )


def parse_words(words: tuple[Word, ...], rule: Rule) -> tuple[str, str, tuple[Word, ...]] | None:
    """Return (as read, normalised, words) for the longest run from the first word on that is a value of the rule."""
    if is_plain(rule):
        while len(words) > 1 and words[-1].text in SENTENCE_WORDS:
            words = words[:-1]
        said = LEADERS.sub(" ", " ".join(w.text for w in words)).strip(AROUND)
        return (said, said, words) if said else None
    for count in range(min(len(words), MOST_TOKENS), 0, -1):
        said = " ".join(w.text for w in words[:count]).strip(" :;,=|").removesuffix(".")
        compact = said.replace(" ", "") if rule.pattern or rule.check else said
        for text in dict.fromkeys((said, compact)):
            value = normalise(text, rule)
            if not isinstance(value, Refusal) and value:
                return said, value, words[:count]
    if rule.check or rule.pattern or rule.kind in (Kind.DATE, Kind.MONEY):
        for count in range(min(len(words), MOST_TOKENS), 0, -1):
            said = " ".join(w.text for w in words[:count]).strip(" :;,")
            mended = mend(said, rule) if any(c.isdigit() for c in said) else None
            if mended is not None:
                return said, mended, words[:count]
    return None


def is_plain(rule: Rule) -> bool:
    """Whether any text is a value: nothing tells a right one from a wrong one."""
    return rule.kind in (Kind.TEXT, Kind.REGISTER) and not rule.pattern and not rule.check


def is_mended(as_read: str, value: str, rule: Rule) -> bool:
    """Whether a value has other letters, figures or marks than were read, because what was read is none of its kind."""
    forms = (as_read, as_read.replace(" ", "") if rule.pattern or rule.check else as_read)
    return not is_plain(rule) and all(isinstance(normalise(text, rule), Refusal) for text in forms)


def _without_sentence(words: tuple[Word, ...]) -> tuple[Word, ...]:
    """Return the words up to where a sentence goes on: a name or a code in prose ends before its small words."""
    while len(words) > 1 and words[0].text in SENTENCE_WORDS:
        words = words[1:]
    if not words or not (words[0].text[0].isupper() or words[0].text[0].isdigit()):
        return words
    for at, word in enumerate(words[1:], 1):
        if words[at - 1].text.endswith(".") and len(words[at - 1].text) > LONGEST_SHORT and word.text[:1].isupper():
            return words[:at]
        goes_on = word.text in SENTENCE_WORDS and (at + 1 == len(words) or words[at + 1].text[:1].islower())
        if goes_on or (words[at - 1].text.endswith((",", ";", ".")) and word.text.islower()):
            return words[:at]
    return words


def propose_candidates(rows: Rows, spec: FieldSpec, rule: Rule, labels: LabelMap) -> list[Candidate]:
    """Return candidates for a field, best first: one for each label found, and those its pattern finds anywhere."""
    found: list[Candidate] = []
    heads = find_heads(rows, labels)
    for place in labels.get(spec.id, []):
        for segment, weight in _value_words(rows, place, heads, rule):
            parsed = parse_words(segment.words, rule)
            if parsed is None:
                continue
            as_read, value, words = parsed
            whole = 1.0 if len(words) == len(segment.words) or rule.kind is not Kind.TEXT or rule.pattern else 0.9
            found.append(Candidate(as_read, value, words, place.likeness * weight * whole * _certainty(words, rule)))
    if rule.pattern or rule.check:
        found += list(_anywhere(rows, rule))
    return sorted(found, key=lambda c: -c.score)


def _area(zone: Shares, size: tuple[int, int], left: float, up: float, right: float) -> Shares:
    """Return a zone in px of a page of that size, grown to the left, up and down, and to the right."""
    width, height = size
    return zone[0] * width - left, zone[1] * height - up, zone[2] * width + right, zone[3] * height + up


def candidates_in_zone(
    rows: Rows,
    rule: Rule,
    zone: Shares,
    size: tuple[int, int],
    score: float,
    *,
    tall: float = 0.6,
    heads: Heads = frozenset(),
) -> list[Candidate]:
    """Return what stands in a zone (shares of a page of that size), widened by ``tall`` of a line; whole rows of it.

    What begins a label, by ``heads``, is no value.
    """
    grow = tall * rows.height
    left, top, right, bottom = _area(zone, size, 2 * grow, grow, 4 * grow)
    found = []
    for segment in rows.segments:
        x, y = segment.box[0], (segment.box[1] + segment.box[3]) / 2
        if not top <= y <= bottom:
            continue
        inside = tuple(w for w in segment.words if left <= w.box[0] and (w.box[0] + w.box[2]) / 2 <= right)
        in_prose = is_prose(segment)
        inside = _without_sentence(inside) if in_prose else inside
        parsed = parse_words(inside, rule) if inside and x <= right and inside[0] not in heads else None
        if parsed is not None:
            weight = PROSE_WEIGHT if in_prose else 1.0  # a sentence moves with its words, and its values with it
            found.append(Candidate(parsed[0], parsed[1], parsed[2], score * weight * _certainty(parsed[2])))
    return found


def weigh_places(
    candidates: list[Candidate], rows: Rows, rule: Rule, zone: Shares, agree: int, size: tuple[int, int],
    heads: Heads = frozenset(),
) -> list[Candidate]:  # fmt: skip
    """Return the candidates weighed by where like documents have the value, and what stands there besides them.

    Of several labels the one at that place counts. Where none of them is there (sums move with the rows above them), the
    label tells more than the place.
    """
    grow = PLACE_LINES * rows.height
    left, top, right, bottom = _area(zone, size, 3 * grow, grow, 3 * grow)
    placed = [c for c in candidates if c.words]
    centres = [centre(union([w.box for w in c.words])) for c in placed]
    there = [left <= x <= right and top <= y <= bottom for x, y in centres]
    away = AWAY if any(there) or not placed else 1.0
    weighed = [
        replace(c, score=min(0.99, c.score * 1.04) if is_there else c.score * away)
        for c, is_there in zip(placed, there, strict=True)
    ]
    score = min(0.9, 0.6 + 0.1 * agree) * (MOVED if placed and not any(there) else 1.0)
    known = {c.value for c in weighed}
    more = [c for c in candidates_in_zone(rows, rule, zone, size, score, heads=heads) if c.value not in known]
    return sorted([*weighed, *more], key=lambda c: -c.score)


def propose_unparsed(rows: Rows, spec: FieldSpec, rule: Rule, labels: LabelMap) -> Candidate | None:
    """Return what stands at the field's label though it is no value of its kind, so that its place can be shown."""
    heads = find_heads(rows, labels)
    for place in labels.get(spec.id, []):
        for segment, weight in _value_words(rows, place, heads, rule):
            words = segment.words[:MOST_TOKENS]
            said = " ".join(w.text for w in words)
            return Candidate(said, said, words, UNPARSED * weight * _certainty(words))
    return None


def _anywhere(rows: Rows, rule: Rule) -> Iterator[Candidate]:
    for segment in rows.segments:
        for i in range(len(segment.words)):
            parsed = parse_words(segment.words[i : i + MOST_TOKENS], rule)
            if parsed is not None:
                weight = 0.93 if rule.check == "IBAN" else 0.85
                yield Candidate(parsed[0], parsed[1], parsed[2], weight * _certainty(parsed[2], rule))


def propose_list(rows: Rows, spec: FieldSpec, rule: Rule, labels: LabelMap) -> list[Candidate]:
    """Return all items of a field that takes several values: the first beside its label, the others below that one."""
    heads = find_heads(rows, labels)
    for place in labels.get(spec.id, []):
        for segment, weight in _value_words(rows, place, heads, rule):
            found = [segment]
            for below in rows.rows[segment.row + 1 :]:
                next_one = next((s for s in below if abs(s.box[0] - segment.box[0]) < rows.height), None)
                is_far = next_one is None or next_one.box[1] - found[-1].box[3] > 1.6 * rows.height
                if next_one is None or is_far or next_one.column != segment.column - place_shift(below, segment):
                    break
                found.append(next_one)
            items: list[Candidate] = []
            for head in found:
                for part in _split_list(head.words):
                    parsed = parse_words(part, rule)
                    if parsed is not None:
                        score = place.likeness * weight * _certainty(parsed[2])
                        items.append(Candidate(parsed[0], parsed[1], parsed[2], score))
            if items:
                return items
    return []


def place_shift(row: tuple[Segment, ...], segment: Segment) -> int:
    """Return by how many columns a row lacks what stands left of ``segment``; a row of values alone lacks its label."""
    return segment.column if len(row) == 1 else 0


def _split_list(words: tuple[Word, ...]) -> Iterator[tuple[Word, ...]]:
    part: list[Word] = []
    for word in words:
        ends = word.text.endswith((",", ";"))
        part.append(Word(word.text.rstrip(",;"), word.box, word.confidence, word.block, word.line))
        if ends:
            yield tuple(part)
            part = []
    if part:
        yield tuple(part)
