"""The page as the eye sees it: rows across all blocks, and segments between wide gaps."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from statistics import median

from keybundle.core.base.boxes import Box, union
from keybundle.core.reading.text import PageText, Word

WIDE_GAP_HEIGHTS = 1.3


@dataclass(frozen=True)
class Segment:
    """Words that stand close together in one row; ``column`` is its number in the row, from 0."""

    words: tuple[Word, ...]
    row: int
    column: int

    @property
    def text(self) -> str:
        """The words on one line."""
        return " ".join(w.text for w in self.words)

    @property
    def box(self) -> Box:
        """The box around the words in the upright picture."""
        return union([w.box for w in self.words])


@dataclass(frozen=True)
class Rows:
    """All rows from top to bottom, each a list of segments from left to right; ``height`` is a word's usual height in px."""

    rows: tuple[tuple[Segment, ...], ...]
    height: float

    @property
    def segments(self) -> list[Segment]:
        """All segments, row by row."""
        return [s for row in self.rows for s in row]


def build_rows(text: PageText) -> Rows:
    """Group words by height on the page, whatever blocks the engine saw."""
    words = [w for w in text.words if any(c.isalnum() for c in w.text) or w.text in "&%€£-"]
    if not words:
        return Rows((), 1.0)
    height = float(median(w.box[3] - w.box[1] for w in words)) or 1.0
    rows: list[list[Word]] = []
    for word in sorted(words, key=lambda w: (w.box[1] + w.box[3]) / 2):
        middle = (word.box[1] + word.box[3]) / 2
        if rows and middle - _row_middle(rows[-1]) < 0.55 * height:
            rows[-1].append(word)
        else:
            rows.append([word])
    return Rows(tuple(_cut(sorted(r, key=lambda w: w.box[0]), i, height) for i, r in enumerate(rows)), height)


def _row_middle(row: list[Word]) -> float:
    return sum((w.box[1] + w.box[3]) / 2 for w in row) / len(row)


def _cut(words: list[Word], row: int, height: float) -> tuple[Segment, ...]:
    segments: list[list[Word]] = [[words[0]]]
    for before, word in itertools.pairwise(words):
        tall = max(height, min(before.box[3] - before.box[1], word.box[3] - word.box[1]))
        if word.box[0] - before.box[2] > WIDE_GAP_HEIGHTS * tall:
            segments.append([])
        segments[-1].append(word)
    return tuple(Segment(tuple(s), row, i) for i, s in enumerate(segments))
