"""Progress and cancellation of long work, without any interface."""

from __future__ import annotations

import threading
from collections.abc import Callable

from keybundle.core.base.errors import Cancelled
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass


@dataclass(frozen=True)
class Step:
    """Where a long work stands: ``done`` of ``total`` (0: unknown) and what it is doing."""

    done: int
    total: int
    what: str


Progress = Callable[[Step], None]


def silent(step: Step) -> None:
    """Take progress and show it nowhere."""


class CancelToken:
    """Set once from any thread; long work asks it between items. It is set too once its ``parent`` is."""

    def __init__(self, parent: CancelToken | None = None) -> None:
        self._event = threading.Event()
        self._parent = parent

    def cancel(self) -> None:
        """Ask the work to stop at its next clean point."""
        self._event.set()

    @property
    def cancelled(self) -> bool:
        """Whether somebody asked to stop."""
        return self._event.is_set() or (self._parent is not None and self._parent.cancelled)

    def check(self) -> None:
        """Raise ``Cancelled`` when somebody asked to stop."""
        if self.cancelled:
            raise Cancelled(message("progress.cancelled-what-done-before-kept"))

    def wait(self, seconds: float) -> bool:
        """Sleep up to ``seconds``; True as soon as somebody asked to stop (a parent is only asked afterwards)."""
        return self._event.wait(seconds) or self.cancelled
