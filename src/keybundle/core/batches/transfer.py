"""Pages that go from one open batch to another: one transaction, a step in each batch, undone and done again as one.

The balance of both stays even: a page counts as captured in the batch where it lies. Undo is refused, in words, when
the other batch has been worked on since.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, func, insert, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.again import propose_anew
from keybundle.core.batches.commands import guard
from keybundle.core.batches.model import KEPT, Batch, Page
from keybundle.core.store import schema as t

PAIR, MOVED = "pair", "moved"
COLUMNS = (
    "batch_id", "captured", "position", "sheet", "document_id", "disposition", "reason", "note", "hand_break",
    "hand_kept",
)  # fmt: skip
Entry = list[Any]


def give_away(source: Batch, page_ids: Sequence[str]) -> Batch:
    """Return the batch without these pages and without the documents that lose their last one."""
    chosen = set(page_ids)
    for page in source.pages:
        if page.id in chosen:
            guard(source, page.document_id)
    rest = tuple(p for p in source.pages if p.id not in chosen)
    used = {p.document_id for p in rest}
    left = replace(source, pages=rest, documents={k: d for k, d in source.documents.items() if k in used})
    return propose_anew(source, left)


def receive(target: Batch, pages: Sequence[Page], beside: str, *, after: bool) -> tuple[Batch, tuple[Page, ...]]:
    """Return the batch with the pages put before a page (or after it) and into its document, and the pages as they are there.

    Raises InputProblem when that page is left out or its document is filed.
    """
    place = target.page(beside)
    guard(target, place.document_id)
    if place.document_id is None:
        raise InputProblem("Pages cannot be put beside a left-out page; choose a page of a document.")
    captured = max(p.captured for p in target.pages) + 1
    sheet = max(p.sheet for p in target.pages)
    sheets = {s: sheet + i for i, s in enumerate(dict.fromkeys(p.sheet for p in pages), 1)}
    moved = tuple(
        replace(
            p, captured=captured + i, sheet=sheets[p.sheet], document_id=place.document_id, disposition=KEPT,
            reason=None, note=None, hand_kept=True, hand_break=None,
        )
        for i, p in enumerate(pages)
    )  # fmt: skip
    at = [p.id for p in target.pages].index(beside) + (1 if after else 0)
    full = replace(target, pages=(*target.pages[:at], *moved, *target.pages[at:]))
    return propose_anew(target, full), moved


def move_rows(c: Connection, pages: Sequence[Page], batch_id: str) -> list[Entry]:
    """Write the pages into another batch, at its end, and return what changed, for the step."""
    last = c.execute(select(func.max(t.page.c.position)).where(t.page.c.batch_id == batch_id)).scalar()
    found: list[Entry] = []
    for i, page in enumerate(pages, (last or 0) + 1):
        row = c.execute(select(*(t.page.c[n] for n in COLUMNS)).where(t.page.c.id == page.id)).one()
        new = {n: getattr(page, n) for n in COLUMNS if n not in ("batch_id", "position")}
        new |= {"batch_id": batch_id, "position": i}
        c.execute(update(t.page).where(t.page.c.id == page.id).values(new))
        found.append([MOVED, page.id, {n: [getattr(row, n), new[n]] for n in COLUMNS}])
    return found


def write_moved(c: Connection, delta: Sequence[Entry], pick: int) -> None:
    """Put moved pages where they were before the step (``pick`` 0) or after it (1)."""
    for _, page_id, change in (d for d in delta if d[0] == MOVED):
        c.execute(update(t.page).where(t.page.c.id == page_id).values({n: p[pick] for n, p in change.items()}))


def partner_of(delta: Sequence[Entry]) -> str | None:
    """Return the other batch of a step that moved pages between two, None for any other step."""
    return next((d[1] for d in delta if d[0] == PAIR), None)


def insert_step(c: Connection, row: Mapping[str, Any], delta: Sequence[Entry], partner: str) -> None:
    """Note one of the two steps."""
    c.execute(insert(t.step).values(**row, delta=[[PAIR, partner], *delta], undone=False))
