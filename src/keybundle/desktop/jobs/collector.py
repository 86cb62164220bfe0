"""Lets Python's cyclic collector run in the interface thread alone, and seldom over all that is there.

The collector runs in whichever thread makes the object that fills its first generation. In a worker thread it would end
Qt objects there that lie in a cycle: ``~QObject`` takes Qt's locks and then waits for the interpreter's, while the
interface thread, which holds the interpreter's, waits for Qt's. The window then stands still for ever.

A full run over a large set-up holds the interface thread for a fifth of a second. So what outlives a full run is frozen: the
next ones do not look at it. Cycles among that are collected too, by a run over everything while nobody touches keys or pointer.
"""

from __future__ import annotations

import gc
import math
import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

LOOK_MS = 250
FULL_EVERY_SECONDS = 20.0
WHOLE_EVERY_SECONDS, QUIET_SECONDS, WHOLE_AT_LATEST_SECONDS = 60.0, 1.5, 900.0


class Collector(QObject):
    """Takes the collector over from its automatic runs, for as long as the process lives.

    What a closed window leaves may be collected here alone too, so nothing turns the automatic runs on again. ``quiet`` says
    for how many seconds nobody has touched keys or pointer.
    """

    def __init__(self, parent: QObject, quiet: Callable[[], float] = lambda: math.inf) -> None:
        super().__init__(parent)
        gc.disable()
        self._quiet = quiet
        self._full_at = self._whole_at = time.monotonic()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.collect)
        self._timer.start()

    def collect(self) -> None:
        """Collect what is due; the more is looked at, the more seldom."""
        young, middle, old = (count > limit for count, limit in zip(gc.get_count(), gc.get_threshold(), strict=True))
        now = time.monotonic()
        since = now - self._whole_at
        if since > WHOLE_AT_LATEST_SECONDS or (since > WHOLE_EVERY_SECONDS and self._quiet() > QUIET_SECONDS):
            self._whole_at = now
            gc.unfreeze()
            self._collect_all()
        elif old and now - self._full_at > FULL_EVERY_SECONDS:
            self._collect_all()
        elif middle:
            gc.collect(1)
        elif young:
            gc.collect(0)

    def freeze(self) -> None:
        """Let no full run look at what is there by now, such as a set-up that was just loaded."""
        gc.freeze()

    def _collect_all(self) -> None:
        """Collect all that is not frozen, and freeze what is left."""
        self._full_at = time.monotonic()
        gc.collect()
        gc.freeze()
