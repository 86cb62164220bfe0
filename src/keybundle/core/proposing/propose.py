"""Values for a document, proposed from its pages' text, with the registers and the fields' checks as evidence."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import field, replace

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.dates import is_ambiguous, parse_date, tell_order
from keybundle.core.fields.kinds import Kind, Rule, normalise
from keybundle.core.fields.patterns import SlowPattern, search
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.candidates import (
    Candidate,
    LabelMap,
    candidates_in_zone,
    find_heads,
    is_mended,
    is_plain,
    map_labels,
    propose_candidates,
    propose_list,
    propose_unparsed,
    weigh_places,
)
from keybundle.core.proposing.evidence import weigh
from keybundle.core.proposing.habits import hold_against
from keybundle.core.proposing.lessons import Taught
from keybundle.core.proposing.letters import Letter, find_letter
from keybundle.core.proposing.rows import Rows, build_rows
from keybundle.core.proposing.sentences import propose_in_sentences
from keybundle.core.proposing.sums import settle_sums
from keybundle.core.proposing.wording import meanings_of
from keybundle.core.reading.text import PageText
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, FieldSpec

NEAR_BAR, CLEAR_ENTRY = 0.82, 0.93
# A field without a zone that no filed document of the layout has taught is trusted less; what agrees makes up for it.
NEW_LAYOUT = 0.9
LAST_PAGE, UNTOLD_ORDER, MENDED = 0.95, 0.8, 0.8
FIRST_YEAR, LAST_YEAR, FAR_YEAR = 1900, 2099, 0.3
FILE_SCORE, ZONE_SCORE, AGREED_SCORE = 0.7, 0.9, 0.97
Values = dict[str, FieldValue]


@dataclass(frozen=True)
class ReadPage:
    """A page's id and its text."""

    page: str
    text: PageText


@dataclass(frozen=True)
class Hints:
    """What is known besides the pages: what like documents taught, by field, the name of the file and its properties."""

    taught: Mapping[str, Taught] = field(default_factory=dict)
    file_name: str = ""
    properties: Mapping[str, str] = field(default_factory=dict)


def propose_values(
    pages: Sequence[ReadPage], kind: DocumentType, books: Mapping[str, Book], bar: float, make_rule: Callable[[FieldSpec], Rule],
    hints: Hints | None = None,
) -> Values:  # fmt: skip
    """Return a value for each field found on the pages, or filled from a register; each with its score.

    The first page goes first; a later page is asked for what is still missing, and for sums, which the last page tells
    best. What no page tells may stand in the file's name.
    """
    hints = hints or Hints()
    values: Values = {}
    rivals: dict[str, list[FieldValue]] = {}
    fields = tuple(_taught_labels(spec, hints.taught.get(spec.id)) for spec in kind.fields)
    by_sender = {t.date_order for t in hints.taught.values() if t.date_order}
    told_order = by_sender.pop() if len(by_sender) == 1 else ""
    for number, page in enumerate(pages):
        is_last = number == len(pages) - 1
        asked = [f for f in fields if f.id not in values or (is_last and f.kind is Kind.MONEY and not f.several)]
        if not asked:
            continue
        rows = build_rows(page.text)
        labels = map_labels(rows, fields)
        letter = find_letter(rows, page.text.frame.upright_size[1]) if number == 0 else None
        for spec in asked:
            taught, before = hints.taught.get(spec.id), values.get(spec.id)
            place = taught if taught is not None and taught.page == number else None
            rule = _ordered_rule(make_rule(spec), told_order, rows)
            found = _propose_field(rows, page, spec, labels, books, rule, place, letter)
            if not found:
                continue
            value = found[0]
            rivals.setdefault(spec.id, []).extend(found)
            trusted = value if taught or spec.zone else replace(value, confidence=value.confidence * NEW_LAYOUT)
            trusted = _doubt_year(trusted, rule)
            trusted = _note_mended(_note_order(trusted, rule, told_order, rows), rule)
            if before is None or trusted.confidence >= LAST_PAGE * before.confidence:
                values[spec.id] = trusted
    for spec in fields:
        for told in _told_by_file(spec, make_rule(spec), hints):
            values[spec.id] = _with_file(values.get(spec.id), told)
    weighed = weigh(settle_sums(values, rivals, kind), kind, books, bar, make_rule)
    return {name: replace(v, guess=v.text, guess_score=v.confidence) for name, v in weighed.items()}


def _taught_labels(spec: FieldSpec, taught: Taught | None) -> FieldSpec:
    """Return the field with the label that its layout was seen to use."""
    known = {x.casefold() for x in spec.labels}
    if taught is None or not taught.label or taught.label.casefold() in known:
        return spec
    return spec.model_copy(update={"labels": (*spec.labels, taught.label)})


def _ordered_rule(rule: Rule, told: str, rows: Rows) -> Rule:
    """Return the rule with the order of day and month that this sender, else this page, is seen to write."""
    if rule.kind is not Kind.DATE:
        return rule
    orders = {told} if told else _orders_on(rows)
    return replace(rule, day_first="day first" in orders) if len(orders) == 1 else rule


def _orders_on(rows: Rows) -> set[str]:
    """Return the orders of day and month that dates of a page can have in one way only."""
    return {o for w in _words_of(rows) if (o := tell_order(w))}


def _words_of(rows: Rows) -> list[str]:
    return [w.text.strip(".,;:()") for s in rows.segments for w in s.words]


def _note_mended(value: FieldValue, rule: Rule) -> FieldValue:
    """Tell that a value's check mended what was read, and trust it less."""
    if not value.items or value.note or not is_mended(value.as_read, value.text, rule):
        return value
    said = message("propose.mended-read-which-check-refuses", as_read=value.as_read)
    return replace(value, note=said, confidence=value.confidence * MENDED)


def _doubt_year(value: FieldValue, rule: Rule) -> FieldValue:
    """Trust a date less that lies a life away: a figure of its year was misread."""
    is_near = (
        rule.kind is not Kind.DATE or not value.text[:4].isdigit() or FIRST_YEAR <= int(value.text[:4]) <= LAST_YEAR
    )
    return value if is_near else replace(value, confidence=value.confidence * FAR_YEAR)


def _note_order(value: FieldValue, rule: Rule, told: str, rows: Rows) -> FieldValue:
    """Tell that a date could be read in two ways, and which one was taken why; offer the other one.

    Where neither the sender's papers nor another date of the page tell the order, the value is trusted less.
    """
    if rule.kind is not Kind.DATE or not is_ambiguous(value.as_read):
        return value
    other = parse_date(value.as_read, day_first=not rule.day_first)
    order = message("propose.day-first" if rule.day_first else "propose.month-first")
    by_page = len(_orders_on(rows)) == 1
    why = message("propose.sender-writes", order=order) if told else message("propose.read-here", order=order)
    said = message("propose.could-or", as_read=value.as_read, value_text=value.text, other=other, why=why)
    trust = 1.0 if told or by_page else UNTOLD_ORDER
    return replace(
        value, note=said, alternatives=(str(other), *value.alternatives), confidence=value.confidence * trust
    )


def _told_by_file(spec: FieldSpec, rule: Rule, hints: Hints) -> Iterator[FieldValue]:
    """Yield what the file's properties and its name say of a field."""
    text = hints.properties.get(spec.file_property, "") if spec.file_property else ""
    value = normalise(text, rule)
    if text and isinstance(value, str) and value:
        yield FieldValue((value,), FILE_SCORE, Origin.PROPERTY, as_read=text)
    said = _from_name(hints.file_name, rule)
    if said is not None:
        yield FieldValue((said[1],), FILE_SCORE, Origin.FILE, as_read=said[0])


def _with_file(value: FieldValue | None, told: FieldValue) -> FieldValue:
    """Return a page's value with what the file says of it: it agrees, is offered instead, or fills the gap."""
    if value is None:
        return told
    if value.items == told.items:
        return replace(value, confidence=max(value.confidence, AGREED_SCORE))
    return replace(value, alternatives=tuple(dict.fromkeys((*value.alternatives, told.text))))


def _from_name(name: str, rule: Rule) -> tuple[str, str] | None:
    """Return (as read, normalised) for the part of a file's name that fits a field's own pattern."""
    if not name or not rule.pattern:
        return None
    try:
        found = search(rule.pattern, name.rsplit(".", 1)[0])
    except SlowPattern:
        return None
    value = normalise(found.group(0), rule) if found else ""
    return (found.group(0), value) if found and isinstance(value, str) and value else None


def _propose_field(
    rows: Rows, page: ReadPage, spec: FieldSpec, labels: LabelMap, books: Mapping[str, Book], rule: Rule,
    learned: Taught | None, letter: Letter | None,
) -> list[FieldValue]:  # fmt: skip
    """Return what may be a field's value on a page, the best first, which alone has others beside it; empty for nothing."""
    if spec.several:
        items = propose_list(rows, spec, rule, labels)
        return [_as_value(page, items, [i.value for i in items])] if items else []
    candidates = propose_candidates(rows, spec, rule, labels) or _without_labels(rows, spec, rule, letter)
    size = page.text.frame.upright_size
    if spec.zone is not None:
        zone = (spec.zone.left, spec.zone.top, spec.zone.right, spec.zone.bottom)
        candidates = sorted(
            [*candidates, *candidates_in_zone(rows, rule, zone, size, ZONE_SCORE)], key=lambda c: -c.score
        )
    if learned is not None and learned.zone is not None:
        candidates = weigh_places(candidates, rows, rule, learned.zone, learned.agree, size, find_heads(rows, labels))
    if learned is not None and (learned.value or learned.shape):
        candidates = hold_against(
            candidates, rows, learned.value if is_plain(rule) or rule.check else "", learned.shape
        )
    book = books.get(spec.register_name)
    if book is not None and spec.kind is Kind.REGISTER:
        entry = _from_register(rows, page, spec, book, candidates)
        return [entry] if entry is not None else []
    if not candidates:
        unparsed = propose_unparsed(rows, spec, rule, labels)
        return [_as_value(page, [unparsed], [unparsed.value])] if unparsed is not None else []
    if book is not None and spec.column:
        candidates = _known_first(candidates, book, spec.column)
    best = candidates[0]
    others = tuple(dict.fromkeys(c.value for c in candidates[1:] if c.value != best.value))[:4]
    value = _as_value(page, [best], [best.value])
    rival = max((c.score for c in candidates[1:] if c.value != best.value), default=0.0)
    factor = 1.0 if rival < 0.9 * best.score else 0.8
    best_value = replace(value, confidence=value.confidence * factor, alternatives=others)
    return [best_value, *(_as_value(page, [c], [c.value]) for c in candidates[1:])]


def _without_labels(rows: Rows, spec: FieldSpec, rule: Rule, letter: Letter | None) -> list[Candidate]:
    """Return what letters and sentences say of a field whose labels are nowhere, best first."""
    found = list(propose_in_sentences(rows, spec, rule))
    if letter is not None:
        meant = meanings_of(spec)
        found += [c for meaning in meant if (c := letter.find("sender" if meaning == "supplier" else meaning, rule))]
    return sorted(found, key=lambda c: -c.score)


def _known_first(candidates: Sequence[Candidate], book: Book, column: str) -> list[Candidate]:
    """Put the candidates first that the register's column knows; the others lose most of their score."""
    ranked = []
    for c in candidates:
        near = book.nearest(c.value, column, bar=NEAR_BAR)
        ranked.append(replace(c, score=c.score * (near.likeness if near else 0.4)))
    return sorted(ranked, key=lambda c: -c.score)


def _as_value(page: ReadPage, candidates: Sequence[Candidate], items: Sequence[str]) -> FieldValue:
    words = [w for c in candidates for w in c.words]
    return FieldValue(
        items=tuple(items), confidence=min(c.score for c in candidates), origin=Origin.PAGE, page=page.page,
        box=page.text.captured_box(words), as_read="; ".join(c.as_read for c in candidates),
        legible=min((w.confidence for w in words), default=1.0),
    )  # fmt: skip


def _from_register(
    rows: Rows, page: ReadPage, spec: FieldSpec, book: Book, candidates: Sequence[Candidate]
) -> FieldValue | None:
    """Match what stands at the label with the register; else look for any entry on the page."""
    column = spec.column or book.key
    options: list[tuple[Candidate, str, float]] = []
    for candidate in candidates:
        near = book.nearest(candidate.value, column, bar=NEAR_BAR)
        if near is not None:
            trust = 1.0 if near.likeness == 1 else near.likeness * (0.98 if near.lead > 0.08 else 0.75)
            is_clear = near.likeness >= CLEAR_ENTRY and near.lead > 0.08
            certainty = max(candidate.score, 0.93 * near.likeness) if is_clear else candidate.score
            options.append((candidate, near.value, certainty * trust))
    if not options:
        for segment in rows.segments:
            if len(segment.text) < 5:
                continue
            near = book.nearest(segment.text, column, bar=0.92)
            if near is not None:
                score = 0.86 * near.likeness
                options.append((Candidate(segment.text, near.value, segment.words, score), near.value, score))
    if not options:
        if not candidates:
            return None
        best = candidates[0]
        return replace(_as_value(page, [best], [best.value]), confidence=min(0.3, best.score))
    candidate, stored, score = max(options, key=lambda option: option[2])
    return replace(_as_value(page, [candidate], [stored]), confidence=score)
