"""What a confirmed document teaches: for each field the label beside its value, its place, and how dates are written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from keybundle.core.base.boxes import Box, centre, union, upright_box
from keybundle.core.base.records import dataclass
from keybundle.core.fields.dates import is_ambiguous, parse_date, tell_order
from keybundle.core.fields.kinds import Kind, Rule, normalise
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.rows import Rows, Segment, build_rows
from keybundle.core.proposing.shapes import same_shape, same_value
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import DocumentType, FieldSpec

LONGEST_LABEL = 5
MOST_WORDS = 9
SAME_PLACE = 0.03
TELLING_WORD = 4
Shares = tuple[float, float, float, float]


@dataclass(frozen=True)
class Lesson:
    """Where one field's value stood on one confirmed page.

    ``label`` are the words that stand before it in its row, or above it; ``zone`` its box in shares of the page;
    ``date_order`` is ``day first`` or ``month first`` where its date, in figures, told one of them; ``value`` is what was
    confirmed.
    """

    field: str
    page: int
    label: str
    zone: Shares
    date_order: str = ""
    value: str = ""

    def to_json(self) -> dict[str, Any]:
        """Return plain data."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Lesson:
        """Return the lesson told by ``to_json``."""
        return cls(**{**data, "zone": tuple(data["zone"])})


def learn_fields(
    pages: Sequence[tuple[str, PageText]], kind: DocumentType, values: Mapping[str, FieldValue],
    make_rule: Callable[[FieldSpec], Rule],
) -> tuple[Lesson, ...]:  # fmt: skip
    """Return a lesson for each field whose value stands on a page, lifted there or found there by its text.

    ``pages`` are (id, text) in order. Values that stand in several places teach nothing unless one of these is known.
    """
    read = [(page, text, build_rows(text)) for page, text in pages]
    found = []
    for spec in kind.fields:
        value = values.get(spec.id)
        if value is None or not value.items or spec.several:
            continue
        for number, (page, text, rows) in enumerate(read):
            box = _known_box(value, page, text) or _locate(value, rows, make_rule(spec), spec)
            if box is not None:
                found.append(_lesson(spec.id, number, box, value, rows, text))
                break
    return tuple(found)


def _known_box(value: FieldValue, page: str, text: PageText) -> Box | None:
    return upright_box(text.frame, value.box) if value.page == page and value.box else None


def _locate(value: FieldValue, rows: Rows, rule: Rule, spec: FieldSpec) -> Box | None:
    """Return where a value stands on the page; None where it does not, or where several places are as likely.

    Of several places the one beside a label of the field counts.
    """
    places = [union([w.box for w in words]) for words in _runs_that_say(value.items[0], rows, rule)]
    if len(places) > 1:
        known = {x.casefold() for x in spec.labels}
        places = [p for p in places if find_label(p, rows).casefold() in known]
    return places[0] if len(places) == 1 else None


def _runs_that_say(item: str, rows: Rows, rule: Rule) -> Iterator[tuple[Word, ...]]:
    wanted = len(item.split())
    folded = item.casefold()
    for segment in rows.segments:
        start = 0
        while start < len(segment.words):
            for count in range(1, min(MOST_WORDS, len(segment.words) - start) + 1):
                if rule.kind in (Kind.TEXT, Kind.REGISTER) and count != wanted and not rule.check:
                    continue
                words = segment.words[start : start + count]
                said = " ".join(w.text for w in words).strip(" :;,")
                if said.casefold() == folded or (_may_say(said, rule) and normalise(said, rule) == item):
                    yield words
                    start += count - 1
                    break
            start += 1


def _may_say(said: str, rule: Rule) -> bool:
    """Whether a text may hold a value of the rule in another form; cheap, so that few are read in full."""
    if rule.kind in (Kind.DATE, Kind.MONEY, Kind.DECIMAL, Kind.WHOLE):
        return len(said) < 24 and any(c.isdigit() for c in said)
    return bool(rule.check) and len(said) < 48 and any(c.isdigit() for c in said)


def _lesson(field: str, page: int, box: Box, value: FieldValue, rows: Rows, text: PageText) -> Lesson:
    width, height = text.frame.upright_size
    left, top, right, bottom = box
    zone = (round(left / width, 4), round(top / height, 4), round(right / width, 4), round(bottom / height, 4))
    said = value.as_read or " ".join(w.text for s in rows.segments for w in s.words if _lies_in(w.box, box))
    return Lesson(
        field, page, find_label(box, rows), zone, _date_order(said.strip(" .,;:"), value.items[0]), value.items[0]
    )


def _lies_in(word: Box, box: Box) -> bool:
    x, y = centre(word)
    return box[0] <= x <= box[2] and box[1] <= y <= box[3]


def _date_order(said: str, iso: str) -> str:
    if not is_ambiguous(said):
        return tell_order(said)
    orders = [name for name, first in (("day first", True), ("month first", False)) if _reads(said, iso, first)]
    return orders[0] if len(orders) == 1 else ""


def _reads(said: str, iso: str, day_first: bool) -> bool:
    day = parse_date(said, day_first=day_first)
    return day is not None and day.isoformat() == iso


def find_label(box: Box, rows: Rows) -> str:
    """Return the words that stand before a box in its row (in its segment, else in the one before), or above it."""
    x, y = centre(box)
    for number, row in enumerate(rows.rows):
        top, bottom = min(s.box[1] for s in row), max(s.box[3] for s in row)
        if not top <= y <= bottom:
            continue
        for i, segment in enumerate(row):
            if not segment.box[0] - 2 <= x <= segment.box[2] + 2:
                continue
            before = [w for w in segment.words if w.box[2] <= box[0] + 2]
            if before:
                return _said(before[-LONGEST_LABEL:])
            if i > 0 and len(row[i - 1].words) <= LONGEST_LABEL:
                return _said(row[i - 1].words)
            return _above(segment, number, rows)
    return ""


def _above(segment: Segment, number: int, rows: Rows) -> str:
    for row in reversed(rows.rows[max(0, number - 2) : number]):
        for above in row:
            is_near = segment.box[1] - above.box[3] < 2.6 * rows.height
            if is_near and abs(above.box[0] - segment.box[0]) < 1.5 * rows.height and len(above.words) <= LONGEST_LABEL:
                return _said(above.words)
    return ""


def _said(words: Sequence[Word]) -> str:
    return " ".join(w.text for w in words).strip(" :;.").strip()


@dataclass(frozen=True)
class Taught:
    """What several documents of one layout teach about a field, agreed on by ``agree`` of them.

    ``label`` is what they have in common, empty for none; ``zone`` holds all their places, in shares of the page, and
    is None where these lie apart. ``value`` is what all of them say, ``shape`` how their codes are built; empty for none.
    """

    field: str
    page: int
    label: str
    zone: Shares | None
    agree: int
    date_order: str
    value: str = ""
    shape: str = ""


def agree_on(lessons: Sequence[Lesson]) -> dict[str, Taught]:
    """Return what the lessons of like documents have in common, by field."""
    by_field: dict[str, list[Lesson]] = {}
    for lesson in lessons:
        by_field.setdefault(lesson.field, []).append(lesson)
    found = {}
    for name, own in by_field.items():
        page = Counter(x.page for x in own).most_common(1)[0][0]
        own = [x for x in own if x.page == page]
        label, times = _shared_label([x.label for x in own])
        zones = list(zip(*(x.zone for x in own), strict=True))
        spread = max(max(zones[1]) - min(zones[1]), max(zones[0]) - min(zones[0]))
        zone = (min(zones[0]), min(zones[1]), max(zones[2]), max(zones[3])) if spread < SAME_PLACE else None
        orders = {x.date_order for x in own if x.date_order}
        shared = label if times >= 2 or len(own) == 1 else ""
        order, values = orders.pop() if len(orders) == 1 else "", [x.value for x in own if x.value]
        agree = times if shared else len(own)
        found[name] = Taught(name, page, shared, zone, agree, order, same_value(values), same_shape(values))
    return found


def _shared_label(labels: Sequence[str]) -> tuple[str, int]:
    """Return the label that most of several have, and how many; in sentences the last words that all have in common."""
    label, times = Counter(labels).most_common(1)[0]
    ends: list[str] = []
    for words in zip(*(reversed(x.split()) for x in labels), strict=False):
        if len(set(words)) > 1:
            break
        ends.insert(0, words[0])
    tells = any(len(w) >= TELLING_WORD for w in ends)
    return (" ".join(ends), len(labels)) if times < len(labels) and tells else (label, times)
