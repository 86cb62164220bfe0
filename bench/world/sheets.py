"""Where documents begin: sheets of files that hold fronts and backs, and known first pages among the pages of long documents."""

from __future__ import annotations

import json
import random
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path

from PIL import Image

from bench.world.families import FAMILIES
from bench.world.papers import DPI, Job, organisation, scans
from bench.world.readings import read_jobs
from bench.world.seeds import take_fresh_seed
from bench.world.sides import make_side
from bench.yardstick import run_cli
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.look import look_at
from keybundle.core.proposing.memory import Memory
from keybundle.core.reading.text import PageText

SENDERS, TAUGHT, ASKED = 12, 8, 4
FILES, SHEETS_A_FILE = 4, 10
ROUTINE = """
[[routines]]
name = "Sheets in files"
sign = "SF"
source = "files"
duplex = true
[[routines.separation.rules]]
rule = "every n sheets"
sheets = 1
"""


def forms(seed: int) -> list[tuple[Job, Job]]:
    """Return a first and a second form of each sender, of two kinds of papers, as the number 0 of each."""
    rng = random.Random(f"forms/{seed}")
    found = []
    for sender in range(SENDERS):
        first, second = rng.sample([f for f in FAMILIES if f.turns == (0,)], 2)
        found.append((Job(seed, first.name, 0, sender=sender), Job(seed, second.name, 0, sender=sender)))
    return found


def papers_of(form: Job, first: int, count: int) -> list[Job]:
    """Return documents on a form; of four two go on over more pages, and they come grey and 1-bit in turn."""
    return [
        Job(form.seed, form.family, n, ("grey", "1-bit")[n % 2], form.sender, (0, 1, 0, 3)[n % 4])
        for n in range(first, first + count)
    ]


def memory_of(documents: Sequence[tuple[Job, list[PageText]]]) -> Memory:
    """Return what filing these documents teaches about first pages, each form under a type of its own kind of paper."""
    return Memory.of([
        Example(number * 20 + i, str(number), job.family, i, look_at(page))
        for number, (job, pages) in enumerate(documents)
        for i, page in enumerate(pages)
    ])  # fmt: skip


def _count_first(memory: Memory, documents: Sequence[list[PageText]]) -> tuple[int, int, int, int]:
    """Return (first pages found, first pages, next pages taken for first ones, next pages)."""
    said = [[bool(memory.tell_first_page(page)) for page in pages] for pages in documents]
    return sum(s[0] for s in said), len(said), sum(sum(s[1:]) for s in said), sum(len(s) - 1 for s in said)


def measure_first_pages(seed: int) -> list[str]:
    """First pages found after eight documents of each sender's first form, and of both forms."""
    pairs = forms(seed)
    taught = [[j for pair in pairs for j in papers_of(pair[which], 0, TAUGHT)] for which in (0, 1)]
    asked = [[j for pair in pairs for j in papers_of(pair[which], 100, ASKED)] for which in (0, 1)]
    read = dict(zip((every := [*taught[0], *taught[1], *asked[0], *asked[1]]), read_jobs(every), strict=True))
    lines = []
    for told, jobs in (("the first form of each sender", taught[0]), ("both forms", [*taught[0], *taught[1]])):
        memory = memory_of([(j, read[j]) for j in jobs])
        for which, name in enumerate(("first", "second")):
            found, firsts, false, others = _count_first(memory, [read[j] for j in asked[which]])
            right = f"{found / (found + false):.1%}" if found + false else "none said"
            lines.append(
                f"| {TAUGHT} documents of {told} confirmed; new papers on the {name} form | {found} of {firsts} "
                f"| {false} of {others} | {right} |"
            )
    return lines


def _make_file(path: Path, seed: int, number: int, rng: random.Random) -> list[bool]:
    """Write one file of fronts and backs; return for each of its pages whether its sheet's document begins there."""
    sides: list[Image.Image] = []
    plain = [
        f.name
        for f in FAMILIES
        if f.turns == (0,) and f.name not in ("till receipt", "bill over pages", "prose agreement")
    ]
    for sheet in range(SHEETS_A_FILE):
        at = number * SHEETS_A_FILE + sheet
        pages = scans(
            Job(seed, rng.choice(plain), at, "grey", at % len(organisation(seed).senders), rng.choice((0, 1)))
        )[:2]
        sides += [page.image.convert("L") for page in pages]
        if len(pages) < 2:
            sides.append(Image.fromarray(make_side(seed, 4 * at, marked=False).picture.pixels).convert("L"))
    sides[0].save(path, "TIFF", compression="tiff_deflate", save_all=True, append_images=sides[1:], dpi=(DPI, DPI))
    return [i % 2 == 0 for i in range(len(sides))]


def measure_files(seed: int) -> list[str]:
    """Breaks of files that hold both sides of each sheet, one document a sheet, through the command line."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    rng = random.Random(f"files/{seed}")
    data, setup, report = folder / "data", folder / "setup.toml", folder / "report.json"
    run_cli("--data", data, "init-demo", "--documents", "0", "--sheets", "0")
    run_cli("--data", data, "setup", "export", setup)
    setup.write_text(setup.read_text() + ROUTINE)
    run_cli("--data", data, "setup", "import", setup)
    paths = [folder / f"{n:02d}.tif" for n in range(FILES)]
    wanted = [x for n, path in enumerate(paths) for x in _make_file(path, seed, n, rng)]
    run_cli("--data", data, "capture", "--routine", "Sheets in files", "--report", report, *paths)
    told = json.loads(report.read_text())
    begun = {d["pages"][0] for d in told["documents"]}
    truth = {i for i, starts in enumerate(wanted) if starts}
    blank = sum(p["reason"] == "blank" for p in told["pages"])
    right = len(begun & truth)
    shutil.rmtree(folder)
    return [
        f"| {FILES} files of {SHEETS_A_FILE} sheets, fronts and backs, one document a sheet: breaks "
        f"| F1 {2 * right / (len(begun) + len(truth)):.3f} | {len(begun - truth)} too many | {blank} blank backs left out |"
    ]


def measure_world_sheets(seed: int | None = None) -> list[str]:
    """The table of breaks, on a fresh judging seed unless a seed is given."""
    told = f"development seed {seed}"
    if seed is None:
        seed, told = take_fresh_seed("sheets")
    return [
        f"Where documents begin in the broad world, {told}.", "",
        "| papers | first pages found (aim: 95 %) | next pages taken for first ones | right of those said (aim: 99 %) |",
        "| --- | --- | --- | --- |", *measure_first_pages(seed), *measure_files(seed),
    ]  # fmt: skip


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_sheets(*map(int, sys.argv[1:]))))
