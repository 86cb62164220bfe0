"""How far a value that was read twice can be trusted: boosted trees over what is known of it, whatever its field is called.

The trees were fitted by ``scripts/train`` on generated organisations alone and are plain arrays (``trust.npz``). They judge
what the scoring by rules says together with how well the words could be read, what the second reader made of them, and what
sort of text it is. What was read once keeps the score of the rules, which wait for the second reading.

J. H. Friedman, Annals of Statistics 29 (2001): greedy function approximation by gradient boosting.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import IntEnum
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from keybundle.core.fields.dates import is_ambiguous
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.values import LEAST_LEGIBLE, FieldValue, Origin
from keybundle.core.proposing.candidates import is_plain
from keybundle.core.proposing.evidence import RuleFor, is_by_hand
from keybundle.core.setup.model import DocumentType

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Whole = npt.NDArray[np.int64]

SURE = 0.8  # what the trees' own bar becomes on the scale of confidence
FEATURES = (
    "score", "legible", "standing", "verdict", "problem", "note", "alternatives", "letters", "figures", "words", "accents",
    "signs", "as it was read", "plain", "date", "number", "register", "check", "either way round",
)  # fmt: skip
# More of these never makes a value less likely to be right (1), or more likely (-1).
RISING = {"score": 1, "legible": 1, "verdict": 1, "problem": -1}


class Verdict(IntEnum):
    """What came of a second reading: the two differ, nothing was asked or heard, the second was taken, or they agree."""

    DISPUTED = -1
    NOTHING = 0
    TAKEN = 1
    AGREED = 2


@dataclass(frozen=True)
class Trees:
    """Boosted trees as arrays of shape (trees, nodes): at a node, ``features[at] <= splits`` goes left.

    A leaf points at itself on both sides and has its part of the sum in ``leaves``; ``base`` is the sum's start, in logits.
    ``bar`` is the probability from which on a value is sure.
    """

    feature: Whole
    split: Floats
    left: Whole
    right: Whole
    leaf: Floats
    base: float
    bar: float
    depth: int

    def apply(self, rows: Floats) -> Floats:
        """Return the probability that each row is right; rows are of shape (rows, features)."""
        import numpy as np

        tree = np.arange(len(self.feature))
        at = np.zeros((len(rows), len(tree)), dtype=np.int64)
        for _ in range(self.depth):
            told = np.take_along_axis(rows, self.feature[tree, at], axis=1)
            at = np.where(told <= self.split[tree, at], self.left[tree, at], self.right[tree, at])
        total: Floats = self.base + self.leaf[tree, at].sum(axis=1)
        return 1 / (1 + np.exp(-total))

    def confidence(self, rows: Floats) -> Floats:
        """Return the probabilities on the scale of confidence, where the trees' bar stands at ``SURE``."""
        import numpy as np

        told = self.apply(rows)
        low, high = SURE * told / self.bar, SURE + (1 - SURE) * (told - self.bar) / (1 - self.bar)
        return np.where(told < self.bar, low, high)


@functools.cache
def get_trees() -> Trees:
    """Return the trees that ship with the application."""
    import numpy as np

    with (
        (files("keybundle.core.proposing") / "trust.npz").open("rb") as file,
        np.load(file, allow_pickle=False) as kept,
    ):
        arrays: dict[str, Any] = {name: kept[name] for name in ("feature", "split", "left", "right", "leaf")}
        return Trees(**arrays, base=float(kept["base"]), bar=float(kept["bar"]), depth=int(kept["depth"]))


def tell(before: FieldValue, after: FieldValue) -> Verdict:
    """Return what a second reading made of a value."""
    if before.text != after.text:
        return Verdict.TAKEN
    gain = after.confidence - before.confidence
    return Verdict.AGREED if gain > 0 else Verdict.DISPUTED if gain < 0 else Verdict.NOTHING


def is_judged(value: FieldValue) -> bool:
    """Whether the trees judge a value: it was read on a page, and nobody gave, took or confirmed it."""
    return value.origin is Origin.PAGE and bool(value.items) and bool(value.page) and not is_by_hand(value)


def describe(value: FieldValue, rule: Rule, verdict: Verdict) -> list[float]:
    """Return what is known of a value, in the order of ``FEATURES``."""
    text, kind = value.text, rule.kind
    letters, figures = sum(c.isalpha() for c in text), sum(c.isdigit() for c in text)
    told = {
        "score": value.score, "legible": value.legible, "verdict": verdict,
        "standing": min(1.0, value.score / max(value.legible, LEAST_LEGIBLE)),
        "problem": bool(value.problem), "note": bool(value.note), "alternatives": len(value.alternatives),
        "letters": letters, "figures": figures, "words": len(text.split()),
        "accents": sum(c.isalpha() and not c.isascii() for c in text),
        "signs": sum(not c.isalnum() and c not in " .,-/" for c in text), "as it was read": value.as_read == text,
        "plain": is_plain(rule), "date": kind is Kind.DATE, "register": kind is Kind.REGISTER,
        "number": kind in (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE), "check": bool(rule.check or rule.pattern),
        "either way round": kind is Kind.DATE and is_ambiguous(value.as_read),
    }  # fmt: skip
    return [float(told[name]) for name in FEATURES]


def keep_scores(values: Mapping[str, FieldValue]) -> dict[str, FieldValue]:
    """Return the values with what the rules say of them kept as their score."""
    return {name: replace(v, score=v.confidence) for name, v in values.items()}


def judge(
    values: Mapping[str, FieldValue], kind: DocumentType, make_rule: RuleFor, verdicts: Mapping[str, Verdict]
) -> dict[str, FieldValue]:
    """Return the values with the trees' confidence, for those that have a verdict and are judged at all."""
    import numpy as np

    asked = [f for f in kind.fields if f.name in verdicts and f.name in values and is_judged(values[f.name])]
    if not asked:
        return dict(values)
    rows: Sequence[Sequence[float]] = [describe(values[f.name], make_rule(f), verdicts[f.name]) for f in asked]
    told = get_trees().confidence(np.array(rows))
    judged = {f.name: replace(values[f.name], confidence=float(c)) for f, c in zip(asked, told, strict=True)}
    return {**values, **judged}
