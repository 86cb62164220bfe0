"""Many kills by hand: ``scripts/soak [KILLS [SEED]]``; the seed is printed so that a finding can be made again."""

from __future__ import annotations

import random
import shutil
import sys
import tempfile
from pathlib import Path

from tests.flows.crashes import run_kills
from tests.support import demo_template, shared_pool


def main(kills: int = 500, seed: int | None = None) -> int:
    """Kill so often, print what is wrong, return the exit status."""
    seed = random.randrange(10**6) if seed is None else seed
    print(f"{kills} kills, seed {seed}", flush=True)
    data = Path(tempfile.mkdtemp(prefix="keybundle-soak-")) / "data"
    shutil.copytree(demo_template(), data)
    wrong = run_kills(data, kills, seed, shared_pool())
    print("\n".join(wrong) or "nothing lost, nothing filed twice")
    shutil.rmtree(data.parent)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
