"""Seeded demo documents, scanned and read by the product's own reading; what was read is cached by what went in."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from multiprocessing import get_context

from bench.readings import keep_pages
from bench.yardstick import WORKERS
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.text import PageText
from keybundle.demo import scan
from keybundle.demo.layouts import draw_document, fixed_layout, random_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, Record, make_record
from keybundle.demo.scan import Effects

# Which of the random layouts are drawn. Moved on whenever somebody saw results of these outside a bench.
FAMILY_START = 2000


@dataclass(frozen=True)
class Job:
    """A document: its type, its layout (1 to 3; 0: of the random family, by ``family``), and its number."""

    type_name: str
    layout: int
    number: int
    family: int = 0

    @property
    def record(self) -> Record:
        """What the document says."""
        return make_record(self.type_name, make_world(), random.Random(f"documents/{self.type_name}/{self.number}"))


def _make(job: Job) -> list[bytes]:
    rng = random.Random(f"paper/{job}")
    layout = fixed_layout(job.type_name, job.layout) if job.layout else random_layout(job.type_name, job.family)
    pages = []
    for i, page in enumerate(draw_document(job.record, layout, rng)):
        effects = Effects(mode=rng.choice(("grey", "1-bit")), skew_degrees=rng.uniform(-2, 2), speckle=0.15)
        made = scan.scan(page.sheet.image, page.words, 300, effects, job.number * 10 + i)
        pages.append(read_page(from_pil(made.image, 300), made.frame, get_engine("eng"), Steps()).to_bytes())
    return pages


def _read(job: Job) -> list[bytes]:
    return keep_pages(job, lambda: _make(job))


def read_documents(jobs: Sequence[Job]) -> list[list[PageText]]:
    """Return the read pages of each document, from the cache where they are there."""
    with get_context("spawn").Pool(WORKERS) as pool:
        return [[PageText.from_bytes(p) for p in pages] for pages in pool.map(_read, jobs, chunksize=4)]


def known_jobs(first: int, count: int) -> list[Job]:
    """Return so many documents of each layout of each type, numbered from ``first`` on."""
    return [Job(t, layout, first + i) for t in TYPES for layout in (1, 2, 3) for i in range(count)]


if __name__ == "__main__":
    read_documents([*known_jobs(0, 20), *known_jobs(5000, 6)])
