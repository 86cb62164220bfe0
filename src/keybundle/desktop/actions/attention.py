"""Where somebody's hands were when they last asked for something: what comes late takes no keyboard from them.

Whether they have gone on since is seen by what has the focus and what stands there, so that no event needs to be listened to.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PySide6.QtWidgets import QAbstractItemView, QApplication, QLineEdit, QPlainTextEdit, QWidget

Look = tuple[int, object]
_last: list[Look] = [(0, "")]
_running = [0]


def _look() -> Look:
    at = QApplication.focusWidget()
    if isinstance(at, QLineEdit):
        return id(at), at.text()
    if isinstance(at, QPlainTextEdit):
        return id(at), at.toPlainText()
    if isinstance(at, QAbstractItemView):
        index = at.currentIndex()
        return id(at), (index.row(), index.column())
    return id(at) if isinstance(at, QWidget) else 0, ""


@contextmanager
def asking() -> Iterator[None]:
    """Let what is run in here be what somebody asks for now."""
    _running[0] += 1
    try:
        yield
    finally:
        _running[0] -= 1
        _last[0] = _look()


def note() -> None:
    """Hear that somebody asked for something."""
    _last[0] = _look()


def is_undivided() -> bool:
    """Whether nobody has done anything since they last asked for something, or are just asking."""
    return _running[0] > 0 or _look() == _last[0]
