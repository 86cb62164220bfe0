"""Nobody there: after some minutes without a key or a move of the pointer the window is to be locked."""

from __future__ import annotations

import time

from PySide6.QtCore import QEvent, QObject, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QWindow

LOOK_MS = 5_000
HANDS = frozenset({
    QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.MouseMove, QEvent.Type.Wheel, QEvent.Type.TouchBegin,
})  # fmt: skip


class Idle(QObject):
    """Says ``passed`` once nobody has touched keys or pointer for the minutes it was started with; 0: never.

    It listens at the windows of the system, which get hands alone: listening to all of Qt's events would slow each one.
    """

    passed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._seconds = 0.0
        self._last = time.monotonic()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        app = QGuiApplication.instance()
        if isinstance(app, QGuiApplication):
            app.focusWindowChanged.connect(self._listen)

    def _listen(self, window: QWindow | None) -> None:
        self._last = time.monotonic()
        if window is not None:
            window.removeEventFilter(self)
            window.installEventFilter(self)

    def quiet_seconds(self) -> float:
        """Return for how long nobody has touched keys or pointer."""
        return time.monotonic() - self._last

    def start(self, minutes: float) -> None:
        """Watch from now on."""
        self._seconds, self._last = minutes * 60, time.monotonic()
        if minutes:
            self._listen(QGuiApplication.focusWindow())
            self._timer.start()

    def stop(self) -> None:
        """Watch no more."""
        self._timer.stop()

    def look(self) -> None:
        """Say so where nobody was there for long enough."""
        if self._timer.isActive() and self.quiet_seconds() >= self._seconds:
            self.stop()
            self.passed.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in HANDS:
            self._last = time.monotonic()
        return False
