"""First pages of filed documents, gathered into layouts, and how well a new page fits one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt

from keybundle.core.base.records import dataclass
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.look import TOKENS, Look, Rarity

SINGLE_ALIKE, JOIN_COVER = 0.36, 0.6
COMMON_SHARE = 0.6
MERGE_ALIKE, MOST_MERGED = 0.58, 8


@dataclass(frozen=True)
class Asked:
    """A look ready to be compared with layouts: ``has`` is ``(TOKENS,) bool``, ``weight`` the sum of its mild weights."""

    has: npt.NDArray[np.bool_]
    weight: float

    @classmethod
    def of(cls, look: Look, rarity: Rarity) -> Asked:
        """Return a look with its weights looked up once."""
        has = np.zeros(TOKENS, dtype=np.bool_)
        has[look.ids] = True
        return cls(has, float(rarity.mild[look.ids].sum()))


@dataclass(frozen=True, eq=False)
class Layout:
    """First pages of one type that look alike: how many have each token, and what most of them have in common.

    What changes from sheet to sheet (values, running text) falls out of what they share, so that a page is compared
    with what is printed on every sheet of the layout.
    """

    type: str
    members: tuple[Example, ...]
    ids: npt.NDArray[np.int32]
    counts: npt.NDArray[np.float32]

    @classmethod
    def begin(cls, example: Example) -> Layout:
        """Return a layout of one member."""
        ids = example.look.ids
        return cls(example.type, (example,), ids, np.ones(len(ids), dtype=np.float32))

    @cached_property
    def shared(self) -> npt.NDArray[np.int32]:
        """The tokens that most members have, ascending."""
        return self.ids[self.counts >= COMMON_SHARE * len(self.members)]

    def cover(self, asked: Asked, rarity: Rarity) -> float:
        """Return the share (by rarity) of what the members have in common that a look has too, 0 to 1.

        With a single member nothing tells what is printed from what was filled in: then it is how much both share of
        all they have (Dice's coefficient).
        """
        common = self.shared
        is_single = len(self.members) == 1
        weights = (rarity.mild if is_single else rarity.sharp)[common]
        whole = float(weights.sum())
        if is_single:
            whole = (whole + asked.weight) / 2
        return float(weights[asked.has[common]].sum()) / whole if whole else 0.0

    def joins(self, asked: Asked, rarity: Rarity) -> float:
        """Return how well a look fits, above 1 where it belongs here."""
        return self.cover(asked, rarity) / (SINGLE_ALIKE if len(self.members) == 1 else JOIN_COVER)

    def shares(self, other: Layout, rarity: Rarity) -> float:
        """Return how much of what the members have in common another layout's have too (Dice's coefficient)."""
        own, theirs = self.shared, other.shared
        both = np.intersect1d(own, theirs, assume_unique=True)
        whole = float(rarity.mild[own].sum() + rarity.mild[theirs].sum())
        return 2 * float(rarity.mild[both].sum()) / whole if whole else 0.0

    def with_members(self, examples: Sequence[Example]) -> Layout:
        """Return the layout with more members."""
        ids, counts = self.ids, self.counts
        for example in examples:
            both = np.union1d(ids, example.look.ids).astype(np.int32)
            more = np.zeros(len(both), dtype=np.float32)
            more[np.searchsorted(both, ids)] += counts
            more[np.searchsorted(both, example.look.ids)] += 1
            ids, counts = both, more
        return Layout(self.type, (*self.members, *examples), ids, counts)


def gather(layouts: Sequence[Layout], examples: Sequence[Example], rarity: Rarity) -> list[Layout]:
    """Return the layouts with each example in the one it fits best, or in a new one; then the like ones put together."""
    found = list(layouts)
    for example in examples:
        asked = Asked.of(example.look, rarity)
        own = [(x.joins(asked, rarity), i) for i, x in enumerate(found) if x.type == example.type]
        fit, best = max(own, default=(0.0, -1), key=lambda pair: pair[0])
        if fit >= 1:
            found[best] = found[best].with_members([example])
        else:
            found.append(Layout.begin(example))
    return _merge(found, rarity)


def _merge(layouts: list[Layout], rarity: Rarity) -> list[Layout]:
    """Put small layouts together that share most of what their own members have in common.

    The first sheets of a layout may begin several, before anything tells what is printed from what was filled in.
    """
    found = list(layouts)
    for small in sorted(layouts, key=lambda x: len(x.members)):
        if small not in found or not 1 < len(small.members) <= MOST_MERGED:
            continue
        others = [x for x in found if x is not small and x.type == small.type and len(x.members) > 1]
        alike, best = max(((small.shares(x, rarity), x) for x in others), key=lambda pair: pair[0], default=(0.0, None))
        if best is not None and alike >= MERGE_ALIKE:
            found[found.index(best)] = best.with_members(small.members)
            found.remove(small)
    return found
