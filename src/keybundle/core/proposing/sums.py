"""Amounts that support each other: where what was taken first does not add up, what else may be meant is tried."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal

from keybundle.core.fields.values import MOST_OFFERED, FieldValue
from keybundle.core.setup.formulas import read_sum
from keybundle.core.setup.model import DocumentType

MOST_TRIED = 6
Rivals = Mapping[str, Sequence[FieldValue]]


def settle_sums(values: Mapping[str, FieldValue], rivals: Rivals, kind: DocumentType) -> dict[str, FieldValue]:
    """Return the values with those amounts taken, of all that may be meant, that add up as the type says.

    ``rivals`` are what else may be each field's value, by its name. Of several that add up, those count that are surest
    together; where none do, everything stays.
    """
    settled = dict(values)
    for names, total in map(read_sum, kind.sums):
        fields = (*names, total)
        choices = [_choices(settled.get(name), rivals.get(name, ())) for name in fields]
        best: tuple[float, tuple[FieldValue, ...]] = (0.0, ())
        for tried in itertools.product(*choices):
            if sum((Decimal(v.text) for v in tried[:-1]), Decimal(0)) == Decimal(tried[-1].text):
                best = max(best, (_together(tried), tried), key=lambda pair: pair[0])
        for name, chosen in zip(fields, best[1], strict=False):
            settled[name] = _chosen(settled.get(name), chosen)
    return settled


def _choices(value: FieldValue | None, rivals: Sequence[FieldValue]) -> list[FieldValue]:
    """Return the amounts that a field may have, what was taken first and no amount twice."""
    found = {v.text: v for v in reversed((*([value] if value else []), *rivals[:MOST_TRIED])) if _is_amount(v.text)}
    return list(reversed(found.values()))


def _is_amount(text: str) -> bool:
    return text.lstrip("-").replace(".", "", 1).isdecimal()


def _together(tried: Sequence[FieldValue]) -> float:
    product = 1.0
    for v in tried:
        product *= max(v.confidence, 1e-3)
    return product


def _chosen(value: FieldValue | None, chosen: FieldValue) -> FieldValue:
    if value is None or value.text == chosen.text:
        return value or chosen
    others = dict.fromkeys(x for x in (value.text, *value.alternatives) if x != chosen.text)
    return replace(chosen, alternatives=tuple(others)[:MOST_OFFERED])
