"""Confidence that means what it says: scores compared with how often they came out right on confirmed documents.

The curve is fitted by isotonic regression (scikit-learn, in a worker: slow to load) and applied here without it.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from keybundle.core.base.records import dataclass

ENOUGH = 150
CAUTIOUS_BAR = 0.95
CERTAINTY = 0.95
BINS = 10


@dataclass(frozen=True)
class Bin:
    """Scores between ``low`` and ``high``: how many, their mean, and the share that came out right."""

    low: float
    high: float
    count: int
    mean: float
    right: float


@dataclass(frozen=True)
class Calibration:
    """A rising curve from score to share right (``xs`` ascending, ``ys`` beside them), from ``count`` outcomes.

    ``scores`` are those of the outcomes, ascending, ``wrong`` the scores of the wrong ones, for claims about a bar;
    ``claims`` are (bar, share of wrong ones that cannot be ruled out above it), the shares falling.
    """

    xs: tuple[float, ...] = ()
    ys: tuple[float, ...] = ()
    count: int = 0
    scores: tuple[float, ...] = ()
    wrong: tuple[float, ...] = ()
    bins: tuple[Bin, ...] = ()
    claims: tuple[tuple[float, float], ...] = ()

    @property
    def is_enough(self) -> bool:
        """Whether there are outcomes enough for the curve to count."""
        return self.count >= ENOUGH and bool(self.xs)

    def apply(self, score: float) -> float:
        """Return how likely a value of that score is right; the score itself until enough is known."""
        if not self.is_enough:
            return score
        i = bisect.bisect_right(self.xs, score)
        if i == 0:
            return self.ys[0]
        if i == len(self.xs):
            return self.ys[-1]
        x0, x1, y0, y1 = self.xs[i - 1], self.xs[i], self.ys[i - 1], self.ys[i]
        return y0 if x1 == x0 else y0 + (y1 - y0) * (score - x0) / (x1 - x0)

    def bar_for(self, share: float) -> float:
        """Return the lowest score whose values are right at least that often; the share itself until enough is known."""
        if not self.is_enough:
            return share
        for x in (*self.xs, *(i / 100 for i in range(101))):
            if self.apply(x) >= share and (x == 0 or self.apply(x - 0.01) < share):
                return x
        return 0.0 if self.apply(0.0) >= share else 1.01

    def claim(self, bar: float) -> tuple[int, int, float]:
        """Return (values at or above a bar, wrong ones among them, the share of wrong ones that can be ruled out).

        The share is the upper bound of Clopper and Pearson's one-sided interval at 95 %: with no wrong one among n it is
        1 - 0.05 ** (1 / n), about 3 in n. C. J. Clopper, E. S. Pearson, Biometrika 26 (1934).
        """
        n = len(self.scores) - bisect.bisect_left(self.scores, bar)
        wrong = len(self.wrong) - bisect.bisect_left(self.wrong, bar)
        return n, wrong, upper_share(wrong, n)

    def bar_for_claim(self, one_in: int) -> tuple[float, bool]:
        """Return the lowest bar above which at most 1 in so many is wrong, and whether that can be claimed yet.

        Where it cannot, the cautious bar comes back.
        """
        found = bisect.bisect_left(self.claims, -1 / one_in, key=lambda c: -c[1])
        return (max(self.claims[found][0], 0.5), True) if found < len(self.claims) else (CAUTIOUS_BAR, False)

    def to_json(self) -> dict[str, Any]:
        """Return plain data."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Calibration:
        """Return the calibration told by ``to_json``."""
        lists = {k: tuple(data[k]) for k in ("xs", "ys", "scores", "wrong")}
        claims = tuple((float(bar), float(share)) for bar, share in data["claims"])
        return cls(**lists, count=data["count"], bins=tuple(Bin(**b) for b in data["bins"]), claims=claims)


def upper_share(wrong: int, n: int) -> float:
    """Return the largest share of wrong ones that n values with so many wrong do not rule out, at 95 %; 1 for none.

    Without SciPy, for the figures that are shown; in logarithms, so that it holds for any n.
    """
    if n == 0 or wrong >= n:
        return 1.0
    low, high = wrong / n, 1.0
    for _ in range(60):
        middle = (low + high) / 2
        if _at_most(wrong, n, middle) > 1 - CERTAINTY:
            low = middle
        else:
            high = middle
    return high


def _at_most(wrong: int, n: int, share: float) -> float:
    """Return the probability of at most so many wrong among n, each wrong with that share (0 < share < 1)."""
    right, log_share, log_rest = math.lgamma(n + 1), math.log(share), math.log1p(-share)
    terms = (
        right - math.lgamma(i + 1) - math.lgamma(n - i + 1) + i * log_share + (n - i) * log_rest
        for i in range(wrong + 1)
    )
    return math.fsum(math.exp(x) for x in terms)


def list_claims(scores: Sequence[float], wrong: Sequence[float]) -> tuple[tuple[float, float], ...]:
    """Return (bar, share of wrong ones above it that cannot be ruled out), where a higher bar allows a stronger claim.

    ``scores`` and ``wrong`` ascend. The share is Clopper and Pearson's upper bound (see ``Calibration.claim``) as a
    quantile of the beta distribution. Runs in a worker.
    """
    import numpy as np
    from scipy.stats import beta

    bars = np.unique(np.array([0.0, *wrong, *(w + 1e-6 for w in wrong)]))
    n = len(scores) - np.searchsorted(np.asarray(scores), bars)
    k = len(wrong) - np.searchsorted(np.asarray(wrong), bars)
    shares = np.where(k >= n, 1.0, beta.ppf(CERTAINTY, k + 1, np.maximum(n - k, 1)))
    best = np.minimum.accumulate(shares)
    is_new = np.concatenate(([True], best[1:] < best[:-1]))
    return tuple((float(b), float(s)) for b, s in zip(bars[is_new], shares[is_new], strict=True))


def fit(outcomes: Sequence[tuple[float, bool]]) -> dict[str, Any]:
    """Fit a calibration to (score, came out right) and return it as plain data; runs in a worker."""
    from sklearn.isotonic import IsotonicRegression

    ordered = sorted(outcomes)
    scores, wrong = [s for s, _ in ordered], [s for s, r in ordered if not r]
    if not ordered:
        return Calibration().to_json()
    curve = IsotonicRegression(y_min=0.0, y_max=1.0, out_of_bounds="clip").fit(scores, [float(r) for _, r in ordered])
    bins = []
    for i in range(BINS):
        low, high = i / BINS, (i + 1) / BINS
        own = [(s, r) for s, r in ordered if low <= s < high or (i == BINS - 1 and s == high)]
        if own:
            mean, right = sum(s for s, _ in own) / len(own), sum(r for _, r in own) / len(own)
            bins.append(Bin(low, high, len(own), round(mean, 4), round(right, 4)))
    return Calibration(
        tuple(float(x) for x in curve.X_thresholds_), tuple(float(y) for y in curve.y_thresholds_), len(ordered),
        tuple(scores), tuple(wrong), tuple(bins), list_claims(scores, wrong),
    ).to_json()  # fmt: skip
