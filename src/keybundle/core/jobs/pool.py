"""A small pool of worker processes with priorities, time limits and restart after a crash.

Guaranteed: every task ends in a result, a problem in words, or a cancellation; a task that crashes or outlasts its
limit costs its worker, which is replaced, and nothing else. Where the process dies that workers are forked from, what they
had in hand is done once more. Not guaranteed: order among tasks of one priority beyond first come, first served when they
start.
"""

from __future__ import annotations

import contextlib
import heapq
import itertools
import logging
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import field
from typing import Any

from keybundle.core.base import errors
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.jobs.stem import Stem, StemEnded, Worker

log = logging.getLogger(__name__)
STEMS = 4  # how many may die, one after the other, before a task that is still to begin is given up
NO_WORKER = message("pool.no-worker-could-started-machine")


@dataclass(order=True)
class Task:
    """One waiting call; lower ``priority`` goes first."""

    priority: int
    number: int
    name: str = field(compare=False)
    args: tuple[Any, ...] = field(compare=False)
    limit_seconds: float = field(compare=False)
    future: Future[Any] = field(compare=False)
    key: str = field(compare=False, default="")


class WorkerCrash(errors.InputProblem):
    """The item brought its worker down or outlasted its time."""


class Pool:
    """Worker processes, started when first needed; ``close`` ends them."""

    def __init__(self, workers: int = 2) -> None:
        self._heap: list[Task] = []
        self._numbers = itertools.count()
        self._wake = threading.Condition()
        self._closed = False
        self._size = workers
        self._threads: list[threading.Thread] = []
        self._stem = Stem()
        self._light: frozenset[str] = frozenset()

    def submit(
        self, name: str, *args: Any, priority: int = 5, limit_seconds: float = 120, key: str = ""
    ) -> Future[Any]:
        """Queue ``package.module:function`` with ``args``; the future gives its result."""
        task = Task(priority, next(self._numbers), name, args, limit_seconds, Future(), key)
        with self._wake:
            if self._closed:
                task.future.cancel()
                return task.future
            heapq.heappush(self._heap, task)
            while len(self._threads) < self._size:
                thread = threading.Thread(target=self._run_one_worker, name="pool", daemon=True)
                self._threads.append(thread)
                thread.start()
            self._wake.notify()
        return task.future

    def reprioritise(self, choose: Callable[[str], int | None]) -> None:
        """Give each waiting task with a key the priority ``choose(key)``, unless that is None."""
        with self._wake:
            for task in self._heap:
                priority = choose(task.key) if task.key else None
                if priority is not None:
                    task.priority = priority
            heapq.heapify(self._heap)

    def close(self) -> None:
        """Cancel what waits, end the workers, and come back when they are gone."""
        with self._wake:
            self._closed = True
            waiting, self._heap = self._heap, []
            self._wake.notify_all()
        for task in waiting:
            task.future.cancel()
        self._stem.close()  # its workers end with it
        for thread in self._threads:
            thread.join(timeout=10)

    def warm_up(self, names: Sequence[str], light: Sequence[str] = ()) -> None:
        """Begin to load what tasks need (``package.module``, ``package.module:function``), so that workers find it loaded.

        A worker that is begun for a task of one of the ``light`` modules does not wait for that. Where no process can be
        started, the first task says so.
        """
        self._light = frozenset(light)
        with contextlib.suppress(OSError):
            self._stem.load(names)

    def _next(self) -> Task | None:
        with self._wake:
            while True:
                if self._closed:
                    return None
                if self._heap:
                    task = heapq.heappop(self._heap)
                    if task.future.set_running_or_notify_cancel():
                        return task
                    continue
                self._wake.wait()

    def _run_one_worker(self) -> None:
        worker: Worker | None = None
        while (task := self._next()) is not None:
            answer: tuple[Any, ...] | None = None
            for is_last in (False, True):
                try:
                    worker = worker or self._begin(task)
                except OSError as error:
                    if not self._closed:
                        answer = ("problem", "Passing", f"{NO_WORKER} ({error.strerror}).")
                        break
                else:
                    try:
                        answer = self._call(worker, task)
                        break
                    except (EOFError, OSError) as error:
                        worker.kill()
                        took_long = isinstance(error, TimeoutError)
                        is_alone = is_last or took_long or not worker.has_lost_its_stem()
                        worker = None
                        if not self._closed and is_alone:
                            said = "pool.took-too-long" if took_long else "pool.brought-its-worker-down"
                            answer = ("crash", message(said))
                            break
                if self._closed:
                    break
            _settle(task.future, answer or ("problem", "Cancelled", message("pool.stopped-what-done-before-kept")))
        if worker is not None:
            worker.connection.close()
            worker.wait(5)

    def _begin(self, task: Task) -> Worker:
        """Start a worker; raises OSError where the machine has no memory or descriptors for one."""
        is_light = task.name.partition(":")[0] in self._light
        for _ in range(STEMS):
            with contextlib.suppress(StemEnded):
                return self._stem.fork(warm=not is_light, is_over=lambda: self._closed)
        raise OSError(0, "what it is forked from ended each time")

    def _call(self, worker: Worker, task: Task) -> tuple[Any, ...]:
        worker.connection.send((task.name, task.args))
        end = time.monotonic() + task.limit_seconds
        while not worker.connection.poll(min(0.5, max(0.0, end - time.monotonic()))):
            if time.monotonic() >= end:
                raise TimeoutError
        answer: tuple[Any, ...] = worker.connection.recv()
        return answer


def _settle(future: Future[Any], answer: tuple[Any, ...]) -> None:
    if answer[0] == "ok":
        future.set_result(answer[1])
    elif answer[0] == "problem":
        future.set_exception(getattr(errors, answer[1], errors.AppError)(answer[2]))
    elif answer[0] == "crash":
        future.set_exception(WorkerCrash(message("pool.item-rest-goes-without", answer=answer[1])))
    else:
        log.error("a worker's task failed: %s", answer[1])
        future.set_exception(errors.WorkerBug(errors.A_BUG))
