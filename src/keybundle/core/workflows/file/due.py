"""What is done behind a filing's back, from rows that say that it is due: when it is tried again, and the thread that does it."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Sequence
from datetime import timedelta

from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import AppError

log = logging.getLogger(__name__)
RETRY_SECONDS = (10, 30, 60, 300, 900)
LOOK_SECONDS = 2.0
# Does what is due, at once or as its time comes; asks whether it is stopped; returns what is in the way of the rest.
DueWork = Callable[[bool, Callable[[], bool]], str]


def later(clock: Clock, tries: int) -> str:
    """Return when something that failed so often before is tried again, as ISO 8601."""
    seconds = RETRY_SECONDS[min(tries, len(RETRY_SECONDS) - 1)]
    return (clock.now() + timedelta(seconds=seconds)).isoformat(timespec="milliseconds")


class Behind:
    """Does what is due, one kind after another, in a thread of its own; ``problem`` is what keeps some waiting."""

    def __init__(self, works: Sequence[DueWork], look_seconds: float = LOOK_SECONDS) -> None:
        self._works, self._look_seconds = works, look_seconds
        self._stop, self._wake = threading.Event(), threading.Event()
        self._at_once = False
        self.problem = ""
        self._thread = threading.Thread(target=self._loop, name="behind", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Look at once what is due."""
        self._wake.set()

    def retry(self) -> None:
        """Try again at once what waits."""
        self._at_once = True
        self._wake.set()

    def close(self) -> None:
        """Stop after what is in hand; what is due stays due."""
        self._stop.set()
        self._wake.set()
        self._thread.join(timeout=15)

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.wait(self._look_seconds)
            self._wake.clear()
            at_once, self._at_once = self._at_once, False
            if not self._stop.is_set():
                told = [self._do(work, at_once) for work in self._works]
                self.problem = next((said for said in told if said), "")

    def _do(self, work: DueWork, at_once: bool) -> str:
        try:
            return work(at_once, self._stop.is_set)
        except AppError as error:
            return str(error)
        except Exception:
            log.exception("what is due could not be done")
            return ""
