"""The judging seeds that were used, and how often: a published figure is on a seed that nobody has looked at."""

from __future__ import annotations

import json
from pathlib import Path

USED = Path(__file__).with_name("used.json")
FIRST_JUDGING_SEED = 10_000


def take_fresh_seed(what: str) -> tuple[int, str]:
    """Return a judging seed that was not used yet, and what is to be printed of it; it counts as used from now on."""
    used: dict[str, list[str]] = json.loads(USED.read_text()) if USED.exists() else {}
    seed = max([FIRST_JUDGING_SEED - 1, *map(int, used)]) + 1
    used[str(seed)] = [what]
    USED.write_text(json.dumps(used, indent=1) + "\n")
    return seed, f"seed {seed}, used for the first time"
