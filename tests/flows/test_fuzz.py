"""A minute of mutated inputs with a seed of its own each day; scripts/fuzz goes on for longer."""

from __future__ import annotations

import os
import time
import unittest

from tests.flows.fuzz import run
from tests.support import shared_pool

SECONDS = 60.0


class Fuzz(unittest.TestCase):
    def test_nothing_crashes_hangs_or_goes_missing(self) -> None:
        seed = int(os.environ.get("KEYBUNDLE_FUZZ_SEED", int(time.time()) // 86_400))
        print(f"fuzz seed {seed}", flush=True)
        tried, wrong = run(SECONDS, seed, shared_pool())
        self.assertEqual(wrong, [])
        self.assertGreater(tried, 50)
