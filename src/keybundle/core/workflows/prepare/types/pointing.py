"""Pointing at a page of a sample batch: what can be pointed at there, and the zone that a box stands for."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from keybundle.core.base.boxes import Box, upright_box
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Batch
from keybundle.core.fields.patterns import pattern_like
from keybundle.core.jobs.pool import Pool
from keybundle.core.marks.model import BARCODE, Mark, Wanted
from keybundle.core.reading.text import PageText
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Zone
from keybundle.core.workflows.arrange.bench import page_text, preview
from keybundle.core.workflows.line.line import ON_SCREEN
from keybundle.core.workflows.pages.page_jobs import WORK, picture_job
from keybundle.core.workflows.session.session import Session, needs

__all__ = [
    "PointedBarcode", "PointedPage", "choose_sample", "load_page", "pages_to_point_at", "pattern_like", "zone_of",
]  # fmt: skip


@dataclass(frozen=True)
class PointedBarcode:
    """A barcode on the page: its format and text, and its box in px of the upright page."""

    format: str
    text: str
    box: Box


@dataclass(frozen=True)
class PointedPage:
    """A page to point at: its picture, its upright size in px, its text, the barcodes on it."""

    id: PageId
    told: str
    picture: Path
    width: int
    height: int
    text: PageText | None
    barcodes: tuple[PointedBarcode, ...]


@needs(Right.LOOK)
def pages_to_point_at(session: Session, batch_id: BatchId, type_name: str = "") -> tuple[str, ...]:
    """Return the measured pages of a batch: first pages of a type first, then kept ones, which rules are made for."""
    batch = session.batch(batch_id).load()
    pages = [p for p in batch.pages if p.facts is not None and not p.facts.is_blank]
    firsts = _first_pages(batch, type_name)
    return tuple(p.id for p in sorted(pages, key=lambda p: (p.id not in firsts, not p.kept)))


@needs(Right.LOOK)
def choose_sample(session: Session, batch_ids: Sequence[BatchId], type_name: str) -> str | None:
    """Return the first batch with a document of a type, else the first with a page to point at; None for none."""
    for batch_id in batch_ids:
        if _first_pages(session.batch(batch_id).load(), type_name):
            return batch_id
    return next((b for b in batch_ids if pages_to_point_at(session, b)), None)


def _first_pages(batch: Batch, type_name: str) -> set[str]:
    own = [batch.pages_of(d.id) for d in batch.in_order() if type_name and d.type == type_name]
    return {pages[0].id for pages in own if pages}


@needs(Right.LOOK)
def load_page(session: Session, pool: Pool, batch_id: BatchId, page_id: PageId) -> PointedPage:
    """Return a page with all barcodes on it; raises InputProblem for a page that was not measured."""
    workspace = session.workspace
    page = session.batch(batch_id).load().page(page_id)
    if page.facts is None:
        raise InputProblem(message("pointing.page-could-not-measured-choose"))
    job = picture_job(workspace.place.files, page.id, page.picture, page.frame)
    asked = Wanted(formats=("any",))
    looked = pool.submit(f"{WORK}:look_for_marks", job, asked, priority=ON_SCREEN).result()
    marks = [m for m in map(Mark.from_json, looked["marks"]) if m.kind == BARCODE]
    width, height = page.frame.upright_size
    return PointedPage(
        PageId(page.id), f"Sheet {page.sheet}, {page.side}, from {page.source}",
        preview(session, pool, page.id, page.picture, page.frame), width, height, page_text(session, PageId(page.id)),
        tuple(PointedBarcode(m.format, m.text, upright_box(page.frame, m.box)) for m in marks),
    )  # fmt: skip


def zone_of(box: Box, width: int, height: int, *, margin: float = 0.0) -> Zone:
    """Return the zone of a box in px of an upright page of that size, widened by a share of the page."""
    left, top, right, bottom = box
    return Zone(
        left=_share(left / width - margin), top=_share(top / height - margin),
        right=_share(right / width + margin), bottom=_share(bottom / height + margin),
    )  # fmt: skip


def _share(value: float) -> float:
    return round(min(1.0, max(0.0, value)), 3)
