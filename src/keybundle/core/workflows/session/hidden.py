"""Which of the documents that were learned from are kept from somebody."""

from __future__ import annotations

from sqlalchemy import Connection, not_, select

from keybundle.core.repository.access import View
from keybundle.core.store import schema as t


def hidden_keys(c: Connection, view: View) -> frozenset[str]:
    """Return the filing keys of documents that were learned from and are not in view."""
    d = t.document.c
    learned = d.filing_key.in_(select(t.example.c.document))
    chosen = select(d.filing_key).where(learned, *(not_(x) for x in view.documents()))
    return frozenset(c.execute(chosen).scalars())
