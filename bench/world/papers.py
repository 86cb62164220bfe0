"""Papers of the world as a scanner delivers them: drawn by family and number, each the same for the same seed."""

from __future__ import annotations

import functools
import random
from dataclasses import dataclass

from bench.world.families import Chance, family, next_pages
from bench.world.organisation import Organisation, Paper, make_organisation, make_paper
from keybundle.demo.paper import Sheet
from keybundle.demo.scan import Effects, Scan, scan

DPI = 300
LONG_BILL_ITEMS = (40, 90)


@dataclass(frozen=True)
class Job:
    """A document of the world: which organisation, which family, the number within it, and the picture's mode.

    With a ``sender`` (its place among the organisation's) the paper is on that sender's form of the family: what is laid
    out by chance is the same for all of them. ``more`` pages follow the paper's own.
    """

    seed: int
    family: str
    number: int
    mode: str = "grey"
    sender: int | None = None
    more: int = 0

    def rng(self, of: str) -> random.Random:
        """Return the source of chance for one part of the making."""
        by = "" if self.sender is None else f"/{self.sender}"
        return random.Random(f"{of}/{self.seed}/{self.family}/{self.number}{by}")

    def chance(self) -> Chance:
        """Return the sources of chance for the layout."""
        if self.sender is None:
            return Chance(self.rng("layout"), self.rng("layout of one"))
        return Chance(random.Random(f"form/{self.seed}/{self.family}/{self.sender}"), self.rng("layout of one"))


@functools.lru_cache(maxsize=8)
def organisation(seed: int) -> Organisation:
    """Return an organisation, drawn once."""
    return make_organisation(seed)


def paper(job: Job) -> Paper:
    """Return what the document says."""
    rng, of = job.rng("paper"), organisation(job.seed)
    kinds = family(job.family).kinds
    kind = kinds[(job.number if job.sender is None else job.sender) % len(kinds)]
    items = rng.randrange(*LONG_BILL_ITEMS) if job.family == "bill over pages" else 0
    return make_paper(of, kind, rng, items=items, sender=None if job.sender is None else of.senders[job.sender])


def draw(job: Job) -> list[Sheet]:
    """Return the document's pages as drawn."""
    said, chance = paper(job), job.chance()
    return [*family(job.family).draw(said, chance, DPI), *next_pages(said, chance, DPI, job.more)]


def scans(job: Job) -> list[Scan]:
    """Return the document's pages as scanned."""
    of, rng = family(job.family), job.rng("scan")
    pages = draw(job)
    turn = of.turns[job.number % len(of.turns)]
    made = []
    for i, sheet in enumerate(pages):
        effects = Effects(
            mode=job.mode, skew_degrees=rng.uniform(-1.8, 1.8), rotation=turn, speckle=rng.choice((0.0, 0.1, 0.3)),
            faint=rng.choice((0.0, 0.0, 0.25)), blur_px=rng.choice((0.0, 0.6)), paper=rng.choice((240, 248, 252)),
        )  # fmt: skip
        made.append(scan(sheet.image, sheet.words, DPI, effects, job.number * 10 + i))
    return made
