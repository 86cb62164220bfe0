"""One line to type in and a list to choose from: starters, folders, poor pages, what is set aside."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QPushButton, QVBoxLayout, QWidget

from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told


class ChooseDialog(QDialog):
    """``chosen`` carries the number of the entry; ``typed`` what stands in the line."""

    chosen = Signal(int)
    typed = Signal(str)

    def __init__(self, title: str, head: str, *, hint: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(560, 420)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        label = Told(head)
        label.setWordWrap(True)
        self.line = QLineEdit()
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName(hint or title)
        self.line.setVisible(bool(hint))
        self.line.textEdited.connect(self.typed.emit)
        self.list = QListWidget()
        self.list.setAccessibleName(title)
        self.list.setWordWrap(True)
        self.list.itemActivated.connect(lambda _: self._take())
        self.line.installEventFilter(self)
        self.buttons = QHBoxLayout()
        self.buttons.addStretch(1)
        layout = QVBoxLayout(self)
        for part in (label, self.line, self.list):
            layout.addWidget(part)
        layout.addLayout(self.buttons)

    def add_button(self, text: str, run: Callable[[], None]) -> QPushButton:
        """Add a button below the list."""
        button = Button(text)
        button.setAutoDefault(False)
        button.clicked.connect(run)
        self.buttons.addWidget(button)
        return button

    def render_entries(self, entries: Sequence[str]) -> None:
        """Show entries; the first one is chosen."""
        self.list.clear()
        self.list.addItems(list(entries))
        self.list.setCurrentRow(0 if entries else -1)

    @property
    def row(self) -> int:
        """The number of the chosen entry, -1 for none."""
        return self.list.currentRow()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.row + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take()
                return True
        return False

    def _take(self) -> None:
        if self.row >= 0:
            self.chosen.emit(self.row)
            self.accept()
