"""Pages that go from one open batch to another: one transaction, a step in each batch, undone and done again as one.

The balance of both stays even: a page counts as captured in the batch where it lies. Undo brings back those pages that
can come, whatever was done in the other batch since; those that are filed there stay.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, insert, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.batches.again import propose_anew
from keybundle.core.batches.commands import guard
from keybundle.core.batches.model import KEPT, Batch, Page
from keybundle.core.store import schema as t
from keybundle.core.store import work

PAIR, MOVED = "pair", "moved"
ROW = ("batch_id", "captured", "position", "sheet")
PLACE = ("document_id", "disposition", "reason", "note", "hand_break", "hand_kept")
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

    Raises InputProblem when that page is in no document or its document is filed.
    """
    place = target.page(beside)
    guard(target, place.document_id)
    if place.document_id is None:
        raise InputProblem(message("arranging.pages-cannot-put-beside-left"))
    sheet = max(p.sheet for p in target.pages)
    sheets = {s: sheet + i for i, s in enumerate(dict.fromkeys(p.sheet for p in pages), 1)}
    moved = tuple(
        replace(
            p, sheet=sheets[p.sheet], document_id=place.document_id, disposition=KEPT, reason=None, note=None,
            hand_kept=True, hand_break=None,
        )
        for p in pages
    )  # fmt: skip
    at = [p.id for p in target.pages].index(beside) + (1 if after else 0)
    full = replace(target, pages=(*target.pages[:at], *moved, *target.pages[at:]))
    return propose_anew(target, full), moved


def take_numbers(c: Connection, batch_id: str, count: int) -> int:
    """Take the next numbers of captured sides of a batch and return the first; none is ever given twice."""
    b = t.batch.c
    changed = update(t.batch).where(b.id == batch_id).values(next_captured=b.next_captured + count)
    return int(c.execute(changed.returning(b.next_captured)).scalar_one()) - count


def move_rows(c: Connection, pages: Sequence[Page], batch_id: str) -> list[Entry]:
    """Write the pages into another batch, at its end, and return what changed, for the step."""
    first = take_numbers(c, batch_id, len(pages))
    found: list[Entry] = []
    for number, page in enumerate(pages, first):
        row = c.execute(select(*(t.page.c[n] for n in (*ROW, *PLACE))).where(t.page.c.id == page.id)).one()
        new = {n: getattr(page, n) for n in ("sheet", *PLACE)}
        new |= {"batch_id": batch_id, "captured": number, "position": number}
        c.execute(update(t.page).where(t.page.c.id == page.id).values(new))
        found.append([MOVED, page.id, {n: [getattr(row, n), new[n]] for n in (*ROW, *PLACE)}])
    return found


def carry_rows(c: Connection, delta: Sequence[Entry], pick: int) -> dict[str, list[Entry]]:
    """Put moved pages back where they were (``pick`` 0), or move them again (1), as far as they can come.

    They come without a place: return, for each batch that loses or gets some, the page entries that give them one.
    Pages that have gone on elsewhere meanwhile, or are filed, stay where they are.
    """
    came: dict[str, list[Entry]] = {}
    p, d = t.page.c, t.batch_document.c
    for _, page_id, change in (x for x in delta if x[0] == MOVED):
        row = c.execute(
            select(p.batch_id, d.filed_id, work.CLAIM).outerjoin_from(t.page, t.batch_document, p.document_id == d.id)
            .where(p.id == page_id)
        ).one()  # fmt: skip
        target = change["batch_id"][pick]
        closed = select(t.batch.c.id).where(t.batch.c.id.in_([row.batch_id, target]), t.batch.c.closed_at.is_not(None))
        is_here = row.batch_id == change["batch_id"][1 - pick]
        if not is_here or row.filed_id or row.claim or c.execute(closed).first() is not None:
            continue
        new = {n: change[n][pick] for n in ROW} | {"document_id": None}
        c.execute(update(t.page).where(p.id == page_id).values(new))
        came.setdefault(row.batch_id, [])
        came.setdefault(target, []).append(["page", page_id, {n: change[n] for n in PLACE}])
    return came


def partner_of(delta: Sequence[Entry]) -> str | None:
    """Return the other batch of a step that moved pages between two, None for any other step."""
    return next((d[1] for d in delta if d[0] == PAIR), None)


def insert_step(c: Connection, row: Mapping[str, Any], delta: Sequence[Entry], partner: str) -> None:
    """Note one of the two steps."""
    c.execute(insert(t.step).values(**row, delta=[[PAIR, partner], *delta], undone=False))
