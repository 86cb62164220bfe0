"""A small pool of worker processes with priorities, time limits and restart after a crash.

Guaranteed: every task ends in a result, a problem in words, or a cancellation; a task that crashes or outlasts its
limit costs its worker, which is replaced, and nothing else. Not guaranteed: order among tasks of one priority
beyond first come, first served when they start.
"""

from __future__ import annotations

import heapq
import itertools
import logging
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import field
from multiprocessing.connection import Connection
from typing import Any

from keybundle.core.base import errors
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass

log = logging.getLogger(__name__)
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
        self._processes: dict[int, subprocess.Popen[bytes]] = {}

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
                thread = threading.Thread(
                    target=self._run_one_worker, args=(len(self._threads),), name="pool", daemon=True
                )
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
        for process in list(self._processes.values()):
            process.kill()
        for thread in self._threads:
            thread.join(timeout=10)

    def warm_up(self, name: str) -> None:
        """Start all workers and run ``name`` in each, so that the first task finds its modules loaded."""
        for _ in range(self._size):
            self.submit(name, priority=-1)

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

    def _run_one_worker(self, slot: int) -> None:
        connection: Connection | None = None
        while (task := self._next()) is not None:
            if connection is None:
                try:
                    connection = self._start(slot)
                except OSError as error:
                    _settle(task.future, ("problem", "Passing", f"{NO_WORKER} ({error.strerror})."))
                    continue
            try:
                answer = self._call(slot, connection, task)
            except (EOFError, OSError) as error:
                connection.close()
                connection = None
                self._processes[slot].kill()
                self._processes[slot].wait()
                if not self._closed:
                    said = (
                        message("pool.took-too-long")
                        if isinstance(error, TimeoutError)
                        else message("pool.brought-its-worker-down")
                    )
                    answer = ("crash", said)
                else:
                    answer = ("problem", "Cancelled", message("pool.stopped-what-done-before-kept"))
            _settle(task.future, answer)
        if connection is not None:
            connection.close()
        if slot in self._processes:
            self._processes[slot].wait(timeout=5)

    def _start(self, slot: int) -> Connection:
        """Start a worker; raises OSError where the machine has no memory or descriptors for one."""
        ours, theirs = socket.socketpair()
        command = [sys.executable, "-m", "keybundle.core.jobs.worker", str(theirs.fileno())]
        try:
            self._processes[slot] = subprocess.Popen(
                command, pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
            )
        except OSError:
            ours.close()
            raise
        finally:
            theirs.close()
        return Connection(ours.detach())

    def _call(self, slot: int, connection: Connection, task: Task) -> tuple[Any, ...]:
        connection.send((task.name, task.args))
        end = time.monotonic() + task.limit_seconds
        while not connection.poll(min(0.5, max(0.0, end - time.monotonic()))):
            if time.monotonic() >= end:
                self._processes[slot].kill()
                raise TimeoutError
        answer: tuple[Any, ...] = connection.recv()
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
