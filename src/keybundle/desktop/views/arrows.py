"""A line to type in over a list: the arrows move in the list, Enter takes, and the keyboard stays in the line."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

STEPS = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 10, Qt.Key.Key_PageUp: -10}


class ListKeys(QObject):
    """Watches a line; ``step`` is given how many rows to go, ``take`` is called at Enter."""

    def __init__(self, line: QWidget, step: Callable[[int], None], take: Callable[[], None]) -> None:
        super().__init__(line)
        self._step, self._take = step, take
        line.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        step = STEPS.get(Qt.Key(event.key()), 0)
        if step:
            self._step(step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take()
        else:
            return False
        return True
