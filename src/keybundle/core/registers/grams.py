"""Near matches in long columns: texts that share enough groups of three letters are worth a closer look."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

SHORTLIST = 60


def grams_of(text: str) -> set[str]:
    """Return the groups of three letters of a text, its ends marked."""
    padded = f"  {text} "
    return {padded[i : i + 3] for i in range(len(padded) - 2)}


class GramIndex:
    """Finds the texts that share most groups of letters with a given one.

    Guaranteed: a text at a likeness of 0.8 or more by equal length shares groups with the asked one; not guaranteed:
    that it is among the ``SHORTLIST`` best where thousands are as near.
    """

    def __init__(self, texts: Sequence[str]) -> None:
        self.texts = tuple(texts)
        found: defaultdict[str, list[int]] = defaultdict(list)
        for i, text in enumerate(self.texts):
            for gram in grams_of(text):
                found[gram].append(i)
        self._ids: dict[str, npt.NDArray[np.int32]] = {g: np.array(ids, dtype=np.int32) for g, ids in found.items()}

    def shortlist(self, text: str) -> list[str]:
        """Return the texts that share most groups with ``text``, the likeliest first."""
        lists = [self._ids[g] for g in grams_of(text) if g in self._ids]
        if not lists:
            return []
        shared = np.bincount(np.concatenate(lists), minlength=len(self.texts))
        count = min(SHORTLIST, len(self.texts))
        best = np.argpartition(-shared, count - 1)[:count]
        return [self.texts[i] for i in best[np.argsort(-shared[best], kind="stable")] if shared[i]]
