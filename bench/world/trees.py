"""Whether boosted trees would know better than the rules which values are right, on organisations and families left out.

They would see what is known of a value that was read twice, and no name of a type or a field. J. H. Friedman, Annals of
Statistics 29 (2001), as scikit-learn has it. Only development seeds are looked at: the rules were made with them too.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bench.world.families import JUDGED_ONLY
from bench.world.papers import paper
from bench.world.readings import read_again, read_jobs
from bench.world.setup import is_right
from bench.world.values import ASKED, BAR, House, Proposal, documents_on, forms_of
from keybundle.core.fields.dates import is_ambiguous
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.again import Heard, hear_all
from keybundle.core.proposing.candidates import is_plain

SEEDS = tuple(range(201, 213))
TAUGHT = (0, 1)
ALLOWED = (0.0015, 0.002, 0.003, 0.005)
FEATURES = (
    "confidence", "legible", "verdict", "problem", "note", "alternatives", "letters", "figures", "words", "accents", "signs",
    "as it was read", "plain", "date", "number", "register", "check", "either way round",
)  # fmt: skip
# More of these never makes a value less likely to be right (1), or more likely (-1).
RISING = {"confidence": 1, "legible": 1, "verdict": 1, "problem": -1}
DISPUTED, NOTHING, TAKEN, AGREED = -1, 0, 1, 2


@dataclass(frozen=True)
class Row:
    """A value that was read twice: what is known of it, whether it is right, and where it comes from."""

    known: tuple[float, ...]
    right: bool
    seed: int
    family: str


def rows_of(seed: int, taught: int) -> list[Row]:
    """Return every value of an organisation that was read twice."""
    house = House(seed)
    forms = [f for f in forms_of(seed) if f.family not in JUDGED_ONLY]
    if taught:
        jobs = documents_on(forms, 0, taught)
        house.confirm(list(zip(jobs, read_jobs(jobs), strict=True)))
    jobs = documents_on(forms, 50, ASKED)
    proposals = [house.propose(job, pages) for job, pages in zip(jobs, read_jobs(jobs), strict=True)]
    answers = read_again([(p.job, house.asks(p)) for p in proposals])
    return [row for said, heard in zip(proposals, answers, strict=True) for row in _rows(house, said, heard)]


def _rows(house: House, said: Proposal, heard: Sequence[Heard]) -> Iterator[Row]:
    asks, names = house.asks(said), house.of.types[paper(said.job).kind][1]
    truth = {names[v.part]: v for v in paper(said.job).values}
    told = {a.field: (a, h) for a, h in zip(asks, heard, strict=True)}
    after = hear_all(said.values, told, said.kind, house.books, BAR, house.rule)
    for ask in asks:
        spec, before, value = said.kind.field(ask.field), said.values[ask.field], after[ask.field]
        if spec is None or not value.items:
            continue
        gain = value.confidence - before.confidence
        verdict = TAKEN if before.text != value.text else AGREED if gain > 0 else DISPUTED if gain < 0 else NOTHING
        known = tuple(describe(value, house.rule(spec), verdict))
        yield Row(known, is_right(truth[ask.field], value.items), said.job.seed, said.job.family)


def describe(value: FieldValue, rule: Rule, verdict: int) -> list[float]:
    """Return what is known of a value, in the order of ``FEATURES``."""
    text, kind = value.text, rule.kind
    told = {
        "confidence": value.confidence, "legible": value.legible, "verdict": verdict, "problem": bool(value.problem),
        "note": bool(value.note), "alternatives": len(value.alternatives), "letters": sum(c.isalpha() for c in text),
        "figures": sum(c.isdigit() for c in text), "words": len(text.split()),
        "accents": sum(c.isalpha() and not c.isascii() for c in text),
        "signs": sum(not c.isalnum() and c not in " .,-/" for c in text), "as it was read": value.as_read == text,
        "plain": is_plain(rule), "date": kind is Kind.DATE, "register": kind is Kind.REGISTER,
        "number": kind in (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE), "check": bool(rule.check or rule.pattern),
        "either way round": kind is Kind.DATE and is_ambiguous(value.as_read),
    }  # fmt: skip
    return [float(told[name]) for name in FEATURES]


def left_out(rows: Sequence[Row], groups: Sequence[object]) -> npt.NDArray[np.float64]:
    """Return the probability of each row by trees that have not seen its group."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    known, right = np.array([r.known for r in rows]), np.array([r.right for r in rows])
    told = np.zeros(len(rows))
    for group in sorted(set(groups), key=str):
        out = np.array([g == group for g in groups])
        model = HistGradientBoostingClassifier(
            max_iter=80, max_leaf_nodes=8, learning_rate=0.1, min_samples_leaf=40, l2_regularization=5.0, early_stopping=False,
            monotonic_cst=[RISING.get(name, 0) for name in FEATURES], random_state=0,
        ).fit(known[~out], right[~out])  # fmt: skip
        told[out] = model.predict_proba(known[out])[:, 1]
    return told


def share_sure(told: npt.NDArray[np.float64], rows: Sequence[Row], most_wrong: float) -> float:
    """Return the largest share of rows that can be called sure, from some bar on, with no more of them wrong than that."""
    free = np.array([not r.known[FEATURES.index("problem")] for r in rows])
    order = np.argsort(-told[free], kind="stable")
    right = np.array([r.right for r in rows])[free][order]
    good = np.flatnonzero(np.cumsum(~right) / np.arange(1, len(right) + 1) <= most_wrong)
    return float(good[-1] + 1) / len(rows) if len(good) else 0.0


def measure_world_trees(seeds: Sequence[int] = SEEDS) -> list[str]:
    """The table of both, by what was left out and by how many of the sure ones may be wrong."""
    rows = [row for seed in seeds for taught in TAUGHT for row in rows_of(seed, taught)]
    ruled = np.array([r.known[FEATURES.index("confidence")] for r in rows])
    lines = [
        f"Trees beside the rules, on {len(rows)} values that were read twice, development seeds {seeds[0]} to {seeds[-1]}.", "",
        "| left out of the fitting | wrong of the sure ones, at most | trees are sure of | rules are sure of |",
        "| --- | --- | --- | --- |",
    ]  # fmt: skip
    for name, groups in (("the organisation", [r.seed for r in rows]), ("the family", [r.family for r in rows])):
        told = left_out(rows, groups)
        lines += [
            f"| {name} | {most:.2%} | {share_sure(told, rows, most):.1%} | {share_sure(ruled, rows, most):.1%} |"
            for most in ALLOWED
        ]
    return lines


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_trees(tuple(map(int, sys.argv[1:])) or SEEDS)))
