"""A second look at a document's values: which places a worker reads again, and what comes of what it heard there."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace

from keybundle.core.base.boxes import Box, upright_box
from keybundle.core.batches.model import TYPED, Batch, Document, Page
from keybundle.core.proposing.again import Ask, Heard, hear_all, list_asks
from keybundle.core.workflows.session.workspace import Workspace

AS_WRITTEN = 1.0  # the quality of a page whose text came with its file: there is nothing to read again
Spot = tuple[str, int, Box, str]
Known = Mapping[Spot, Heard]


def spot_of(ask: Ask, page: Page) -> Spot:
    """Return what a second reading depends on: the page as it is turned, the box and the reader."""
    return ask.page, page.frame.rotation, ask.box, ask.reader


def list_unheard(workspace: Workspace, batch: Batch, document: Document, known: Known) -> dict[str, list[Ask]]:
    """Return what is worth a second reading and was not read again yet, by page."""
    found: defaultdict[str, list[Ask]] = defaultdict(list)
    for ask, page in _asks(workspace, batch, document):
        if spot_of(ask, page) not in known:
            found[ask.page].append(ask)
    return dict(found)


def hear_again(workspace: Workspace, batch: Batch, document: Document, known: Known) -> Document:
    """Return the document with what second readers said of its values' places, as far as it is known."""
    kind = workspace.setup.document_type(document.type)
    heard = {
        ask.field: (ask, known[spot])
        for ask, page in _asks(workspace, batch, document)
        if (spot := spot_of(ask, page)) in known
    }
    if kind is None or not heard:
        return document
    bar = workspace.bar(workspace.setup.routine(batch.routine))
    values = hear_all(document.values, heard, kind, workspace.books(), bar, workspace.rule)
    return replace(document, values=values)


def upright_boxes(page: Page, asks: list[Ask]) -> list[Box]:
    """Return the boxes of asks in px of the upright picture."""
    return [upright_box(page.frame, ask.box) for ask in asks]


def _asks(workspace: Workspace, batch: Batch, document: Document) -> list[tuple[Ask, Page]]:
    kind = workspace.setup.document_type(document.type)
    if kind is None:
        return []
    pages = {p.id: p for p in batch.pages_of(document.id) if p.facts is not None and p.is_read}
    asks = ((a, pages.get(a.page)) for a in list_asks(document.values, kind, workspace.rule))
    return [(a, p) for a, p in asks if p is not None and p.text_origin != TYPED and p.quality != AS_WRITTEN]
