"""A pulled plug costs no page and files nothing twice: kill -9 at 50 random moments."""

from __future__ import annotations

from tests.flows.crashes import run_kills
from tests.support import DataTest, shared_pool


class Kills(DataTest):
    def test_fifty_kills(self) -> None:
        self.assertEqual(run_kills(self.demo_data(), 50, 2026, shared_pool()), [])
