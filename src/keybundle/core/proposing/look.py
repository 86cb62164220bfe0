"""What a page looks like, as numbers that can be compared: its words, where they stand, and the shape of its text.

A look is a bag of hashed tokens with their counts. Values are taken out of it as far as they can be told from what is
printed on every sheet of a layout: digits are folded, so that only the form of a number counts.
"""

from __future__ import annotations

import re
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import centre
from keybundle.core.reading.text import PageText

TOKENS = 1 << 18
ROWS, COLUMNS = 14, 6
SURE_WORD = 0.4
EDGES = ".,;:()[]'\"|\u201c\u201d\u2018\u2019"
_DIGITS = re.compile(r"\d+")


@dataclass(frozen=True)
class Look:
    """Hashed tokens: ``ids`` ``(n,) int32``, ascending, below ``TOKENS``, and their ``counts`` ``(n,) float32``."""

    ids: npt.NDArray[np.int32]
    counts: npt.NDArray[np.float32]

    def to_bytes(self) -> bytes:
        """Return a compact form for the store."""
        return zlib.compress(self.ids.astype("<i4").tobytes() + self.counts.astype("<f4").tobytes())

    @classmethod
    def from_bytes(cls, data: bytes) -> Look:
        """Return the look told by ``to_bytes``."""
        plain = zlib.decompress(data)
        half = len(plain) // 2
        return cls(
            np.frombuffer(plain[:half], "<i4").astype(np.int32), np.frombuffer(plain[half:], "<f4").astype(np.float32)
        )


def look_at(text: PageText) -> Look:
    """Return the look of a read page; an empty one for a page without words."""
    counted = Counter(zlib.crc32(token.encode()) % TOKENS for token in _tokens(text))
    ids = np.array(sorted(counted), dtype=np.int32)
    return Look(ids, np.array([counted[int(i)] for i in ids], dtype=np.float32))


def _tokens(text: PageText) -> Iterator[str]:
    """Yield each word, each word with its place, and each place that holds text."""
    width, height = text.frame.upright_size
    for word in text.words:
        plain = _DIGITS.sub("#", word.text.casefold().strip(EDGES))
        if not plain or word.confidence < SURE_WORD:
            continue
        x, y = centre(word.box)
        row = min(ROWS - 1, max(0, int(ROWS * y / max(1, height))))
        column = min(COLUMNS - 1, max(0, int(COLUMNS * x / max(1, width))))
        yield plain
        yield f"{plain}@{row}.{column}"
        yield f"@{row}.{column}"


def weigh_look(look: Look, rarity: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Return ``(n,) float32`` of length 1: (1 + ln count) times the rarity of each token.

    ``rarity`` is ``(TOKENS,) float32``. Source: the weighting of G. Salton, C. Buckley, Term-weighting approaches in
    automatic text retrieval, Information Processing and Management 24 (1988), with cosine normalisation.
    """
    weights = (1 + np.log(look.counts)) * rarity[look.ids]
    length = float(np.sqrt((weights**2).sum()))
    return np.asarray(weights / length if length else weights, dtype=np.float32)


def measure_rarity(looks: list[Look]) -> npt.NDArray[np.float32]:
    """Return ``(TOKENS,) float32``: ln((1 + n) / (1 + number of looks with the token)) + 1."""
    seen: npt.NDArray[Any] = np.zeros(TOKENS, dtype=np.int64)
    for look in looks:
        seen[look.ids] += 1
    return np.asarray(np.log((1 + len(looks)) / (1 + seen)) + 1, dtype=np.float32)
