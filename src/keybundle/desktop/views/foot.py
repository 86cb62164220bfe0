"""The line at the bottom of a window: what goes on behind, the last thing that was said, and what undo would take back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QWidget

from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.texts import tell_line
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Elided
from keybundle.desktop.words import tr

MESSAGE_MS = 12_000
WATCH_MS = 500
LINE_PX = 260


class Foot(QFrame):
    """Shows what is said here; ``noted`` hears all of it."""

    def __init__(self, seat: Seat, noted: Callable[[str], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("foot")
        self._seat, self._noted = seat, noted
        self._seeding = ""
        self.line_label = Elided(shortest_px=LINE_PX)
        self.line_label.setProperty("role", "quiet")
        self.message = Elided()
        self.message.setAccessibleName(tr("Last message"))
        self._more: Callable[[], None] = lambda: None
        self.more = Button()
        self.more.setProperty("role", "link")
        self.more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.more.clicked.connect(lambda: self._more())
        self.more.hide()
        self.undo = Button(tr("Undo   Ctrl+Z"))
        self.undo.setProperty("role", "link")
        self.undo.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 4, 16, 4)
        layout.addWidget(self.line_label)
        layout.addStretch(1)
        layout.addStretch(1)
        layout.addWidget(self.message)
        layout.addWidget(self.more)
        layout.addWidget(self.undo)
        self._clear = QTimer(self)
        self._clear.setSingleShot(True)
        self._clear.setInterval(MESSAGE_MS)
        self._clear.timeout.connect(self._forget)
        self._watch = QTimer(self)
        self._watch.setInterval(WATCH_MS)
        self._watch.timeout.connect(self._tell_line)
        self._watch.start()

    def _tell_line(self) -> None:
        behind = self._seat.behind
        told = self._seeding or (behind.problem if behind is not None else "") or tell_line(self._seat.line)
        if self.line_label.text() != told:
            self.line_label.setText(told)

    def tell_background(self, text: str) -> None:
        """Show what else goes on behind, such as the demo documents being filed; empty: nothing more."""
        self._seeding = text
        self._tell_line()

    def _forget(self) -> None:
        self.message.setText("")
        self.more.hide()

    def _show(self, text: str, style: str) -> None:
        self.more.hide()
        self.message.setStyleSheet(style)
        self.message.setText(text)
        self._clear.start()

    def say(self, text: str) -> None:
        """Show the last thing done."""
        self._show(text, f"color: {c.INK};")
        self._noted(text)

    def warn(self, text: str) -> None:
        """Show what stands in the way."""
        self._show(text, f"color: {c.MADDER}; font-weight: 600;")
        self._noted(text)

    def offer(self, text: str, label: str, run: Callable[[], None]) -> None:
        """Show the last thing done with more to see of it, for who wants to: nothing opens by itself."""
        self.say(text)
        self._more = run
        self.more.setText(label)
        self.more.show()

    def listen(self, *presenters: Any) -> None:
        """Show what presenters say."""
        for presenter in presenters:
            presenter.said.connect(self.say)
            presenter.failed.connect(self.warn)

    def show_undo(self, label: str) -> None:
        """Say what undo would take back; nothing where there is nothing."""
        self.undo.setText(tr("Undo: {label}   Ctrl+Z", label=label))
        self.undo.setVisible(bool(label))
