"""A page as it leaves: its text, and the name and resolution of its picture."""

from __future__ import annotations

from keybundle.core.base.records import dataclass
from keybundle.core.reading.text import PageText


@dataclass(frozen=True)
class SentPage:
    """A page's words in px of the upright picture at ``dpi``; ``source`` is what its file was called as received."""

    text: PageText
    dpi: float
    source: str


def printable(text: str) -> str:
    """Return a text without the characters that XML 1.0 does not allow (section 2.2 of its recommendation)."""
    return "".join(
        c for c in text if c in "\t\n\r" or (c >= " " and not "\ud800" <= c <= "\udfff" and c not in "\ufffe\uffff")
    )
