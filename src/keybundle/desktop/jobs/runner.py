"""The one door to background work: queries, changes in lanes, long work; results on the interface thread."""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal

from keybundle.core.base.errors import AppError
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.desktop.jobs.lanes import Lanes
from keybundle.desktop.words import tr, worded

log = logging.getLogger(__name__)
OnResult = Callable[[Any], None]
OnError = Callable[[str], None]

# What waits for worker processes or devices never stands before a question to the store, nor pages ahead before the
# page in front.
THREADS = {"store": 3, "page": 1, "pages ahead": 2, "devices": 1, "rehearsal": 1}
CHANGE_THREADS, LONG_THREADS = 4, 8


@dataclass(frozen=True)
class _Asked:
    """A job: who asked (nothing is delivered once that is gone), what it supersedes, and where its end goes."""

    key: tuple[str, int]
    number: int
    owner: QObject | None
    on_result: OnResult | None
    on_error: OnError | None


@dataclass(frozen=True)
class _Outcome:
    asked: _Asked
    result: Any
    error: str


class JobRunner(QObject):
    """Runs functions off the interface thread.

    A query with a ``key`` supersedes earlier ones of the same key and owner: those that have not begun are dropped, and
    so are the results of the others. Errors in words go to ``on_error``, else to ``failed``; a bug, also one in what
    takes a result, is logged and told there too. ``closing`` is set when the runner closes, for work that has no token
    of its own.
    """

    failed = Signal(str)
    _finished = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._queries = {kind: ThreadPoolExecutor(n, thread_name_prefix=kind) for kind, n in THREADS.items()}
        self._changes = Lanes(CHANGE_THREADS, "change")
        self._long = ThreadPoolExecutor(LONG_THREADS, thread_name_prefix="long")
        self._asked = 0
        self._numbers: dict[tuple[str, int], int] = {}
        self._waiting: dict[tuple[str, int], Future[Any]] = {}
        self._closed = False
        self.closing = CancelToken()
        self._finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)

    def query(
        self, work: Callable[[], Any], on_result: OnResult, *, key: str = "", owner: QObject | None = None,
        on_error: OnError | None = None, kind: str = "store",
    ) -> None:  # fmt: skip
        """Run something that only reads, among the others of its ``kind`` (see ``THREADS``)."""
        if self._closed:
            return
        asked = self._ask(key, owner, on_result, on_error)
        if key and (earlier := self._waiting.pop(asked.key, None)) is not None:
            earlier.cancel()
        future = self._queries[kind].submit(work)
        if key:
            self._waiting[asked.key] = future
        self._follow(future, asked)

    def change(
        self, work: Callable[[], Any], on_result: OnResult | None = None, *, lane: str = "",
        owner: QObject | None = None, on_error: OnError | None = None,
    ) -> None:  # fmt: skip
        """Run something that writes, after all changes before it in the same lane: a batch has one of its own."""
        if not self._closed:
            self._follow(self._changes.submit(lane, work), self._ask("", owner, on_result, on_error))

    def long(
        self, work: Callable[[], Any], on_result: OnResult | None = None, *, owner: QObject | None = None,
        on_error: OnError | None = None,
    ) -> None:  # fmt: skip
        """Run something that takes its time and can be cancelled by its own token."""
        if not self._closed:
            self._follow(self._long.submit(work), self._ask("", owner, on_result, on_error))

    def _ask(self, key: str, owner: QObject | None, on_result: OnResult | None, on_error: OnError | None) -> _Asked:
        scoped = (key, id(owner) if owner is not None else 0)
        self._asked += 1
        number = self._numbers[scoped] = self._asked
        return _Asked(scoped, number, owner, on_result, on_error)

    def _follow(self, future: Future[Any], asked: _Asked) -> None:
        def finished(future: Future[Any]) -> None:
            if future.cancelled() or self._closed:
                return
            error = future.exception()
            said = _say(error) if error is not None else ""
            self._finished.emit(_Outcome(asked, None if error else future.result(), said))

        future.add_done_callback(finished)

    def _deliver(self, outcome: _Outcome) -> None:
        asked = outcome.asked
        is_late = bool(asked.key[0]) and self._numbers.get(asked.key) != asked.number
        if not is_late:
            self._numbers.pop(asked.key, None)
            self._waiting.pop(asked.key, None)
        if self._closed or is_late or (asked.owner is not None and not shiboken6.isValid(asked.owner)):
            return
        try:
            if outcome.error:
                (asked.on_error or self.failed.emit)(outcome.error)
            elif asked.on_result is not None:
                asked.on_result(outcome.result)
        except Exception as error:  # noqa: BLE001  what one view makes of a result must not stop the others
            self.failed.emit(_say(error))

    def close(self) -> None:
        """Take no more work; finish the changes that were asked for, and wait for what runs, but for no device."""
        self._closed = True
        self.closing.cancel()
        self._changes.shutdown()
        for kind, pool in (*self._queries.items(), ("long", self._long)):
            pool.shutdown(wait=kind != "devices", cancel_futures=True)


def _say(error: BaseException) -> str:
    if isinstance(error, AppError):
        return worded(error)
    log.error("a job failed", exc_info=error)
    return tr(
        "Something went wrong inside Key Bundle ({name}). What was captured is safe; try it again.",
        name=type(error).__name__,
    )
