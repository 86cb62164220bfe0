"""A pulled plug costs no page and files nothing twice: kill -9 at random moments; scripts/soak kills more often."""

from __future__ import annotations

from tests.flows.crashes import run_keeping_kills, run_kills
from tests.support import SEED, DataTest, sampled, shared_pool


class Kills(DataTest):
    def test_what_comes_in(self) -> None:
        self.assertEqual(run_kills(self.demo_data(), sampled(12, 1), sampled(2026, SEED), shared_pool()), [])

    def test_what_is_kept(self) -> None:
        self.assertEqual(run_keeping_kills(self.demo_data(), sampled(8, 2), sampled(1127, SEED)), [])
