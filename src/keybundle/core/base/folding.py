"""Texts made comparable: any case of letters, composed or not, in any script."""

from __future__ import annotations

import unicodedata


def fold(text: str) -> str:
    """Return a text as it is compared (Unicode Standard, section 3.13: compatibility caseless matching)."""
    return unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", text).casefold())
