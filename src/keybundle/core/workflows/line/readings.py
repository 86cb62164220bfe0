"""Keeping what was read of a page: its text, its quality and its place in the search, or none of them."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection

from keybundle.core.batches.model import TYPED, Page
from keybundle.core.reading.text import PageText, lay_out
from keybundle.core.search import index
from keybundle.core.store.texts import drop_texts
from keybundle.core.workflows.session.opening import batches_of
from keybundle.core.workflows.session.workspace import Workspace


def keep_reading(workspace: Workspace, page: Page, data: bytes) -> bool:
    """Keep a reading (bytes of ``PageText``) of a page as it was when the reading began.

    False, and nothing kept, where the page has another turn or language by now, or a person typed its words.
    """
    text = PageText.from_bytes(data)
    with workspace.place.database.atomic() as c:
        before = batches_of(workspace).text_ids([page.id])
        kept = batches_of(workspace).set_text(
            page.id, data, page.frame.rotation, origin=page.language, quality=text.quality, language=page.language
        )
        if kept:
            _let_find(workspace, c, page.id, before)
        return kept


def give_up_reading(workspace: Workspace, page: Page, trouble: str) -> None:
    """Note why a page has no text, where it could not be read as it is now."""
    with workspace.place.database.atomic() as c:
        before = batches_of(workspace).text_ids([page.id])
        if batches_of(workspace).set_text(page.id, None, page.frame.rotation, trouble, language=page.language):
            _let_find(workspace, c, page.id, before)


def _let_find(workspace: Workspace, c: Connection, page_id: str, before: Mapping[str, int]) -> None:
    """Let a page be found by the text it has now, and let go of the one it had."""
    now = batches_of(workspace).text_ids([page_id])
    if now:
        index.put(c, index.WAITING, page_id, "", "", list(now.values()))
    else:
        index.remove(c, [page_id])
    drop_texts(c, list(before.values()))


def keep_typed(workspace: Workspace, page: Page, text: PageText) -> None:
    """Keep words that a person typed as a page's text."""
    quality = 1.0 if text.words else None
    with workspace.place.database.atomic() as c:
        before = batches_of(workspace).text_ids([page.id])
        batches_of(workspace).set_text(page.id, text.to_bytes(), text.frame.rotation, origin=TYPED, quality=quality)
        _let_find(workspace, c, page.id, before)


def lay_typed_anew(workspace: Workspace, page: Page) -> None:
    """Lay the words that a person typed for a page out on it as it is turned by now."""
    with workspace.place.database.atomic():
        data = batches_of(workspace).texts([page.id]).get(page.id)
        if data is not None:
            keep_typed(workspace, page, lay_out(PageText.from_bytes(data).plain, page.frame))
