"""Many kills and many steps by hand: ``scripts/soak [KILLS [STEPS [SEED]]]``; the seed is printed, to make a finding again.

The steps are shared out between two processes.
"""

from __future__ import annotations

import random
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from hypothesis import seed as seeded
from hypothesis.stateful import run_state_machine_as_test

from tests.flows.conservation import Conservation, profile
from tests.flows.crashes import run_keeping_kills, run_kills
from tests.support import ROOT, demo_template, shared_pool

STEPS_A_RUN, STEPS_A_ROUND = 50, 2_000


def make_steps(steps: int, seed: int) -> None:
    """Make so many steps of the state machine over the account of sides; raises AssertionError for a loss."""
    for number, done in enumerate(range(0, steps, STEPS_A_ROUND)):
        runs = max(1, min(STEPS_A_ROUND, steps - done) // STEPS_A_RUN)
        machine = seeded(seed + 1000 * number)(type("Round", (Conservation,), {}))
        found = profile(runs, STEPS_A_RUN, derandomize=False)
        run_state_machine_as_test(machine, settings=found)  # type: ignore[no-untyped-call]
        print(f"{done + runs * STEPS_A_RUN:,} steps of seed {seed} lost nothing", flush=True)


def main(kills: int = 300, steps: int = 100_000, seed: int | None = None) -> int:
    """Kill so often, make so many steps, print what is wrong, return the exit status."""
    seed = random.randrange(10**6) if seed is None else seed
    print(f"{kills} kills, {steps:,} steps, seed {seed}", flush=True)
    start = time.monotonic()
    halves = [
        subprocess.Popen(
            [sys.executable, "-m", "tests.flows.soak", "--steps", str(steps // 2), str(seed + i)], cwd=ROOT
        )
        for i in (range(2) if steps else ())
    ]
    failed = [half.wait() for half in halves]
    if halves:
        told = "lost nothing" if not any(failed) else "FOUND A LOSS, see above"
        print(f"{steps:,} steps {told}, in {time.monotonic() - start:.0f} s", flush=True)
    start = time.monotonic()
    data = Path(tempfile.mkdtemp(prefix="keybundle-soak-")) / "data"
    shutil.copytree(demo_template(), data)
    wrong = run_kills(data, kills, seed, shared_pool()) if kills else []
    wrong += run_keeping_kills(data, kills // 3, seed) if kills else []
    print("\n".join(wrong) or f"{kills} kills: nothing lost, nothing filed twice, in {time.monotonic() - start:.0f} s")
    shutil.rmtree(data.parent)
    return 1 if wrong or any(failed) else 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["--steps"]:
        make_steps(int(sys.argv[2]), int(sys.argv[3]))
    else:
        sys.exit(main(*map(int, sys.argv[1:])))
