"""Some mutated inputs with a fixed seed, and what was found before; scripts/fuzz goes on with the day's seed."""

from __future__ import annotations

import random
import tempfile
import unittest
from pathlib import Path

from tests.flows.fuzz import fuzz_file, fuzz_whole_setup, run, seeds
from tests.support import sampled, shared_pool

INPUTS, SETUPS, SEED = sampled(40, 12), sampled(3000, 600), 20_783


class Fuzz(unittest.TestCase):
    def test_nothing_crashes_hangs_or_goes_missing(self) -> None:
        tried, wrong = run(120.0, SEED, shared_pool(), INPUTS)
        self.assertEqual(wrong, [])
        self.assertGreater(tried, sampled(10, 5))

    def test_good_files_come_through(self) -> None:
        # Small pictures, 16 bits a px in either order, bare JPEG 2000 among them; refused were two of these before.
        with tempfile.TemporaryDirectory(prefix="keybundle-fuzz-") as folder:
            for number, data in enumerate(seeds()):
                refused: list[str] = []
                told = fuzz_file(shared_pool(), Path(folder), data, f"good {number}", refused)
                self.assertEqual((told, refused), ("", []), number)

    def test_a_set_up_that_passes_proposes_settles_and_files(self) -> None:
        rng, passed = random.Random(SEED), 0
        for _ in range(SETUPS):
            told, did_pass = fuzz_whole_setup(rng)
            self.assertEqual(told, "")
            passed += did_pass
        self.assertGreater(passed, sampled(20, 4))
