"""How many blank sides are found among dust, fibres, holes and show-through, and how many marked ones are lost."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import get_context

from bench.world.seeds import take_fresh_seed
from bench.world.sides import DIRT, MARKS, MODES, make_side
from bench.yardstick import WORKERS
from keybundle.core.imaging.judge import judge

SIDES = 1000


@dataclass(frozen=True)
class Judged:
    """A side that was judged: what is on it (no mark: blank), what was said, and the seconds it took."""

    dirt: str
    mark: str | None
    mode: str
    said_blank: bool
    seconds: float


def judge_side(job: tuple[int, int, bool]) -> Judged:
    """Make a side (seed, number, whether marked) and judge it."""
    seed, number, marked = job
    side = make_side(seed, number, marked=marked)
    start = time.perf_counter()
    found = judge(side.picture)
    return Judged(side.dirt, side.mark, side.mode, found.is_blank, time.perf_counter() - start)


def _tell(name: str, sides: list[Judged], which: Callable[[Judged], bool]) -> str:
    blank, marked = ([s for s in sides if which(s) and (s.mark is None) == want] for want in (True, False))
    found = f"{sum(s.said_blank for s in blank)} of {len(blank)}" if blank else ""
    lost = f"{sum(s.said_blank for s in marked)} of {len(marked)}" if marked else ""
    return f"| {name} | {found} | {lost} |"


def measure_world_blank(seed: int | None = None, count: int = SIDES) -> list[str]:
    """The table by dirt, mark and mode, on a fresh judging seed unless a seed is given."""
    told = f"development seed {seed}"
    if seed is None:
        seed, told = take_fresh_seed("blank")
    jobs = [(seed, n, marked) for marked in (False, True) for n in range(count)]
    with get_context("spawn").Pool(WORKERS) as pool:
        sides = pool.map(judge_side, jobs, chunksize=8)
    by_dirt = {f"with {d}" if d != "clean" else d: (lambda s, d=d: s.dirt == d) for d in DIRT}
    by_mark = {m: (lambda s, m=m: s.mark == m) for m in MARKS}
    by_mode = {f"all, {m}": (lambda s, m=m: s.mode == m) for m in sorted(set(MODES))}
    return [
        f"Blank sides of the broad world, {told}; {1000 * sum(s.seconds for s in sides) / len(sides):.0f} ms a side.", "",
        "| sides | blank ones found | marked ones lost |", "| --- | --- | --- |",
        *(_tell(name, sides, which) for name, which in {**by_dirt, **by_mark, **by_mode}.items()),
        _tell("**all** (aim: 99 % found, none lost)", sides, lambda s: True),
    ]  # fmt: skip


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_blank(*map(int, sys.argv[1:]))))
