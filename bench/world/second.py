"""How two readers read the values of papers: each alone, and how far what both say can be trusted."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from multiprocessing import get_context

from bench.world.families import FAMILIES
from bench.world.papers import DPI, Job, draw, paper, scans
from bench.world.reading import MODES
from bench.world.seeds import take_fresh_seed
from bench.world.setup import kind_of
from bench.yardstick import WORKERS
from keybundle.core.base.boxes import Box
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.second import get_line_reader, read_lines
from keybundle.demo.paper import PlacedWord

A_FAMILY = 8


@dataclass(frozen=True)
class Twice:
    """A value on paper as it stands there and as the two readers have it, and the second one's seconds."""

    kind: str
    truth: str
    first: str
    second: str
    seconds: float


def find_value(shown: str, words: Sequence[PlacedWord]) -> Box | None:
    """Return the box of a value's first place among the words of a page."""
    wanted = shown.split()
    for at in range(len(words) - len(wanted) + 1):
        run = words[at : at + len(wanted)]
        if [w.text for w in run] == wanted:
            boxes = [w.box for w in run]
            return (
                min(b[0] for b in boxes),
                min(b[1] for b in boxes),
                max(b[2] for b in boxes),
                max(b[3] for b in boxes),
            )
    return None


def read_twice(job: Job) -> list[Twice]:
    """Read the values of a document's first page with both readers."""
    made, said = scans(job)[0], paper(job)
    if draw(job)[0].image.size != (made.frame.upright_size):
        return []
    picture = from_pil(made.image, DPI)
    text = read_page(picture, made.frame, get_engine("eng"), Steps())
    found = []
    for value in said.values:
        box = find_value(value.shown, made.words)
        if box is None:
            continue
        inside = [w.text for w in text.words if _lies_in(w.box, box)]
        start = time.perf_counter()
        (again,) = read_lines(picture, made.frame, [box], get_line_reader())
        found.append(Twice(kind_of(value.part), value.shown, " ".join(inside), again.text, time.perf_counter() - start))
    return found


def _lies_in(word: Box, box: Box) -> bool:
    x, y = (word[0] + word[2]) / 2, (word[1] + word[3]) / 2
    return box[0] <= x <= box[2] and box[1] <= y <= box[3]


def _plain(text: str) -> str:
    """Return the letters and digits alone: spaces and signs of currency are not what the second reader is for."""
    return "".join(c for c in text.casefold() if c.isalnum() or c in ".,-/")


def _tell(name: str, values: list[Twice], which: Callable[[Twice], bool]) -> str:
    chosen = [v for v in values if which(v)]
    right = [(_plain(v.first) == _plain(v.truth), _plain(v.second) == _plain(v.truth)) for v in chosen]
    alike = [v for v in chosen if _plain(v.first) == _plain(v.second)]
    wrong = sum(_plain(v.first) != _plain(v.truth) for v in alike)
    slips = [s for f, s in right if not f]
    return (
        f"| {name} | {len(chosen)} | {sum(f for f, _ in right) / len(chosen):.1%} | {sum(s for _, s in right) / len(chosen):.1%} "
        f"| {sum(slips)} of {len(slips)} | {len(alike) / len(chosen):.1%} | {wrong} of {len(alike)} |"
    )


def measure_world_second(seed: int | None = None, each: int = A_FAMILY) -> list[str]:
    """The table by kind of value, on a fresh judging seed unless a seed is given."""
    told = f"development seed {seed}"
    if seed is None:
        seed, told = take_fresh_seed("second")
    jobs = [Job(seed, f.name, n, MODES[n % 2]) for f in FAMILIES for n in range(each)]
    with get_context("spawn").Pool(WORKERS) as pool:
        values = [v for found in pool.map(read_twice, jobs, chunksize=2) for v in found]
    by_kind = {kind: (lambda v, kind=kind: v.kind == kind) for kind in ("amount", "date", "code", "words")}
    return [
        f"Two readers on the values of the broad world, {told}; the second takes "
        f"{1000 * sum(v.seconds for v in values) / len(values):.0f} ms a value. Spaces and currencies do not count.", "",
        "| values | asked | first reader right | second right | slips that the second has right | both say the same "
        "| of these wrong |",
        "| --- | --- | --- | --- | --- | --- | --- |",
        *(_tell(name, values, which) for name, which in by_kind.items()), _tell("**all**", values, lambda v: True),
    ]  # fmt: skip


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_second(*map(int, sys.argv[1:]))))
