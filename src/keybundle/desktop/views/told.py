"""Labels that show what they are given to the letter, and long texts that keep their place."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel

from keybundle.desktop.words import worded


class Told(QLabel):
    """A text as it is: a name or value that looks like a mark-up language is shown as it stands.

    A message of the core is shown in the language that is spoken.
    """

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self.setTextFormat(Qt.TextFormat.PlainText)

    def setText(self, text: str) -> None:
        super().setText(worded(text))


class Elided(Told):
    """One line that gives way, down to ``shortest_px``: what does not fit ends in dots, the whole text is the tip."""

    def __init__(self, *args: Any, shortest_px: int = 40) -> None:
        super().__init__(*args)
        self._shortest_px = shortest_px

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(worded(text))

    def minimumSizeHint(self) -> QSize:
        return QSize(min(self._shortest_px, super().minimumSizeHint().width()), super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        area = self.contentsRect()
        shown = self.fontMetrics().elidedText(self.text().replace("\n", " "), Qt.TextElideMode.ElideRight, area.width())
        self.style().drawItemText(
            painter, area, int(self.alignment().value), self.palette(), self.isEnabled(), shown, self.foregroundRole()
        )
