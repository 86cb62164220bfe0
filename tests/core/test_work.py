"""What is due or in hand: taken once, told, tried again, whoever is at it, whatever the clock does, whatever one piece is."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest import mock

from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import A_BUG, Passing
from keybundle.core.store import work
from keybundle.core.store.work import Taken
from keybundle.core.workflows.session.behind import Behind, Duty, as_due_work, do_due, in_hand, tell_waiting
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest

KIND, TOLD = "copy", "copies.wait"


class Due(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.later = timedelta()
        clock = Clock(now=lambda: datetime.now(UTC) + self.later)
        self.ws: Workspace = open_workspace(self.folder / "data", clock=clock)
        self.addCleanup(self.ws.close)
        self.did: list[str] = []

    def note(self, *refs: str) -> None:
        with self.ws.place.database.atomic() as c:
            for ref in refs:
                work.due(c, self.ws.clock.stamp(), KIND, ref)

    def rows(self) -> list[Taken]:
        with self.ws.place.database.read() as c:
            return work.list_work(c, KIND)

    def duty(self, finish: Any = None, **more: Any) -> Duty:
        def usual(taken: Taken, outcome: Any) -> None:
            self.did.append(taken.ref)
            with self.ws.place.database.atomic() as c:
                work.done(c, taken)

        return Duty(KIND, finish or usual, TOLD, **more)

    def test_one_bad_piece_costs_itself_alone_and_says_why(self) -> None:
        def start(taken: Taken) -> None:
            if taken.ref == "b":
                raise KeyError("a damaged row")  # found while it is begun
            if taken.ref == "c":
                raise Passing("There is no space left.")

        self.note("a", "b", "c", "d")
        with self.assertLogs("keybundle", "ERROR"):
            do_due(self.ws, self.duty(start=start, most=3))
        self.assertEqual((self.did, [t.ref for t in self.rows()]), (["a", "d"], ["b", "c"]))
        with self.ws.place.database.read() as c:
            self.assertEqual(work.troubles(c, KIND), (2, A_BUG))
        self.assertTrue(tell_waiting(self.ws, self.duty()).startswith("2 copies wait"))
        do_due(self.ws, self.duty())
        self.assertEqual(self.did, ["a", "d"], "not before their time")
        self.later = timedelta(seconds=work.RETRY_SECONDS[0] + 1)
        do_due(self.ws, self.duty())
        self.assertEqual((self.did, self.rows(), tell_waiting(self.ws, self.duty())), (["a", "d", "b", "c"], [], ""))

    def test_more_are_taken_while_some_are_still_in_workers_hands(self) -> None:
        futures: dict[str, Future[str]] = {}
        hand = threading.Thread(
            target=do_due, args=(self.ws, self.duty(start=lambda t: futures.setdefault(t.ref, Future()), most=4))
        )
        self.note(*"abcdef")
        hand.start()
        for ended, begun in (("", "abcd"), ("a", "abcd"), ("b", "abcdef")):
            if ended:
                futures[ended].set_result("made")
            self.wait_until(
                lambda ended=ended, begun=begun: (not ended or ended in self.did) and list(futures) == [*begun]
            )  # type: ignore[misc]
        for ref in "fedc":
            futures[ref].set_result("made")
        hand.join(20)
        self.assertEqual((sorted(self.did), self.rows()), ([*"abcdef"], []))

    def test_what_is_in_hand_is_let_go_of_where_no_more_can_be_taken(self) -> None:
        def finish(taken: Taken, outcome: Any) -> None:
            take.side_effect = Passing("The store is locked.")

        self.note(*"abcdef")
        with mock.patch.object(work, "take", wraps=work.take) as take, self.assertRaises(Passing):
            do_due(self.ws, self.duty(finish, most=2))
        self.assertEqual([t.token for t in self.rows() if t.ref != "a"], [""] * 5)

    def wait_until(self, holds: Callable[[], bool]) -> None:
        end = time.monotonic() + 20
        while not holds():
            self.assertLess(time.monotonic(), end, "waited in vain")
            time.sleep(0.01)

    def test_it_waits_longer_each_time_and_no_longer_than_the_longest_wait(self) -> None:
        def fail(taken: Taken, outcome: Any) -> None:
            self.did.append(taken.ref)
            raise Passing("It is away.")

        self.note("a")
        waits = []
        for _ in range(len(work.RETRY_SECONDS) + 2):
            do_due(self.ws, self.duty(fail, longest_wait=300.0))
            before, step = len(self.did), 0
            while len(self.did) == before:
                step += 1
                self.later += timedelta(seconds=1)
                do_due(self.ws, self.duty(fail, longest_wait=300.0))
            waits.append(step)
        self.assertEqual(sorted(waits), waits)
        self.assertEqual((waits[0], waits[-1]), (work.RETRY_SECONDS[0], 300))

    def test_a_clock_that_was_ahead_and_goes_back_lets_nothing_wait(self) -> None:
        self.later = timedelta(days=400)
        self.note("a")
        do_due(self.ws, self.duty(lambda taken, outcome: (_ for _ in ()).throw(Passing("It is away."))))
        self.note("b")
        with self.ws.place.database.atomic() as c:
            held = work.begin(c, self.ws.clock, KIND, "held", "somebody who is no longer there")
        self.assertIsNotNone(held)
        self.later = timedelta()
        do_due(self.ws, self.duty())
        self.assertEqual(sorted(self.did), ["a", "b", "held"])

    def test_what_is_noted_anew_or_taken_by_somebody_else_is_no_longer_in_the_first_hand(self) -> None:
        clock, database = self.ws.clock, self.ws.place.database
        self.note("a")
        with database.atomic() as c:
            (first,) = work.take(c, clock, KIND, "first", lease_seconds=60)
            self.assertEqual(work.take(c, clock, KIND, "second", at_once=True), [], "it is in hand")
            self.assertIsNone(work.begin(c, clock, KIND, "a", "second"))
        self.later = timedelta(seconds=61)
        with database.atomic() as c:
            (second,) = work.take(c, clock, KIND, "second")  # the first one has let its time pass
            self.assertFalse(work.keep(c, clock, first.token) or work.done(c, first))
            self.assertTrue(work.keep(c, clock, second.token))
            work.due(c, clock.stamp(), KIND, "a")
            self.assertFalse(work.done(c, second), "what was done meanwhile does not count")
        self.assertEqual([(t.ref, t.token) for t in self.rows()], [("a", "")])

    def test_many_hands_do_each_piece_once(self) -> None:
        self.note(*(f"{n:03d}" for n in range(120)))
        hands = [threading.Thread(target=do_due, args=(self.ws, self.duty(most=3))) for _ in range(4)]
        for hand in hands:
            hand.start()
        for hand in hands:
            hand.join(60)
        self.assertEqual((sorted(self.did), self.rows()), ([f"{n:03d}" for n in range(120)], []))

    def test_what_a_kill_leaves_in_hand_is_due_again_for_who_holds_the_directory_alone(self) -> None:
        self.note("a")
        with self.ws.place.database.atomic() as c:
            work.take(c, self.ws.clock, KIND, "a program that was killed")
            work.begin(c, self.ws.clock, work.FILING, "document", "a program that was killed", token="a claim")
        with in_hand(self.ws, work.SENDING, "mine", {}):
            again = open_workspace(self.folder / "data")
            with again.place.database.atomic() as c:
                work.free_all_but(c, again.clock, self.ws.place.holder)
                self.assertEqual(work.list_work(c, work.FILING), [], "a claim without its filing is none")
                self.assertTrue(work.list_work(c, work.SENDING)[0].token, "what we have in hand is ours")
            again.close()
        do_due(self.ws, self.duty())
        self.assertEqual(self.did, ["a"])

    def test_a_kind_that_fails_as_a_whole_does_not_end_the_others(self) -> None:
        def broken(at_once: bool, is_stopped: Any) -> str:
            raise RuntimeError("a fault")

        self.note("a")
        with self.assertLogs("keybundle", "ERROR"):
            behind = Behind((broken, as_due_work(self.ws, self.duty())), look_seconds=0.02)
            end = threading.Event()
            while not (self.did and behind.problem) and not end.wait(0.02):
                pass
            behind.close()
        self.assertEqual((self.did, behind.problem), (["a"], A_BUG))
