"""Values for a document, proposed from its pages' text, with the registers and the fields' checks as evidence."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.candidates import (
    Candidate,
    LabelMap,
    map_labels,
    propose_candidates,
    propose_list,
    propose_unparsed,
)
from keybundle.core.proposing.evidence import weigh
from keybundle.core.proposing.rows import Rows, build_rows
from keybundle.core.reading.text import PageText
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, FieldSpec

NEAR_BAR = 0.82
Values = dict[str, FieldValue]


@dataclass(frozen=True)
class ReadPage:
    """A page's id and its text."""

    page: str
    text: PageText


def propose_values(
    pages: Sequence[ReadPage], kind: DocumentType, books: Mapping[str, Book], bar: float, make_rule: Callable[[FieldSpec], Rule],
) -> Values:  # fmt: skip
    """Return a value for each field found on the pages, or filled from a register; each with its confidence.

    The first page goes first; a later page is asked only for what is still missing. A field that none of them tells
    takes its default, which stays unsure until somebody confirms it.
    """
    values: Values = {}
    for page in pages:
        rows = build_rows(page.text)
        labels = map_labels(rows, kind.fields)
        for spec in kind.fields:
            if spec.name not in values:
                value = _propose_field(rows, page, spec, labels, books, make_rule(spec))
                if value is not None:
                    values[spec.name] = value
    for spec in kind.fields:
        if spec.default and spec.name not in values:
            values[spec.name] = FieldValue((spec.default,), 0.0, Origin.DEFAULT)
    return weigh(values, kind, books, bar)


def _propose_field(
    rows: Rows, page: ReadPage, spec: FieldSpec, labels: LabelMap, books: Mapping[str, Book], rule: Rule
) -> FieldValue | None:
    if spec.several:
        items = propose_list(rows, spec, rule, labels)
        return _as_value(page, items, [i.value for i in items]) if items else None
    candidates = propose_candidates(rows, spec, rule, labels)
    book = books.get(spec.register_name)
    if book is not None and spec.kind is Kind.REGISTER:
        return _from_register(rows, page, spec, book, candidates)
    if not candidates:
        unparsed = propose_unparsed(rows, spec, labels)
        return _as_value(page, [unparsed], [unparsed.value]) if unparsed is not None else None
    if book is not None and spec.column:
        candidates = _known_first(candidates, book, spec.column)
    best = candidates[0]
    others = tuple(dict.fromkeys(c.value for c in candidates[1:] if c.value != best.value))[:4]
    value = _as_value(page, [best], [best.value])
    rival = max((c.score for c in candidates[1:] if c.value != best.value), default=0.0)
    factor = 1.0 if rival < 0.9 * best.score else 0.8
    return replace(value, confidence=value.confidence * factor, alternatives=others)


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
            certainty = max(candidate.score, 0.93 * near.likeness) if near.likeness == 1 else candidate.score
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
