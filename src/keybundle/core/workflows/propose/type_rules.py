"""The rules that tell a document's type for certain; they go before what its words and layout let one guess."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.batches.model import Page
from keybundle.core.fields.patterns import SlowPattern, search
from keybundle.core.reading.text import PageText
from keybundle.core.separation.rules import find_barcode, find_words
from keybundle.core.setup.model import DocumentType
from keybundle.core.setup.routines import TypeRule
from keybundle.core.workflows.pages.page_facts import side_facts

CERTAIN = 0.99


def told_type(page: Page, text: PageText | None, types: Sequence[DocumentType]) -> tuple[str, float] | None:
    """Return (type, confidence) of the first type with a rule that fits a first page; None where none does.

    A pattern that takes too long on a page is passed over.
    """
    for kind in types:
        if any(_fits(rule, page, text) for rule in kind.told_by):
            return kind.id, CERTAIN
    return None


def _fits(rule: TypeRule, page: Page, text: PageText | None) -> bool:
    try:
        if rule.on == "source":
            return search(rule.pattern, page.source) is not None
        if page.facts is None:
            return False
        side = side_facts(page, text)
        return bool(find_words(side, rule)) if rule.on == "words" else find_barcode(side, rule) is not None
    except SlowPattern:
        return False
