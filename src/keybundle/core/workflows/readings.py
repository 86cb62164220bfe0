"""Keeping what was read of a page: its text, its quality and its place in the search, or none of them."""

from __future__ import annotations

from keybundle.core.batches.model import Page
from keybundle.core.reading.text import PageText
from keybundle.core.search import index
from keybundle.core.workflows.workspace import Workspace


def keep_reading(workspace: Workspace, page: Page, data: bytes) -> bool:
    """Keep a reading (bytes of ``PageText``) of a page as it was when the reading began.

    False, and nothing kept, where the page has another turn or language by now, or a person typed its words.
    """
    text = PageText.from_bytes(data)
    with workspace.place.database.atomic() as c:
        kept = workspace.batches.set_text(
            page.id, data, page.frame.rotation, origin=page.language, quality=text.quality, language=page.language
        )
        if kept:
            index.put(c, index.WAITING, page.id, "", "", text.plain)
        return kept
