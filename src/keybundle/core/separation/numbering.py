"""“Page x of y” as printed on a page, read with the slips that OCR makes."""

from __future__ import annotations

import re

from keybundle.core.base.records import dataclass
from keybundle.core.reading.text import PageText

LARGEST = 999
_DIGIT = r"[0-9OoIlS|]{1,3}"
_OF = re.compile(rf"(?:^|\b)(?:page|sheet|side|p\.?)\s*({_DIGIT})\s*(?:of|0f|out of|/)\s*({_DIGIT})\b", re.IGNORECASE)
_BARE = re.compile(rf"^\W*({_DIGIT})\s*(?:of|0f|/)\s*({_DIGIT})\W*$", re.IGNORECASE)
_SLIPS = str.maketrans({"O": "0", "o": "0", "I": "1", "l": "1", "|": "1", "S": "5"})


@dataclass(frozen=True)
class Numbering:
    """The number of a page and how many there are."""

    page: int
    of: int


def read_numbering(text: PageText) -> Numbering | None:
    """Return the page's own numbering; None when none is printed or it makes no sense (page 4 of 3)."""
    for line in text.lines():
        plain = " ".join(w.text for w in line)
        match = _OF.search(plain) or _BARE.match(plain)
        if match is None:
            continue
        digits = [part.translate(_SLIPS) for part in match.groups()]
        if not all(d.isdigit() for d in digits):
            continue
        page, of = map(int, digits)
        if 1 <= page <= of <= LARGEST:
            return Numbering(page, of)
    return None
