"""The one door to background work: queries on a pool, changes one after another, results on the interface thread."""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from keybundle.core.base.errors import AppError
from keybundle.core.base.progress import CancelToken

log = logging.getLogger(__name__)
OnResult = Callable[[Any], None]
OnError = Callable[[str], None]


@dataclass(frozen=True)
class _Outcome:
    key: str
    number: int
    result: Any
    error: str
    on_result: OnResult | None
    on_error: OnError | None


class JobRunner(QObject):
    """Runs functions off the interface thread.

    A query with a ``key`` supersedes earlier ones of the same key: their results are dropped. Errors in words go to
    ``on_error``, else to ``failed``; a bug is logged and told there too. ``closing`` is set when the runner closes, for
    work that has no token of its own.
    """

    failed = Signal(str)
    _finished = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._queries = ThreadPoolExecutor(3, thread_name_prefix="query")
        self._changes = ThreadPoolExecutor(1, thread_name_prefix="change")
        self._long = ThreadPoolExecutor(4, thread_name_prefix="long")
        self._numbers: dict[str, int] = {}
        self._closed = False
        self.closing = CancelToken()
        self._finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)

    def query(
        self, work: Callable[[], Any], on_result: OnResult, *, key: str = "", on_error: OnError | None = None
    ) -> None:
        """Run something that only reads."""
        self._start(self._queries, work, on_result, on_error, key)

    def change(
        self, work: Callable[[], Any], on_result: OnResult | None = None, *, on_error: OnError | None = None
    ) -> None:
        """Run something that writes, after all changes before it."""
        self._start(self._changes, work, on_result, on_error, "")

    def long(
        self, work: Callable[[], Any], on_result: OnResult | None = None, *, on_error: OnError | None = None
    ) -> None:
        """Run something that takes its time and can be cancelled by its own token."""
        self._start(self._long, work, on_result, on_error, "")

    def _start(
        self,
        pool: ThreadPoolExecutor,
        work: Callable[[], Any],
        on_result: OnResult | None,
        on_error: OnError | None,
        key: str,
    ) -> None:
        if self._closed:
            return
        number = self._numbers[key] = self._numbers.get(key, 0) + 1

        def finished(future: Future[Any]) -> None:
            if future.cancelled() or self._closed:
                return
            error = future.exception()
            said = ""
            if isinstance(error, AppError):
                said = str(error)
            elif error is not None:
                log.error("a job failed", exc_info=error)
                said = f"Something went wrong inside Key Bundle ({type(error).__name__}). Nothing was lost; try again."
            result = None if error else future.result()
            self._finished.emit(_Outcome(key, number, result, said, on_result, on_error))

        pool.submit(work).add_done_callback(finished)

    def _deliver(self, outcome: _Outcome) -> None:
        if self._closed or (outcome.key and self._numbers[outcome.key] != outcome.number):
            return
        if outcome.error:
            (outcome.on_error or self.failed.emit)(outcome.error)
        elif outcome.on_result is not None:
            outcome.on_result(outcome.result)

    def close(self) -> None:
        """Take no more work and wait for what runs."""
        self._closed = True
        self.closing.cancel()
        for pool in (self._queries, self._changes, self._long):
            pool.shutdown(wait=True, cancel_futures=True)
