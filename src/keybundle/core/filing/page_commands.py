"""Pure commands on the pages of a filed document: turned, moved, put in, left out. Each makes the next version (``revise``)."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace

from keybundle.core.base.boxes import Frame, compose, transform_box
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.filing.revise import Command
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument, FiledPage

Pages = tuple[FiledPage, ...]


def turn_pages(page_ids: Collection[str], degrees: int) -> Command:
    """Return the command that turns pages clockwise by a multiple of 90 degrees, their words with them."""

    def command(pages: Pages) -> Pages:
        return tuple(_turned(p, degrees) if p.page_id in page_ids else p for p in pages)

    return _of_pages(page_ids, command)


def move_pages(page_ids: Sequence[str], before: str | None) -> Command:
    """Return the command that puts pages, in this order, before another one; at the end where that is None."""

    def command(pages: Pages) -> Pages:
        by_id = {p.page_id: p for p in pages}
        rest = [p for p in pages if p.page_id not in page_ids]
        at = next((i for i, p in enumerate(rest) if p.page_id == before), len(rest))
        return (*rest[:at], *(by_id[i] for i in page_ids), *rest[at:])

    return _of_pages(page_ids, command)


def leave_out(page_ids: Collection[str]) -> Command:
    """Return the command that takes pages out; they stay in the versions before."""

    def command(pages: Pages) -> Pages:
        return tuple(p for p in pages if p.page_id not in page_ids)

    return _of_pages(page_ids, command)


def put_in(new: Sequence[FiledPage], before: str | None) -> Command:
    """Return the command that puts further pages before one of the document's; at the end where that is None."""

    def command(document: FiledDocument) -> FiledDocument:
        known = {p.page_id for p in document.pages}
        fresh = [p for p in new if p.page_id not in known]
        at = next((i for i, p in enumerate(document.pages) if p.page_id == before), len(document.pages))
        return replace(document, pages=(*document.pages[:at], *fresh, *document.pages[at:]))

    return command


def _of_pages(page_ids: Collection[str], command: Callable[[Pages], Pages]) -> Command:
    """Return a command on a document's pages; raises InputProblem for pages that it has no more, and where none would stay."""

    def whole(document: FiledDocument) -> FiledDocument:
        if not set(page_ids) <= {p.page_id for p in document.pages}:
            raise InputProblem(message("page-commands.page-gone", caption=document.caption))
        pages = command(document.pages)
        if not pages:
            raise InputProblem(message("page-commands.none-left", caption=document.caption))
        return replace(document, pages=pages)

    return whole


def _turned(page: FiledPage, degrees: int) -> FiledPage:
    """Return a page turned, the boxes of its words turned with it."""
    if page.kind.is_native:
        raise InputProblem(message("commands.native-not-turned", source=page.source))
    frame = replace(page.frame, rotation=(page.frame.rotation + degrees) % 360)
    return replace(page, frame=frame, text=turn_text(PageText.from_bytes(page.text), frame).to_bytes(), text_id=None)


def turn_text(text: PageText, frame: Frame) -> PageText:
    """Return the same words in another frame of the same picture: through the captured picture and up again."""
    to_new = compose(frame.to_upright(), text.frame.to_captured())
    return PageText(tuple(replace(w, box=transform_box(to_new, w.box)) for w in text.words), frame)
