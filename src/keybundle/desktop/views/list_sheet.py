"""Sentences that somebody wants to read, such as what was refused or where rules and people disagree."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QWidget

from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet


class ListSheet(Sheet):
    """Shows the sentences."""

    def __init__(self, title: str, head: str, sentences: Sequence[str]) -> None:
        super().__init__(title, head, width_px=WIDE_PX)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.list.addItems(list(sentences))
        self.list.setAccessibleName(title)
        self.body.addWidget(self.list, 1)

    def first(self) -> QWidget:
        return self.list
