"""The text of pages beside the pages: read anew in part, in another language, typed by a person, judged by its quality."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches import commands
from keybundle.core.batches.model import TYPED, Batch
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.languages import list_languages
from keybundle.core.reading.text import PageText, lay_out
from keybundle.core.rights.model import Right
from keybundle.core.workflows.arrange.bench import run_command
from keybundle.core.workflows.line.line import ON_SCREEN, Line
from keybundle.core.workflows.line.readings import keep_typed
from keybundle.core.workflows.pages.page_jobs import WORK, page_job
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.take_in.capture import routine_of

POOR = 0.75

__all__ = ["POOR", "PoorPage", "list_languages", "poor_pages", "read_area", "set_language", "type_words"]


@dataclass(frozen=True)
class PoorPage:
    """A page that reads badly or not at all; ``quality`` is None where it holds no word."""

    id: PageId
    number: int
    told: str
    quality: float | None


def poor_pages(batch: Batch) -> list[PoorPage]:
    """Return the kept pages that should be looked at: without words, or read with little confidence; the worst first."""
    found = []
    for number, page in enumerate(batch.pages, 1):
        if not page.kept or not page.is_read or page.text_origin == TYPED:
            continue
        place = message("page-texts.side-sheet", number=number, sheet=page.sheet, side=page.side)
        if page.quality is None:
            found.append(PoorPage(PageId(page.id), number, message("page-texts.no-words-found", place=place), None))
        elif page.quality < POOR:
            found.append(
                PoorPage(
                    PageId(page.id),
                    number,
                    message("page-texts.read-with-confidence", place=place, quality=page.quality),
                    page.quality,
                )
            )
    return sorted(found, key=lambda p: (p.quality is not None, p.quality or 0.0, p.number))


@needs(Right.INDEX, under="indexing")
def read_area(session: Session, pool: Pool, batch_id: BatchId, page_id: PageId, box: Box) -> PageText:
    """Read an area of a page anew, closely; return its words in px of the upright page (none where it holds none)."""
    workspace = session.workspace
    batch = session.batch(batch_id).load()
    page = batch.page(page_id)
    if page.facts is None:
        raise InputProblem(message("page-texts.page-could-not-measured-so"))
    job = page_job(workspace.place.files, page, routine_of(workspace, batch))
    return PageText.from_bytes(pool.submit(f"{WORK}:read_area", job, box, priority=ON_SCREEN).result())


@needs(Right.INDEX, under="indexing")
def set_language(session: Session, line: Line, batch_id: BatchId, page_ids: Sequence[PageId], language: str) -> Changes:
    """Read pages in another language (Tesseract's names, joined by +; empty: the routine's); missing data is told."""
    routine = session.batch(batch_id).routine
    if routine is not None and routine.language_locked and not session.may(Right.OVERSEE):
        raise InputProblem(message("page-texts.language-locked", name=routine.name))
    known = list_languages()
    missing = [part for part in language.split("+") if part and part not in known]
    if missing:
        raise InputProblem(
            message(
                "page-texts.ocr-language-data-missing-install",
                missing=missing[0],
                replace=missing[0].replace("_", "-"),
                list=", ".join(known),
            )
        )
    chosen = set(page_ids)

    def command(batch: Batch) -> Batch:
        changed = {p.id: replace(p, language=language) for p in batch.pages if p.id in chosen}
        for page in changed.values():
            commands.guard(batch, page.document_id)
        touched = {p.document_id for p in changed.values() if p.document_id}
        documents = {d: replace(batch.documents[d], proposed=False) for d in touched}
        return commands.with_changes(batch, changed, documents)

    label = message("step.read-in", language=language) if language else message("step.read-in-usual")
    return run_command(session, line, batch_id, label, command)


@needs(Right.INDEX, under="indexing")
def type_words(session: Session, line: Line, batch_id: BatchId, page_id: PageId, typed: str) -> Changes:
    """Keep words that a person typed as a page's text: found by a search, filed with it, never read over."""
    workspace = session.workspace
    with workspace.place.database.atomic():
        batch = session.batch(batch_id).load()
        page = batch.page(page_id)
        commands.guard(batch, page.document_id)
        if page.facts is None:
            raise InputProblem(message("page-texts.side-damaged-or-still-being"))
        text = lay_out(typed, page.frame)
        keep_typed(workspace, page, text)
    line.revise(batch_id)
    return Changes(frozenset([batch_id]), text=message("page-texts.typed"))
