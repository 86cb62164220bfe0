"""Seeded demo documents, scanned and read by the product's own reading; what was read is cached by what went in."""

from __future__ import annotations

import functools
import hashlib
import random
from collections.abc import Sequence
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from bench.yardstick import CACHE, WORKERS
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.text import PageText
from keybundle.demo import layouts, scan
from keybundle.demo.layouts import draw_document, fixed_layout, random_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, Record, make_record
from keybundle.demo.scan import Effects

CORE = Path(str(layouts.__file__)).parent.parent / "core"

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


@functools.cache
def _stamp() -> str:
    """What a cached reading depends on besides its job: the code that draws, scans and reads."""
    rooms = (Path(str(layouts.__file__)).parent, *(CORE / room for room in ("imaging", "reading", "base")))
    paths = sorted(p for room in rooms for p in room.glob("*.py"))
    return hashlib.sha256(b"".join(p.read_bytes() for p in paths)).hexdigest()[:16]


def _read(job: Job) -> list[bytes]:
    path = CACHE / "read" / hashlib.sha256(f"{_stamp()}/{job}".encode()).hexdigest()[:24]
    if path.exists():
        sizes, _, body = path.read_bytes().partition(b"\n")
        found, at = [], 0
        for size in map(int, sizes.split()):
            found.append(body[at : at + size])
            at += size
        return found
    rng = random.Random(f"paper/{job}")
    layout = fixed_layout(job.type_name, job.layout) if job.layout else random_layout(job.type_name, job.family)
    pages = []
    for i, page in enumerate(draw_document(job.record, layout, rng)):
        effects = Effects(mode=rng.choice(("grey", "1-bit")), skew_degrees=rng.uniform(-2, 2), speckle=0.15)
        made = scan.scan(page.sheet.image, page.words, 300, effects, job.number * 10 + i)
        pages.append(read_page(from_pil(made.image, 300), made.frame, get_engine("eng"), Steps()).to_bytes())
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(" ".join(str(len(p)) for p in pages).encode() + b"\n" + b"".join(pages))
    return pages


def read_documents(jobs: Sequence[Job]) -> list[list[PageText]]:
    """Return the read pages of each document, from the cache where they are there."""
    with get_context("spawn").Pool(WORKERS) as pool:
        return [[PageText.from_bytes(p) for p in pages] for pages in pool.map(_read, jobs, chunksize=4)]


def known_jobs(first: int, count: int) -> list[Job]:
    """Return so many documents of each layout of each type, numbered from ``first`` on."""
    return [Job(t, layout, first + i) for t in TYPES for layout in (1, 2, 3) for i in range(count)]


if __name__ == "__main__":
    read_documents([*known_jobs(0, 20), *known_jobs(5000, 6)])
