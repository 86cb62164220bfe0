"""Papers of the world as a scanner delivers them: drawn by family and number, each the same for the same seed."""

from __future__ import annotations

import functools
import random
from dataclasses import dataclass

from bench.world.families import family
from bench.world.organisation import Organisation, Paper, make_organisation, make_paper
from keybundle.demo.scan import Effects, Scan, scan

DPI = 300
LONG_BILL_ITEMS = (40, 90)


@dataclass(frozen=True)
class Job:
    """A document of the world: which organisation, which family, the number within it, and the picture's mode."""

    seed: int
    family: str
    number: int
    mode: str = "grey"

    def rng(self, of: str) -> random.Random:
        """Return the source of chance for one part of the making."""
        return random.Random(f"{of}/{self.seed}/{self.family}/{self.number}")


@functools.lru_cache(maxsize=8)
def organisation(seed: int) -> Organisation:
    """Return an organisation, drawn once."""
    return make_organisation(seed)


def paper(job: Job) -> Paper:
    """Return what the document says."""
    rng = job.rng("paper")
    kinds = family(job.family).kinds
    items = rng.randrange(*LONG_BILL_ITEMS) if job.family == "bill over pages" else 0
    return make_paper(organisation(job.seed), kinds[job.number % len(kinds)], rng, items=items)


def scans(job: Job) -> list[Scan]:
    """Return the document's pages as scanned."""
    of, rng = family(job.family), job.rng("scan")
    pages = of.draw(paper(job), job.rng("layout"), DPI)
    turn = of.turns[job.number % len(of.turns)]
    made = []
    for i, sheet in enumerate(pages):
        effects = Effects(
            mode=job.mode, skew_degrees=rng.uniform(-1.8, 1.8), rotation=turn, speckle=rng.choice((0.0, 0.1, 0.3)),
            faint=rng.choice((0.0, 0.0, 0.25)), blur_px=rng.choice((0.0, 0.6)), paper=rng.choice((240, 248, 252)),
        )  # fmt: skip
        made.append(scan(sheet.image, sheet.words, DPI, effects, job.number * 10 + i))
    return made
