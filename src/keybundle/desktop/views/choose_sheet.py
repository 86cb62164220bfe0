"""One line to type in and a list to choose from: starters, folders, poor pages, what is set aside."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QPushButton, QWidget

from keybundle.desktop.views.arrows import ListKeys
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.side_sheet import Sheet


class ChooseSheet(Sheet):
    """``chosen`` carries the number of the entry; ``typed`` what stands in the line."""

    chosen = Signal(int)
    typed = Signal(str)

    def __init__(self, title: str, head: str, *, of: str = "", hint: str = "") -> None:
        super().__init__(title, head, of=of)
        self.line = QLineEdit()
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName(hint or title)
        self.line.setVisible(bool(hint))
        self.line.textEdited.connect(self.typed.emit)
        self.list = QListWidget()
        self.list.setAccessibleName(title)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for keys in (self.line, self.list):
            ListKeys(keys, self._step, self._take)
        self.list.itemClicked.connect(lambda _: self._take())
        self.buttons = QHBoxLayout()
        self.buttons.addStretch(1)
        self.body.addWidget(self.line)
        self.body.addWidget(self.list, 1)
        self.body.addLayout(self.buttons)

    def first(self) -> QWidget:
        return self.list if self.line.isHidden() else self.line

    def add_button(self, text: str, run: Callable[[], None]) -> QPushButton:
        """Add a button below the list."""
        button = Button(text)
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

    def _step(self, offset: int) -> None:
        self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.row + offset)))

    def _take(self) -> None:
        if self.row >= 0:
            self.chosen.emit(self.row)
            self.end()
