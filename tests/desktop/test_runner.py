"""The one door to background work: order of changes, superseded queries, errors in words, the end."""

from __future__ import annotations

import gc
import threading
import unittest
import weakref
from unittest import mock

import shiboken6
from PySide6.QtCore import QObject

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.desktop.jobs import collector as collector_module
from keybundle.desktop.jobs.collector import Collector
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters.doing import Doing
from tests.desktop.support import DesktopTest


class Runner(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        self.runner = JobRunner()
        self.addCleanup(self.runner.close)
        self.results: list[object] = []

    def test_results_come_on_the_interface_thread(self) -> None:
        here = threading.get_ident()
        self.runner.query(threading.get_ident, lambda there: self.results.append((there, threading.get_ident())))
        self.until(lambda: self.results)
        there, arrived = self.results[0]  # type: ignore[misc]
        self.assertNotEqual(there, here)
        self.assertEqual(arrived, here)

    def test_qt_objects_in_a_cycle_end_in_the_interface_thread_whoever_makes_garbage(self) -> None:
        Collector(self.runner)
        ended_in: list[int] = []

        class Cycle(QObject):
            def __init__(self) -> None:
                super().__init__()
                self.itself = self

            def __del__(self) -> None:
                ended_in.append(threading.get_ident())

        gc.collect()
        for _ in range(50):
            Cycle()
        # More new objects than all three thresholds together: any automatic run would begin here.
        self.runner.query(lambda: [[n] for n in range(200_000)], self.results.append)
        self.until(lambda: self.results)
        self.until(lambda: len(ended_in) == 50, 10, "the cycles to be collected")
        self.assertEqual(set(ended_in), {threading.get_ident()})

    def test_what_is_there_for_long_is_looked_at_only_while_nobody_is_at_it(self) -> None:
        self.addCleanup(gc.unfreeze)
        hands = [0.0]
        collector = Collector(self.runner, lambda: hands[0])

        class Cycle:
            def __init__(self) -> None:
                self.itself = self

        kept = [Cycle() for _ in range(500)]
        gone = weakref.ref(kept[0])
        with mock.patch.multiple(collector_module, FULL_EVERY_SECONDS=-1.0, WHOLE_EVERY_SECONDS=1e9):
            with mock.patch.object(gc, "get_count", return_value=(0, 0, 1_000_000)):
                collector.collect()
            self.assertGreater(gc.get_freeze_count(), 500, "what outlived a full run is frozen")
            kept.clear()
            with mock.patch.object(gc, "get_count", return_value=(0, 0, 1_000_000)):
                collector.collect()
            self.assertIsNotNone(gone(), "and not looked at again by the next one")
        with mock.patch.multiple(collector_module, WHOLE_EVERY_SECONDS=-1.0, WHOLE_AT_LATEST_SECONDS=1e9):
            collector.collect()
            self.assertIsNotNone(gone(), "nor while somebody types")
            hands[0] = 2.0
            collector.collect()
            self.assertIsNone(gone(), "but once nobody does")

    def test_long_work_of_a_bench_that_is_let_go_goes_on_to_its_end_and_tells_nobody(self) -> None:
        bench, gate, steps = QObject(), threading.Event(), []
        doing = Doing(self.runner, bench)

        def work(tell: Progress, cancel: CancelToken) -> None:
            gate.wait(5)
            for number in range(3):
                tell(Step(number, 3, "Filing"))
                steps.append(number)

        doing.begin("Filing", work, self.results.append, self.results.append)
        self.assertEqual(doing.told, "Filing")
        shiboken6.delete(bench)
        gate.set()
        self.until(lambda: steps == [0, 1, 2], 5, "the work to end")
        self.spin(0.1)
        self.assertEqual(self.results, [])

    def test_a_newer_query_of_the_same_key_drops_the_older(self) -> None:
        gate = threading.Event()
        self.runner.query(lambda: gate.wait(5) and "old", self.results.append, key="page")
        self.runner.query(lambda: "new", self.results.append, key="page")
        self.runner.query(lambda: "other", self.results.append, key="another")
        self.until(lambda: len(self.results) == 2)
        gate.set()
        self.spin(0.2)
        self.assertEqual(sorted(map(str, self.results)), ["new", "other"])

    def test_changes_run_one_after_another(self) -> None:
        order: list[int] = []
        first = threading.Event()

        def slow() -> None:
            first.wait(5)
            order.append(1)

        self.runner.change(slow)
        self.runner.change(lambda: order.append(2), lambda _: self.results.append("done"))
        self.spin(0.1)
        self.assertEqual(order, [])
        first.set()
        self.until(lambda: self.results)
        self.assertEqual(order, [1, 2])

    def test_a_problem_is_told_in_its_words_and_a_fault_is_logged(self) -> None:
        told: list[str] = []
        self.runner.failed.connect(told.append)

        def refuse() -> None:
            raise InputProblem("The page is gone; look again.")

        self.runner.change(refuse, on_error=self.results.append)
        self.until(lambda: self.results)
        self.assertEqual(self.results, ["The page is gone; look again."])
        self.assertEqual(told, [])
        with self.assertLogs("keybundle.desktop.jobs.runner", "ERROR") as log:
            self.runner.query(lambda: 1 // 0, self.results.append)
            self.until(lambda: told)
        self.assertIn("ZeroDivisionError", told[0])
        self.assertIn("What was captured is safe", told[0])
        self.assertIn("ZeroDivisionError", log.output[0])

    def test_a_batchs_changes_run_in_order_and_beside_those_of_others(self) -> None:
        order: list[str] = []
        gate = threading.Event()
        self.runner.change(lambda: gate.wait(60) and order.append("a1"), lane="a")
        self.runner.change(lambda: order.append("a2"), self.results.append, lane="a")
        self.runner.change(lambda: order.append("b1"), self.results.append, lane="b")
        self.until(lambda: self.results)
        self.assertEqual(order, ["b1"])
        gate.set()
        self.until(lambda: len(self.results) == 2)
        self.assertEqual(order, ["b1", "a1", "a2"])

    def test_changes_that_were_asked_for_are_made_before_the_end(self) -> None:
        made: list[int] = []
        gate = threading.Event()
        self.runner.change(lambda: gate.wait(5), lane="a")
        for number in range(5):
            self.runner.change(lambda n=number: made.append(n), lane="a")  # type: ignore[misc]
        threading.Timer(0.1, gate.set).start()
        self.runner.close()
        self.assertEqual(made, [0, 1, 2, 3, 4])

    def test_the_end_waits_for_no_device(self) -> None:
        gate, asked = threading.Event(), threading.Event()
        self.addCleanup(gate.set)

        def hang() -> None:
            asked.set()
            gate.wait(10)
            self.results.append("the device answered")

        self.runner.query(hang, self.results.append, kind="devices")
        asked.wait(5)
        self.runner.close()
        self.assertEqual(self.results, [])

    def test_nothing_is_delivered_to_who_is_gone_and_a_fault_in_a_view_is_told(self) -> None:
        told: list[str] = []
        self.runner.failed.connect(told.append)
        owner = QObject()
        gate = threading.Event()
        self.runner.query(lambda: gate.wait(5), self.results.append, owner=owner)
        shiboken6.delete(owner)
        gate.set()
        with self.assertLogs("keybundle.desktop.jobs.runner", "ERROR"):
            self.runner.query(lambda: 0, lambda found: 1 // found)
            self.until(lambda: told)
        self.assertIn("ZeroDivisionError", told[0])
        self.assertEqual(self.results, [])

    def test_after_the_end_nothing_arrives(self) -> None:
        gate = threading.Event()
        self.runner.long(lambda: gate.wait(5), self.results.append)
        threading.Timer(0.1, gate.set).start()
        self.runner.close()
        self.runner.query(lambda: "late", self.results.append)
        self.spin(0.2)
        self.assertEqual(self.results, [])


if __name__ == "__main__":
    unittest.main()
