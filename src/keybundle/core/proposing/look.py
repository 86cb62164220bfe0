"""What a page looks like, as numbers that can be compared: the labels, titles and headings on it, and where they stand.

A look is a bag of hashed tokens with their counts. Values are taken out of it as far as they can be told from what is
printed on every sheet of a layout: digits are folded, so that only the form of a number counts.
"""

from __future__ import annotations

import re
import zlib
from collections import Counter
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from keybundle.core.base.records import dataclass
from keybundle.core.proposing.rows import build_rows
from keybundle.core.reading.text import PageText

TOKENS = 1 << 18
ROWS, COLUMNS = 14, 6
SURE_WORD, LEAST_WEIGHT = 0.4, 0.02
LONGEST_PIECE, MANY_LOOKS = 7, 60
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
    """Yield what stands apart on the page: short pieces of text between wide gaps, and how longer ones begin.

    Labels, titles and headings are such pieces; running text is not, and says little about a layout. Each is told with
    and without its place.
    """
    width, height = text.frame.upright_size
    for segment in build_rows(text).segments:
        words = [_plain(w.text) for w in segment.words if w.confidence >= SURE_WORD]
        if not words or len(segment.words) > LONGEST_PIECE:
            continue
        x, y = segment.box[0], (segment.box[1] + segment.box[3]) / 2
        row = min(ROWS - 1, max(0, int(ROWS * y / max(1, height))))
        column = min(COLUMNS - 1, max(0, int(COLUMNS * x / max(1, width))))
        pieces = {" ".join(words[:n]) for n in (1, 2, 3, len(words)) if n <= len(words)}
        for piece in pieces:
            if any(c.isalpha() for c in piece):
                yield piece
                yield f"{piece}@{row}.{column}"


def _plain(word: str) -> str:
    return _DIGITS.sub("#", word.casefold().strip(EDGES))


@dataclass(frozen=True)
class Rarity:
    """What tokens weigh, both ``(TOKENS,) float32``.

    ``sharp`` is the square of ln((1 + n) / (1 + number of looks with the token)), and a little more: what stands on
    most pages whatever they are tells nothing, what few have tells much. ``mild`` is that logarithm, without the tokens
    that only one or two pages have: those are what was filled in. Source of the logarithm: K. Sparck Jones, A
    statistical interpretation of term specificity, Journal of Documentation 28 (1972).
    """

    sharp: npt.NDArray[np.float32]
    mild: npt.NDArray[np.float32]


def weigh_tokens(seen: npt.NDArray[np.int32], looks: int) -> Rarity:
    """Return what tokens weigh where ``seen`` ``(TOKENS,)`` tells how many of so many looks have each."""
    rare = np.log((1 + looks) / (1 + seen))
    often = seen >= (3 if looks >= MANY_LOOKS else 2)
    return Rarity((rare**2 + LEAST_WEIGHT).astype(np.float32), (rare * often + LEAST_WEIGHT / 2).astype(np.float32))
