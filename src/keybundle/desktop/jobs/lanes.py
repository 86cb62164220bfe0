"""Threads that work in lanes: within a lane one thing after another, lanes beside each other."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

Work = Callable[[], Any]


class Lanes:
    """Runs work given to a lane in the order it came; a lane takes a thread only while it has work."""

    def __init__(self, threads: int, name: str) -> None:
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix=name)
        self._waiting: dict[str, deque[tuple[Work, Future[Any]]]] = {}
        self._lock = threading.Lock()

    def submit(self, lane: str, work: Work) -> Future[Any]:
        """Let something run after all that this lane was given before."""
        future: Future[Any] = Future()
        with self._lock:
            is_idle = lane not in self._waiting
            self._waiting.setdefault(lane, deque()).append((work, future))
        if is_idle:
            self._pool.submit(self._run_next, lane)
        return future

    def _run_next(self, lane: str) -> None:
        with self._lock:
            work, future = self._waiting[lane][0]
        if future.set_running_or_notify_cancel():
            try:
                future.set_result(work())
            except BaseException as error:  # noqa: BLE001  whatever it was, it is the future's to tell
                future.set_exception(error)
        with self._lock:
            self._waiting[lane].popleft()
            if not self._waiting[lane]:
                del self._waiting[lane]
                return
        try:
            self._pool.submit(self._run_next, lane)
        except RuntimeError:  # shut down: what waits is given up
            self._give_up(lane)

    def _give_up(self, lane: str) -> None:
        with self._lock:
            left = self._waiting.pop(lane, deque())
        for _, future in left:
            future.cancel()

    def shutdown(self) -> None:
        """Finish what runs and what was given already, take no more."""
        while True:
            with self._lock:
                last = [waiting[-1][1] for waiting in self._waiting.values()]
            if not last:
                break
            for future in last:
                if not future.cancelled():
                    future.exception()
        self._pool.shutdown(wait=True)
