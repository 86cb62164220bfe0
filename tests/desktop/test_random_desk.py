"""Random hands in the window lose nothing; ``python -m tests.desktop.random_hands RUNS SEED`` makes as many runs as asked."""

from __future__ import annotations

from tests.desktop.random_hands import RandomHands
from tests.support import SEED, sampled

RUNS = sampled(14, 4)


class Hands(RandomHands):
    def test_what_is_typed_ends_where_it_was_meant_and_each_side_is_in_one_place(self) -> None:
        self.begin_window()
        for number in range(RUNS):
            self.run_once(SEED + number)
        self.assertGreater(self.did["typing"], RUNS)
