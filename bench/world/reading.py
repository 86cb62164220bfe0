"""How many words are read wrong, by family and mode, beside the bare engine on the same pages upright and straight."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from PIL import Image

from bench.world.digital import write_pdf
from bench.world.families import FAMILIES, JUDGED_ONLY
from bench.world.papers import DPI, Job, draw, scans
from bench.world.seeds import take_fresh_seed
from bench.yardstick import WORKERS
from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.judge import judge
from keybundle.core.imaging.picture import from_pil
from keybundle.core.imaging.render import straighten
from keybundle.core.reading.born import read_text_layer
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.languages import find_language_data
from keybundle.core.reading.upright import tell_upright

MODES = ("grey", "1-bit")
A_FAMILY, MANY_WORDS, WORSE = 10, 100, 0.02


@dataclass(frozen=True)
class Read:
    """A page that was read by us and by the bare engine: its words, those each had wrong, and the seconds of each."""

    family: str
    mode: str
    words: int
    ours: int
    bare: int
    our_seconds: float
    bare_seconds: float
    is_turned_right: bool


def count_wrong(truth: Iterable[str], read: Iterable[str]) -> int:
    """Return how many of the true words stand nowhere among those that were read; their order does not count."""
    return sum((Counter(truth) - Counter(read)).values())


def read_document(job: Job) -> list[Read]:
    """Read the pages of a document both ways."""
    import tesserocr

    bare = tesserocr.PyTessBaseAPI(path=find_language_data(), lang="eng", psm=tesserocr.PSM.AUTO)
    found = []
    for made in scans(job):
        picture, truth = from_pil(made.image, DPI), [w.text for w in made.words]
        start = time.perf_counter()
        text = read_page(picture, made.frame, get_engine("eng"), Steps())
        middle = time.perf_counter()
        bare.SetImage(Image.fromarray(straighten(picture, made.frame)))
        bare.SetSourceResolution(DPI)
        said, end = bare.GetUTF8Text().split(), time.perf_counter()
        turned = tell_upright(picture, judge(picture), get_engine("eng"))
        found.append(Read(
            job.family, job.mode, len(truth), count_wrong(truth, (w.text for w in text.words)), count_wrong(truth, said),
            middle - start, end - middle, turned == made.frame.rotation,
        ))  # fmt: skip
    return found


def read_digital(job: Job) -> tuple[int, int]:
    """Return (words, of these wrong) of a paper as a program writes it, by the text of the file."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    sheets = draw(job)
    write_pdf(sheets, folder / "paper.pdf")
    words = wrong = 0
    for i, sheet in enumerate(sheets):
        text = read_text_layer(folder / "paper.pdf", i, Frame(*sheet.image.size), DPI)
        words += len(sheet.words)
        wrong += count_wrong((w.text for w in sheet.words), (w.text for w in text.words) if text else ())
    shutil.rmtree(folder)
    return words, wrong


def read_all(jobs: list[Job]) -> list[Read]:
    """Read documents in worker processes."""
    with get_context("spawn").Pool(WORKERS) as pool:
        return [page for pages in pool.map(read_document, jobs, chunksize=2) for page in pages]


def tell_digital(seed: int, each: int) -> str:
    """Return the line of papers that were never printed; every second one goes on over more pages."""
    jobs = [Job(seed, f.name, n, more=n % 2) for f in FAMILIES for n in range(each)]
    found = [read_digital(job) for job in jobs]
    words, wrong = (sum(x) for x in zip(*found, strict=True))
    return f"| written by a program, every family | {len(jobs)} papers | {wrong / words:.2%} | | | | |"


def tell(name: str, pages: list[Read]) -> str:
    """Return a line of the table."""
    words = sum(p.words for p in pages)
    many = [p for p in pages if p.words >= MANY_WORDS]
    worse = sum((p.ours - p.bare) / p.words > WORSE for p in many)
    share = f"{worse} of {len(many)}" if many else "none has so many"
    ratio = sum(p.our_seconds for p in pages) / sum(p.bare_seconds for p in pages)
    median = statistics.median(p.ours / p.words for p in pages)
    return (
        f"| {name} | {len(pages)} | {sum(p.ours for p in pages) / words:.1%} (median {median:.1%}) "
        f"| {sum(p.bare for p in pages) / words:.1%} | {share} | {ratio:.2f} "
        f"| {sum(p.is_turned_right for p in pages)} of {len(pages)} |"
    )


def measure_world_reading(seed: int | None = None, each: int = A_FAMILY) -> list[str]:
    """The table by family, on a fresh judging seed unless a seed is given."""
    told = f"development seed {seed}"
    if seed is None:
        seed, told = take_fresh_seed("reading")
    jobs = [Job(seed, f.name, n, MODES[n % 2], more=int(n % 5 == 4)) for f in FAMILIES for n in range(each)]
    pages = read_all(jobs)
    lines = [
        f"Reading the broad world at {DPI} dpi, {told}. Words wrong: true words that stand nowhere in what was read.", "",
        "| family | pages | ours wrong | bare engine, upright and straight | over 2 points worse, of those with 100 words "
        "| time to the bare engine | turned right |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    for f in FAMILIES:
        name = f"{f.name} (judged only)" if f.name in JUDGED_ONLY else f.name
        lines.append(tell(name, [p for p in pages if p.family == f.name]))
    for mode in MODES:
        lines.append(tell(f"all, {mode}", [p for p in pages if p.mode == mode]))
    return [*lines, tell("**all**", pages), tell_digital(seed, 2)]


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_reading(*map(int, sys.argv[1:]))))
