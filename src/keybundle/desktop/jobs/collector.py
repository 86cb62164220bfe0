"""Lets Python's cyclic collector run in the interface thread alone.

The collector runs in whichever thread makes the object that fills its first generation. In a worker thread it would end
Qt objects there that lie in a cycle: ``~QObject`` takes Qt's locks and then waits for the interpreter's, while the
interface thread, which holds the interpreter's, waits for Qt's. The window then stands still for ever.
"""

from __future__ import annotations

import gc
import time

from PySide6.QtCore import QObject, QTimer

LOOK_MS = 250
FULL_EVERY_SECONDS = 20.0


class Collector(QObject):
    """Takes the collector over from its automatic runs, for as long as the process lives.

    What a closed window leaves may be collected here alone too, so nothing turns the automatic runs on again.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._full_at = time.monotonic()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.collect)
        self._timer.start()

    def collect(self) -> None:
        """Collect the generations that are due; all of them seldom, for that takes longest."""
        young, middle, old = (count > limit for count, limit in zip(gc.get_count(), gc.get_threshold(), strict=True))
        now = time.monotonic()
        if old and now - self._full_at > FULL_EVERY_SECONDS:
            self._full_at = now
            gc.collect()
        elif middle:
            gc.collect(1)
        elif young:
            gc.collect(0)
