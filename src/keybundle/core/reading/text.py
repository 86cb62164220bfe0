"""The text of a page: words with boxes and confidences, in reading order.

Boxes are in px of the upright, straight picture (see ``Frame``), where lines are level and neighbours are easy to
tell; ``captured_box`` gives the place in the captured picture.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterator
from typing import Any

from keybundle.core.base.boxes import Box, Frame, union
from keybundle.core.base.records import dataclass

TYPED_LINES = 60
MOST_WEIGHED, END_WEIGHED = 3_000, 800  # words


@dataclass(frozen=True)
class Word:
    """A word with its box in the upright picture, confidence from 0 to 1, and the numbers of its block and line."""

    text: str
    box: Box
    confidence: float
    block: int
    line: int


@dataclass(frozen=True)
class PageText:
    """All words of a page and the frame they stand in."""

    words: tuple[Word, ...]
    frame: Frame

    def lines(self) -> Iterator[tuple[Word, ...]]:
        """Yield the words of each line."""
        start = 0
        for i in range(1, len(self.words) + 1):
            here, before = (self.words[i] if i < len(self.words) else None), self.words[i - 1]
            if here is None or (here.block, here.line) != (before.block, before.line):
                yield self.words[start:i]
                start = i

    @property
    def plain(self) -> str:
        """The text, a line each."""
        return "\n".join(" ".join(w.text for w in line) for line in self.lines())

    @property
    def quality(self) -> float | None:
        """The mean confidence of the words, each counted by its letters; None for a page without words."""
        letters = sum(len(w.text) for w in self.words)
        return round(sum(w.confidence * len(w.text) for w in self.words) / letters, 3) if letters else None

    def captured_box(self, words: list[Word]) -> Box:
        """Return the box around the words in px of the captured picture."""
        return self.frame.captured_box(union([w.box for w in words]))

    def to_bytes(self) -> bytes:
        """Return a compact form for the store."""
        f = self.frame
        data: dict[str, Any] = {
            "frame": [f.width, f.height, f.rotation, f.skew_degrees],
            "words": [[w.text, *w.box, round(w.confidence, 3), w.block, w.line] for w in self.words],
        }
        return zlib.compress(json.dumps(data, ensure_ascii=False, separators=(",", ":")).encode())

    @classmethod
    def from_bytes(cls, data: bytes) -> PageText:
        """Return the text told by ``to_bytes``."""
        plain = json.loads(zlib.decompress(data))
        words = tuple(Word(t, (a, b, c, d), conf, block, line) for t, a, b, c, d, conf, block, line in plain["words"])
        return cls(words, Frame(*plain["frame"]))


def weighed(data: bytes) -> PageText:
    """Return a text (bytes of ``PageText``) as far as rules and proposals weigh it: of a very long one its two ends.

    Titles and labels stand at the beginning, sums at the end; nobody waits for what stands between in a table of
    fifty thousand lines. It is searched whole.
    """
    text = PageText.from_bytes(data)
    if len(text.words) <= MOST_WEIGHED:
        return text
    return PageText((*text.words[: MOST_WEIGHED - END_WEIGHED], *text.words[-END_WEIGHED:]), text.frame)


def plain_of(data: bytes) -> str:
    """Return the words of a text's bytes, a line each, without making the text: as ``PageText.plain``, in a third of the time."""
    lines: list[list[str]] = []
    before = None
    for word in json.loads(zlib.decompress(data))["words"]:
        here = word[6], word[7]
        if here != before:
            lines.append([])
            before = here
        lines[-1].append(word[0])
    return "\n".join(map(" ".join, lines))


def lay_out(typed: str, frame: Frame) -> PageText:
    """Return typed words as a page's text, line below line at its left."""
    width, height = frame.upright_size
    step, words = height // TYPED_LINES, []
    for number, told in enumerate(typed.splitlines()):
        x, top = width // 20, min(height - step, (number + 2) * step)
        for said in told.split():
            right = min(width, x + max(1, len(said) * step // 2))
            words.append(Word(said, (min(x, width - 1), top, right, top + step * 3 // 4), 1.0, 0, number))
            x = right + step // 2
    return PageText(tuple(words), frame)
