"""The clockwork of the line: events done one after another in one thread, and what has to wait tried again.

What stands in the way for a while (a full disk, a lock) lets a batch wait and is told as ``problem`` until it is over.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import A_BUG, AppError, Passing
from keybundle.core.base.messages import message
from keybundle.core.store.work import seconds_to_wait

log = logging.getLogger(__name__)
LONGEST_WAIT_SECONDS = 30.0


class Clockwork(ABC):
    """Events in order. With ``threaded`` False nothing happens by itself: ``run_waiting`` does what has come up."""

    def __init__(self, notify: Callable[[Changes], None] | None, *, threaded: bool) -> None:
        self._notify = notify or (lambda changes: None)
        self._events: queue.Queue[Callable[[], None] | None] = queue.Queue()
        self._idle = threading.Condition()
        self._pending = 0
        self._waiting: set[str] = set()
        self._tries = 0
        self._retry_at = 0.0
        self.problem: str = ""
        self._thread = threading.Thread(target=self._loop, name="line", daemon=True)
        if threaded:
            self._thread.start()

    @abstractmethod
    def _note_waiting(self, batch_id: str, trouble: str) -> None:
        """Note what lets a batch wait; empty: it waits no longer."""

    @abstractmethod
    def _take_up(self, batch_id: str) -> None:
        """Go on with a batch that had to wait."""

    @property
    def waits(self) -> bool:
        """Whether something passing holds up a batch, which will be tried again."""
        return bool(self._waiting)

    def retry(self) -> None:
        """Try again at once what a full disk or a locked store has held up."""
        self._put(self._retry)

    def wait(self, timeout_seconds: float | None = None) -> bool:
        """Wait until all is done that can be done now; False when the time is over first."""
        with self._idle:
            return self._idle.wait_for(lambda: self._pending == 0, timeout_seconds)

    @property
    def busy(self) -> int:
        """How many pieces of work are waiting or running."""
        return self._pending

    def close(self) -> None:
        """Stop after the present step; what is in the store stays for ``resume``."""
        self._events.put(None)
        if self._thread.is_alive():
            self._thread.join(timeout=15)

    def _put(self, event: Callable[[], None]) -> None:
        with self._idle:
            self._pending += 1
        self._events.put(event)

    def _done(self) -> None:
        with self._idle:
            self._pending -= 1
            self._idle.notify_all()

    def _loop(self) -> None:
        while True:
            left = max(0.05, self._retry_at - time.monotonic()) if self._waiting else None
            try:
                event = self._events.get(timeout=left)
            except queue.Empty:
                event = self._retry
                with self._idle:
                    self._pending += 1
            if event is None:
                return
            self._run(event)

    def run_waiting(self) -> None:
        """Do what has come up so far, in this thread; for a line that is not threaded."""
        while True:
            try:
                event = self._events.get_nowait()
            except queue.Empty:
                return
            if event is not None:
                self._run(event)

    def _run(self, event: Callable[[], None]) -> None:
        try:
            event()
        except AppError as error:
            self._tell_problem(str(error))
        except Exception:
            # The line's last door for faults: one costs its step, never the line.
            log.exception("a step of the line failed")
            self._tell_problem(message("clockwork.step-work-behind-failed", A_BUG=A_BUG))
        finally:
            self._done()

    def _guarded(self, batch_id: str, work: Callable[[], None]) -> None:
        """Run work on a batch; where something passing stands in its way, let the batch wait and try again."""
        try:
            work()
        except Passing as error:
            self._let_wait(batch_id, error)
        else:
            self._went_well()

    def _let_wait(self, batch_id: str, error: Passing) -> None:
        if not self._waiting:
            self._retry_at = time.monotonic() + min(seconds_to_wait(self._tries), LONGEST_WAIT_SECONDS)
            self._tries += 1
        self._waiting.add(batch_id)
        self._note_waiting(batch_id, str(error))
        self._tell_problem(str(error))

    def _went_well(self) -> None:
        """Note that the store can be written: what had to wait need wait no longer, and what is over is not told."""
        if self._waiting:
            self._put(self._retry)
        elif self.problem:
            self._tries = 0
            self._tell_problem("")

    def _tell_problem(self, said: str) -> None:
        if said != self.problem:
            self.problem = said
            self._notify(Changes(text=said))

    def _retry(self) -> None:
        waiting, self._waiting = self._waiting, set()
        for batch_id in sorted(waiting):
            self._note_waiting(batch_id, "")
            self._guarded(batch_id, lambda b=batch_id: self._take_up(b))  # type: ignore[misc]
