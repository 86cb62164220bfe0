"""Fit the trees that say how far a proposed value can be trusted, on generated organisations alone.

The same development seeds give the same trees. What they are worth is told on organisations, and on families of papers, that
were left out of the fitting, beside the scores that the rules alone give.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import numpy.typing as npt

from bench.world.families import JUDGED_ONLY
from bench.world.papers import Job, paper
from bench.world.readings import read_again, read_jobs
from bench.world.setup import is_right
from bench.world.values import ASKED, BAR, House, Proposal, documents_on, forms_of
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing import trust
from keybundle.core.proposing.again import Heard, hear_all
from keybundle.core.proposing.trust import FEATURES, RISING, Trees, describe, is_judged, tell

SEEDS = tuple(range(201, 213))
TAUGHT = (0, 1)
# Of the sure ones in organisations left out so many may be wrong: the figures of fresh ones are worse than these.
MOST_WRONG = 0.0015
ALLOWED = (0.001, 0.0015, 0.002, 0.003, 0.005)
TARGET = Path(str(trust.__file__)).with_suffix(".npz")


@dataclass(frozen=True)
class Row:
    """A judged value: what is known of it, whether it is right, what the rules say of it and where it comes from."""

    known: tuple[float, ...]
    right: bool
    ruled_sure: bool
    seed: int
    family: str
    taught: int


def rows_of(seed: int, taught: int) -> list[Row]:
    """Return every value of an organisation that was read twice."""
    house = House(seed)
    forms = [f for f in forms_of(seed) if f.family not in JUDGED_ONLY]
    if taught:
        jobs: list[Job] = documents_on(forms, 0, taught)
        house.confirm(list(zip(jobs, read_jobs(jobs), strict=True)))
    jobs = documents_on(forms, 50, ASKED)
    proposals = [house.propose(job, pages) for job, pages in zip(jobs, read_jobs(jobs), strict=True)]
    answers = read_again([(p.job, house.asks(p)) for p in proposals])
    return [row for said, heard in zip(proposals, answers, strict=True) for row in _rows(house, said, heard, taught)]


def _rows(house: House, said: Proposal, heard: Sequence[Heard], taught: int) -> Iterator[Row]:
    asks, names = house.asks(said), house.of.types[paper(said.job).kind][1]
    truth = {names[v.part]: v for v in paper(said.job).values}
    told = {a.field: (a, h) for a, h in zip(asks, heard, strict=True)}
    after = hear_all(said.values, told, said.kind, house.books, BAR, house.rule)
    for ask in asks:
        spec, value = said.kind.field(ask.field), after[ask.field]
        if spec is None or not is_judged(value):
            continue
        verdict = tell(_scored(said.values[ask.field]), _scored(value))
        known = tuple(describe(value, house.rule(spec), verdict))
        ruled_sure = value.score >= BAR and not value.problem
        right = is_right(truth[ask.field], value.items)
        yield Row(known, right, ruled_sure, said.job.seed, said.job.family, taught)


def _scored(value: FieldValue) -> FieldValue:
    return replace(value, confidence=value.score)


def fit(rows: Sequence[Row]) -> Trees:
    """Fit trees to rows and return them as plain arrays, with a bar of 0.5; the same rows give the same trees."""
    from sklearn.ensemble import HistGradientBoostingClassifier

    model = HistGradientBoostingClassifier(
        max_iter=80, max_leaf_nodes=8, learning_rate=0.1, min_samples_leaf=40, l2_regularization=5.0, early_stopping=False,
        monotonic_cst=[RISING.get(name, 0) for name in FEATURES], random_state=0,
    ).fit(matrix(rows), [r.right for r in rows])  # fmt: skip
    return as_arrays(model)


def matrix(rows: Sequence[Row]) -> npt.NDArray[np.float64]:
    """Return what is known of rows as an array of shape (rows, features)."""
    return np.array([r.known for r in rows])


def as_arrays(model: object) -> Trees:
    """Return the trees of a fitted scikit-learn model as plain arrays."""
    trees = [each[0].nodes for each in model._predictors]  # type: ignore[attr-defined]
    most = max(map(len, trees))
    blank = np.zeros((len(trees), most))
    found = {name: blank.astype(np.int64 if name in ("feature", "left", "right") else float)
             for name in ("feature", "split", "left", "right", "leaf")}  # fmt: skip
    for i, nodes in enumerate(trees):
        is_leaf, itself = nodes["is_leaf"].astype(bool), np.arange(len(nodes))
        found["feature"][i, : len(nodes)] = np.where(is_leaf, 0, nodes["feature_idx"])
        found["split"][i, : len(nodes)] = np.where(is_leaf, 0.0, nodes["num_threshold"])
        found["left"][i, : len(nodes)] = np.where(is_leaf, itself, nodes["left"])
        found["right"][i, : len(nodes)] = np.where(is_leaf, itself, nodes["right"])
        found["leaf"][i, : len(nodes)] = np.where(is_leaf, nodes["value"], 0.0)
    depth = max(int(nodes["depth"].max()) for nodes in trees)
    return Trees(**found, base=float(model._baseline_prediction[0, 0]), bar=0.5, depth=depth)  # type: ignore[attr-defined]


def left_out(rows: Sequence[Row], groups: Sequence[object]) -> npt.NDArray[np.float64]:
    """Return the probability of each row by trees that have not seen its group."""
    told = np.zeros(len(rows))
    for group in sorted(set(groups), key=str):
        out = np.array([g == group for g in groups])
        told[out] = fit([r for r, o in zip(rows, out, strict=True) if not o]).apply(matrix(rows)[out])
    return told


def bar_for(told: npt.NDArray[np.float64], rows: Sequence[Row], most_wrong: float) -> float:
    """Return the lowest probability from which on at most such a share of the rows without a problem is wrong."""
    free = np.array([not r.known[FEATURES.index("problem")] for r in rows])
    right = np.array([r.right for r in rows])[free]
    order = np.argsort(-told[free], kind="stable")
    wrong = np.cumsum(~right[order]) / np.arange(1, len(order) + 1)
    good = np.flatnonzero(wrong <= most_wrong)
    return float(told[free][order][good[-1]]) if len(good) else 0.999


def tell_worth(name: str, told: npt.NDArray[np.float64], rows: Sequence[Row]) -> list[str]:
    """Return lines that say what trees and rules are sure of where as many of the sure ones are wrong."""
    free = np.array([not r.known[FEATURES.index("problem")] for r in rows])
    scores = np.array([r.known[FEATURES.index("score")] for r in rows])
    lines = []
    for most in ALLOWED:
        shares = [np.mean(free & (p >= bar_for(p, rows, most))) for p in (told, scores)]
        lines.append(f"| {name} left out | {most:.1%} | {shares[0]:.1%} | {shares[1]:.1%} |")
    return lines


def save(trees: Trees, path: Path = TARGET) -> None:
    """Keep trees as plain arrays."""
    np.savez_compressed(path, **{f.name: np.asarray(getattr(trees, f.name)) for f in dataclasses.fields(trees)})


def train(seeds: Sequence[int] = SEEDS) -> list[str]:
    """Fit the trees, keep them where they ship, and return what they are worth."""
    rows = [row for seed in seeds for taught in TAUGHT for row in rows_of(seed, taught)]
    told = left_out(rows, [r.seed for r in rows])
    bar = bar_for(told, rows, MOST_WRONG)
    save(replace(fit(rows), bar=bar))
    ruled = [r for r in rows if r.ruled_sure]
    return [
        f"{len(rows)} values read twice in {len(seeds)} organisations. The trees are sure from {bar:.4f} on; at their usual "
        f"bar the rules are sure of {len(ruled) / len(rows):.1%}, of these {sum(not r.right for r in ruled)} wrong.", "",
        "| | wrong of the sure at most | trees are sure of | rules are sure of |", "| --- | --- | --- | --- |",
        *tell_worth("organisation", told, rows),
        *tell_worth("family", left_out(rows, [r.family for r in rows]), rows),
    ]  # fmt: skip


if __name__ == "__main__":
    import sys

    print("\n".join(train(tuple(map(int, sys.argv[1:])) or SEEDS)))
