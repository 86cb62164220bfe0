"""The page as the eye sees it: rows across all blocks, and segments between wide gaps."""

from __future__ import annotations

import itertools
from dataclasses import replace
from statistics import median

from keybundle.core.base.boxes import Box, union
from keybundle.core.base.records import dataclass
from keybundle.core.reading.text import PageText, Word

WIDE_GAP_HEIGHTS, WIDE_GAP_SPACES, WIDEST_GAP_HEIGHTS = 1.3, 1.7, 2.2
SCRAPS = "'\u2018\u2019\u201c\u201d\"|[]{}_~"


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
    stripped = ((w, w.text.strip(SCRAPS)) for w in text.words)
    cleaned = (w if said == w.text else replace(w, text=said) for w, said in stripped)
    words = [w for w in cleaned if any(c.isalnum() for c in w.text) or w.text in ("&", "%", "€", "£")]
    if not words:
        return Rows((), 1.0)
    height = float(median(w.box[3] - w.box[1] for w in words)) or 1.0
    rows: list[list[Word]] = []
    for word in sorted(words, key=lambda w: (w.box[1] + w.box[3]) / 2):
        if rows and _shares_row(word, rows[-1]):
            rows[-1].append(word)
        else:
            rows.append([word])
    for row in rows:
        row.sort(key=lambda w: w.box[0])
    wide = _wide_gap(rows, height) / height
    return Rows(tuple(_cut(r, i, height, wide) for i, r in enumerate(rows)), height)


def _wide_gap(rows: list[list[Word]], height: float) -> float:
    """Return the gap in px from which on words stand apart: in heights, and in the page's own spaces.

    The spaces of a face whose signs are all of one width are wider than the gaps between others' columns.
    """
    gaps = sorted(gap for r in rows for a, b in itertools.pairwise(r) if 0 < (gap := b.box[0] - a.box[2]) < 2 * height)
    space = gaps[len(gaps) // 2] if gaps else 0.0
    return max(WIDE_GAP_HEIGHTS * height, min(WIDE_GAP_SPACES * space, WIDEST_GAP_HEIGHTS * height))


def _shares_row(word: Word, row: list[Word]) -> bool:
    """Whether more than half of the smaller height of word and row lies at the same height on the page."""
    top, bottom = median(w.box[1] for w in row), median(w.box[3] for w in row)
    overlap = min(bottom, word.box[3]) - max(top, word.box[1])
    return overlap > 0.5 * min(bottom - top, word.box[3] - word.box[1])


def _cut(words: list[Word], row: int, height: float, wide: float) -> tuple[Segment, ...]:
    segments: list[list[Word]] = [[words[0]]]
    for before, word in itertools.pairwise(words):
        tall = max(height, min(before.box[3] - before.box[1], word.box[3] - word.box[1]))
        if word.box[0] - before.box[2] > wide * tall:
            segments.append([])
        segments[-1].append(word)
    return tuple(Segment(tuple(s), row, i) for i, s in enumerate(segments))
