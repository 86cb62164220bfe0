"""Documents of the world, read by the product's own reading with the frame that makes them upright and straight.

Places of values are read a second time as the line does it.
"""

from __future__ import annotations

import functools
import hashlib
import json
from collections.abc import Sequence
from multiprocessing import get_context
from pathlib import Path

from bench.readings import keep_pages
from bench.world.papers import Job, scans
from bench.yardstick import CACHE, WORKERS
from keybundle.core.base.boxes import upright_box
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.proposing.again import WORDS, Ask, Heard
from keybundle.core.reading import second
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.second import get_line_reader, get_word_reader, read_lines
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


@functools.cache
def _again_stamp() -> str:
    files = (*MAKERS, Path(second.__file__))
    return hashlib.sha256(b"".join(p.read_bytes() for p in files)).hexdigest()[:16]


def _path_of(job: Job, ask: Ask) -> Path:
    told = f"{_again_stamp()}/{job}/{ask.page}/{ask.box}/{ask.reader}"
    return CACHE / "again" / hashlib.sha256(told.encode()).hexdigest()[:24]


def _again(work: tuple[Job, Sequence[Ask]]) -> list[Heard]:
    """Read the places of values again; the pages of the asks are the numbers of the document's pages."""
    job, asks = work
    if any(not _path_of(job, a).exists() for a in asks):
        made = scans(job)
        for a in asks:
            page = made[int(a.page)]
            reader = get_word_reader() if a.reader == WORDS else get_line_reader()
            (read,) = read_lines(from_pil(page.image, page.dpi), page.frame, [upright_box(page.frame, a.box)], reader)
            _path_of(job, a).parent.mkdir(parents=True, exist_ok=True)
            _path_of(job, a).write_text(json.dumps([read.text, read.confidence]))
    return [Heard(*json.loads(_path_of(job, a).read_text())) for a in asks]


def read_again(works: Sequence[tuple[Job, Sequence[Ask]]]) -> list[list[Heard]]:
    """Return what second readers say of the asked places of each document, from the cache where it is there."""
    with get_context("spawn").Pool(WORKERS) as pool:
        return list(pool.map(_again, works, chunksize=2))
