"""Each captured side is in exactly one place, whatever is done in whatever order; scripts/soak makes many more steps."""

from __future__ import annotations

import unittest

from hypothesis.stateful import run_state_machine_as_test

from tests.flows.conservation import Conservation, profile
from tests.support import sampled

RUNS, STEPS = sampled(24, 4), 50


class Account(unittest.TestCase):
    def test_no_step_loses_a_side(self) -> None:
        run_state_machine_as_test(Conservation, settings=profile(RUNS, STEPS))  # type: ignore[no-untyped-call]
