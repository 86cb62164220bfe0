"""What the fields say about each other: registers, sums, the order of dates. Evidence moves confidences."""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal, InvalidOperation

from rapidfuzz import fuzz, utils

from keybundle.core.base.messages import join_comma, message
from keybundle.core.fields.kinds import Kept, Kind, Refusal, Rule, revive
from keybundle.core.fields.numbers import find_currency
from keybundle.core.fields.values import ASSUMED, FieldValue, Origin
from keybundle.core.registers.book import Book
from keybundle.core.setup.formulas import read_order, read_sum
from keybundle.core.setup.model import DocumentType, FieldSpec

SAME_BAR = 88.0
WEAK = 0.45
RuleFor = Callable[[FieldSpec], Rule]


def weigh(
    values: Mapping[str, FieldValue], kind: DocumentType, books: Mapping[str, Book], bar: float,
    rule: RuleFor = FieldSpec.rule,
) -> dict[str, FieldValue]:  # fmt: skip
    """Return the values with dependent ones filled, checks spoken, and ``sure`` set by the bar.

    A value that a person typed, lifted or confirmed keeps its text; only its problem is told anew: why it is none of
    its kind, then what the other fields say against it.
    """
    weighed = {name: replace(v, problem=say_refusal(v, kind.field(name), rule)) for name, v in values.items()}
    _fill_dependents(weighed, kind, books)
    _check_sums(weighed, kind)
    _check_order(weighed, kind)
    return {name: replace(v, sure=is_sure(v, bar)) for name, v in weighed.items()}


def say_refusal(value: FieldValue, spec: FieldSpec | None, rule: RuleFor) -> str:
    """Return why the first refused item of a value is none of its kind, as a sentence; empty where all are."""
    if spec is None or not value.items:
        return ""
    asked = rule(spec)
    return next((said for item in value.items if (said := _refuse(item, asked))), "")


@functools.lru_cache(maxsize=20_000)
def _refuse(item: str, asked: Rule) -> str:
    found = revive(Kept(item), asked)
    return found.sentence if isinstance(found, Refusal) else ""


def is_sure(value: FieldValue, bar: float) -> bool:
    """Whether the value needs no look: confirmed, emptied by a person, or at the bar, and without a failed check.

    What was only assumed (a default, a folder, carried over, a starter) is unsure until somebody confirms it.
    """
    if value.is_emptied:
        return True
    trusted = bool(value.confirmed_by) or (value.confidence >= bar and value.origin not in ASSUMED)
    return bool(value.items) and not value.problem and trusted


def is_by_hand(value: FieldValue) -> bool:
    """Whether a person gave, took or confirmed the value, so that no proposal replaces it."""
    return bool(value.confirmed_by or value.given_by) or value.origin in (Origin.TYPED, Origin.LIFTED)


def _fill_dependents(values: dict[str, FieldValue], kind: DocumentType, books: Mapping[str, Book]) -> None:
    for spec in kind.fields:
        if spec.kind is not Kind.REGISTER or spec.id not in values or not values[spec.id].items:
            continue
        book = books.get(spec.register_name)
        key = values[spec.id]
        entry = book.find(key.text, spec.column or (book.key if book else "")) if book else None
        if entry is None:
            values[spec.id] = replace(
                key,
                problem=message(
                    "evidence.not-register-choose-entry-meant",
                    key_text=key.text,
                    value=(book and book.name) or spec.register_name,
                ),
            )
            continue
        agreeing = 0
        for other in kind.fields:
            if other.register_name == spec.register_name and other.id != spec.id and entry.get(other.column):
                agreeing += _fit_dependent(values, other.id, entry[other.column], key, spec.name)
        if agreeing and not key.problem:
            values[spec.id] = replace(key, confidence=max(key.confidence, 0.97))


def _fit_dependent(values: dict[str, FieldValue], name: str, stored: str, key: FieldValue, key_name: str) -> bool:
    """Fill or compare one dependent value; True when the page agrees with the register."""
    have = values.get(name)
    if have is not None and have.is_emptied:
        return False
    gives_way = have is not None and not is_by_hand(have) and (have.confidence < WEAK or _was_chosen(key))
    if have is None or have.origin is Origin.REGISTER or (gives_way and not _alike(have, stored)):
        values[name] = FieldValue(
            items=(stored,), confidence=min(key.confidence, 0.97), origin=Origin.REGISTER, as_read="",
            confirmed_by=key.confirmed_by, confirmed_at=key.confirmed_at,
        )  # fmt: skip
        return False
    if _alike(have, stored):
        if not is_by_hand(have):
            values[name] = replace(have, items=(stored,), confidence=max(have.confidence, 0.97))
        return True
    if not have.confirmed_by:
        said = message(
            "evidence.register-page-says", stored=stored, key_name=key_name, key_text=key.text, have_text=have.text
        )
        values[name] = replace(have, confidence=min(have.confidence, 0.5), problem=said,
                               alternatives=(stored, *have.alternatives))  # fmt: skip
    return False


def _was_chosen(key: FieldValue) -> bool:
    """Whether a person gave the key, so that its entry counts for more than what was read beside it."""
    return key.origin in (Origin.TYPED, Origin.LIFTED)


def _alike(value: FieldValue, stored: str) -> bool:
    return bool(fuzz.ratio(utils.default_process(value.text), utils.default_process(stored)) >= SAME_BAR)


def _amount(value: FieldValue | None) -> Decimal | None:
    try:
        amount = Decimal(value.text) if value and value.text else None
    except InvalidOperation:
        return None
    return amount if amount is not None and amount.is_finite() else None


def _check_sums(values: dict[str, FieldValue], kind: DocumentType) -> None:
    for names, total_name in map(read_sum, kind.sums):
        amounts = [_amount(values.get(n)) for n in names]
        total = _amount(values.get(total_name))
        if total is None or any(a is None for a in amounts):
            continue
        mixed = _say_currencies((*names, total_name), values, kind)
        if mixed:
            values[total_name] = replace(values[total_name], problem=mixed)
            continue
        found = sum((a for a in amounts if a is not None), Decimal(0))
        for name in (*names, total_name):
            if found == total:
                values[name] = replace(values[name], confidence=max(values[name].confidence, 0.97))
            else:
                added = " + ".join(kind.label(n) for n in names)
                said = message(
                    "evidence.but-says-compare-them-page",
                    added=added,
                    found=found,
                    label=kind.label(total_name),
                    total=total,
                )
                values[name] = replace(values[name], problem=values[name].problem or said)


def _say_currencies(names: Sequence[str], values: Mapping[str, FieldValue], kind: DocumentType) -> str:
    """Return the sentence for amounts in different currencies, which cannot be added; empty where they agree."""
    told = {name: code for name in names if (code := find_currency(values[name].as_read))}
    if len(set(told.values())) < 2:
        return ""
    each = join_comma([message("evidence.in", name=kind.label(name), currency=code) for name, code in told.items()])
    return message("evidence.amounts-different-currencies-cannot-added", each=each)


def _check_order(values: dict[str, FieldValue], kind: DocumentType) -> None:
    for first, second in map(read_order, kind.order):
        days = [_day(values.get(n)) for n in (first, second)]
        if days[0] is not None and days[1] is not None and days[0] > days[1]:
            said = message(
                "evidence.after-one-them-wrong",
                label=kind.label(first),
                text=values[first].text,
                label_2=kind.label(second),
                text_2=values[second].text,
            )
            values[second] = replace(values[second], problem=values[second].problem or said)


def _day(value: FieldValue | None) -> date | None:
    try:
        return date.fromisoformat(value.text) if value else None
    except ValueError:
        return None
