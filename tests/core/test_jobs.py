"""The worker pool: priorities, problems in words, a crash and a hang that cost one item."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock

from keybundle.core.base.errors import EnvironmentProblem, InputProblem, WorkerBug
from keybundle.core.jobs.pool import Pool, WorkerCrash
from tests.core import job_samples

HERE = job_samples.__name__


def _runs(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


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

        with mock.patch("keybundle.core.jobs.stem.subprocess.Popen", scarce):
            with self.assertRaisesRegex(EnvironmentProblem, "out of memory"):
                self.pool.submit(f"{HERE}:double", 1).result(30)
            self.assertEqual(self.pool.submit(f"{HERE}:double", 2).result(30), 4)

    def test_what_the_stem_takes_along_when_it_dies_is_done_once_more(self) -> None:
        stems = [self.pool.submit(f"{HERE}:parent").result(30)]
        resting = self.pool.submit(f"{HERE}:rest", 1.0)
        time.sleep(0.3)
        os.kill(stems[0], signal.SIGKILL)
        resting.result(30)
        stems.append(self.pool.submit(f"{HERE}:parent").result(30))
        self.assertNotEqual(*stems)
        other = Pool(2)
        self.addCleanup(other.close)
        other.warm_up([f"{HERE}:dawdle"])
        waiting = [other.submit(f"{HERE}:double", n) for n in range(3)]
        time.sleep(0.5)
        assert other._stem._process is not None
        other._stem._process.kill()  # while it loads
        self.assertEqual([future.result(30) for future in waiting], [0, 2, 4])
        fresh = Pool(2)
        self.addCleanup(fresh.close)
        fresh.warm_up([HERE])
        assert fresh._stem._process is not None
        fresh._stem._process.kill()
        fresh._stem._process.wait()
        with mock.patch.object(
            fresh._stem._process, "poll", return_value=None
        ):  # it is dying, and not known to be gone
            waiting = [fresh.submit(f"{HERE}:double", n) for n in range(3)]
            self.assertEqual([future.result(30) for future in waiting], [0, 2, 4])
        killer = self.pool.submit(
            f"{HERE}:kill_parent"
        )  # who brings it down each time is told so, and the rest goes on
        with self.assertRaisesRegex(WorkerCrash, "brought its worker down"):
            killer.result(30)
        self.assertEqual(self.pool.submit(f"{HERE}:double", 2).result(30), 4)

    def test_a_worker_finds_loaded_what_was_named_and_a_light_task_does_not_wait_for_it(self) -> None:
        names = [f"{HERE}:dawdle", "no.such.module", f"{HERE}:note"]
        self.pool.warm_up([f"{HERE}:note", *names], light=[HERE])
        time.sleep(0.5)
        self.assertEqual(self.pool.submit(f"{HERE}:double", 1).result(30), 2)
        self.assertEqual(self.pool.submit(f"{HERE}:noted").result(30), 1, "it is begun with what was loaded by then")
        other = Pool(1)
        self.addCleanup(other.close)
        other.warm_up(names)
        self.assertEqual(other.submit(f"{HERE}:noted").result(30), 1)

    def test_of_workers_begun_together_each_ends_alone(self) -> None:
        pool = Pool(3)
        self.addCleanup(pool.close)
        pool.warm_up([f"{HERE}:dawdle"])
        for _ in range(2):
            crash, others = pool.submit(f"{HERE}:die"), [pool.submit(f"{HERE}:rest", 3.0) for _ in range(2)]
            with self.assertRaisesRegex(WorkerCrash, "brought its worker down"):
                crash.result(4.5)  # seen by its socket, long before its time is over
            for other in others:
                other.result(30)

    def test_nothing_outlives_whoever_has_the_pool(self) -> None:
        code = (
            "import os, sys\nfrom keybundle.core.jobs.pool import Pool\npool = Pool(2)\n"
            f"print(pool.submit('{HERE}:parent').result(30), pool.submit('{HERE}:own').result(30), flush=True)\n"
            f"pool.submit('{HERE}:hang')\nsys.stdin.readline()"
        )
        child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True)
        assert child.stdout is not None
        pids = [int(p) for p in child.stdout.readline().split()]
        child.kill()
        child.communicate()
        end = time.monotonic() + 10
        while time.monotonic() < end and any(_runs(p) for p in pids):
            time.sleep(0.05)
        self.assertEqual((len(pids), [p for p in pids if _runs(p)]), (2, []))

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
