"""The worker pool: priorities, problems in words, a crash and a hang that cost one item."""

from __future__ import annotations

import errno
import subprocess
import time
import unittest
from unittest import mock

from keybundle.core.base.errors import EnvironmentProblem, InputProblem, WorkerBug
from keybundle.core.jobs.pool import Pool, WorkerCrash
from tests.core import job_samples

HERE = job_samples.__name__


class Workers(unittest.TestCase):
    def setUp(self) -> None:
        self.pool = Pool(1)
        self.addCleanup(self.pool.close)

    def test_results_problems_and_bugs(self) -> None:
        self.assertEqual(self.pool.submit(f"{HERE}:double", 21).result(30), 42)
        with self.assertRaisesRegex(InputProblem, "this page is torn"):
            self.pool.submit(f"{HERE}:complain").result(30)
        with self.assertLogs(level="ERROR") as told, self.assertRaisesRegex(WorkerBug, "its bytes are kept"):
            self.pool.submit(f"{HERE}:divide").result(30)
        self.assertIn("ZeroDivisionError", told.output[0])
        with self.assertRaisesRegex(InputProblem, "more memory"):
            self.pool.submit(f"{HERE}:swallow").result(60)

    def test_a_crash_and_a_hang_cost_one_item(self) -> None:
        crash, hang, good = (
            self.pool.submit(f"{HERE}:die"), self.pool.submit(f"{HERE}:hang", limit_seconds=1),
            self.pool.submit(f"{HERE}:double", 2),
        )  # fmt: skip
        with self.assertRaisesRegex(WorkerCrash, "brought its worker down"):
            crash.result(30)
        with self.assertRaisesRegex(WorkerCrash, "took too long"):
            hang.result(30)
        self.assertEqual(good.result(30), 4)

    def test_a_worker_that_cannot_be_started_costs_its_task_alone(self) -> None:
        start = subprocess.Popen
        fails = iter([OSError(errno.ENOMEM, "Cannot allocate memory")])

        def scarce(*args: object, **more: object) -> object:
            for error in fails:
                raise error
            return start(*args, **more)  # type: ignore[call-overload]

        with mock.patch("keybundle.core.jobs.pool.subprocess.Popen", scarce):
            with self.assertRaisesRegex(EnvironmentProblem, "out of memory"):
                self.pool.submit(f"{HERE}:double", 1).result(30)
            self.assertEqual(self.pool.submit(f"{HERE}:double", 2).result(30), 4)

    def test_the_page_on_screen_goes_first(self) -> None:
        self.pool.submit(f"{HERE}:double", 0).result(30)
        order: list[str] = []
        busy = self.pool.submit(f"{HERE}:rest", 0.5)
        time.sleep(0.1)
        waiting = [
            self.pool.submit(f"{HERE}:double", 1, priority=p, key=name)
            for name, p in (("late", 3), ("first", 2), ("seen", 3))
        ]
        for future, name in zip(waiting, ("late", "first", "seen"), strict=True):
            future.add_done_callback(lambda _, n=name: order.append(n))
        self.pool.reprioritise(lambda key: 0 if key == "seen" else None)
        busy.result(30)
        for future in waiting:
            future.result(30)
        time.sleep(0.1)
        self.assertEqual(order, ["seen", "first", "late"])
