"""A pulled plug costs no page and files nothing twice: kill -9 at random moments; scripts/soak kills more often."""

from __future__ import annotations

from tests.flows.crashes import run_keeping_kills, run_kills
from tests.support import DataTest, shared_pool


class Kills(DataTest):
    def test_twelve_kills(self) -> None:
        self.assertEqual(run_kills(self.demo_data(), 12, 2026, shared_pool()), [])

    def test_five_kills_of_what_is_kept(self) -> None:
        self.assertEqual(run_keeping_kills(self.demo_data(), 5, 1127), [])
