"""A list of sentences that somebody should read, such as what was refused or where rules and people disagree."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QListWidget, QVBoxLayout, QWidget

from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told


class ListDialog(QDialog):
    """Shows the sentences; it does not hold up the work behind it."""

    def __init__(self, title: str, head: str, sentences: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(640, 360)
        label = Told(head)
        label.setWordWrap(True)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.addItems(list(sentences))
        self.list.setAccessibleName(title)
        close = Button("Close")
        close.clicked.connect(self.close)
        layout = QVBoxLayout(self)
        layout.addWidget(label)
        layout.addWidget(self.list, 1)
        layout.addWidget(close, alignment=Qt.AlignmentFlag.AlignRight)
