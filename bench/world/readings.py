"""Documents of the world, read by the product's own reading with the frame that makes them upright and straight."""

from __future__ import annotations

from collections.abc import Sequence
from multiprocessing import get_context
from pathlib import Path

from bench.readings import keep_pages
from bench.world.papers import Job, scans
from bench.yardstick import WORKERS
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.text import PageText

MAKERS = tuple(Path(__file__).with_name(f"{name}.py") for name in ("country", "organisation", "families", "papers"))


def _make(job: Job) -> list[bytes]:
    return [read_page(from_pil(s.image, s.dpi), s.frame, get_engine("eng"), Steps()).to_bytes() for s in scans(job)]


def _read(job: Job) -> list[bytes]:
    return keep_pages(job, lambda: _make(job), MAKERS)


def read_jobs(jobs: Sequence[Job]) -> list[list[PageText]]:
    """Return the read pages of each document, from the cache where they are there."""
    with get_context("spawn").Pool(WORKERS) as pool:
        return [[PageText.from_bytes(p) for p in pages] for pages in pool.map(_read, jobs, chunksize=2)]
