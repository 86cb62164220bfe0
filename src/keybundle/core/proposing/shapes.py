"""What values of like documents have in common: one value, or how their codes are built."""

from __future__ import annotations

import re
from collections.abc import Sequence

SHORTEST_HABIT, FEWEST_LIKE = 6, 2
_RUNS = ((re.compile(r"[^\W\d_]+"), "A"), (re.compile(r"\d+"), "9"))


def shape_of(value: str) -> str:
    """Return the shape of a code, each run of letters as A and of figures as 9: ``PO-73938`` is ``A-9``; empty for others."""
    if " " in value or not any(c.isdigit() for c in value):
        return ""
    for run, sign in _RUNS:
        value = run.sub(sign, value)
    return value


def same_value(values: Sequence[str]) -> str:
    """Return the value that all of several like documents have; empty where they differ or it is too short to tell."""
    is_habit = len(values) >= FEWEST_LIKE and len(set(values)) == 1 and len(values[0]) >= SHORTEST_HABIT
    return values[0] if is_habit else ""


def same_shape(values: Sequence[str]) -> str:
    """Return the shape that the codes of several like documents share; empty where they have none in common."""
    shapes = {shape_of(v) for v in values}
    return shapes.pop() if len(values) >= FEWEST_LIKE and len(shapes) == 1 else ""
