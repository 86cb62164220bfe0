"""What stands in the place of hits where there are none: what can be asked, or what would find something."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QVBoxLayout

from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.work_view import empty_layout
from keybundle.desktop.words import tr, trn


class FindWays(QFrame):
    """Lines to look for; ``chosen`` carries the one that is pressed."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.head, self.told = Told(), Told()
        self.head.setProperty("role", "head")
        for label in (self.head, self.told):
            label.setWordWrap(True)
        self.told.setProperty("role", "quiet")
        self.lines: dict[str, Button] = {}
        self._ways = QVBoxLayout()
        self._ways.setSpacing(2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        for label in (self.head, self.told):
            layout.addWidget(label)
        layout.addLayout(self._ways)
        layout.addStretch(1)

    def render_ways(self, line: str, ways: tuple[tuple[str, int], ...]) -> None:
        """Show what can be asked (no ``line``), or what is near a line that found nothing: lines, and how much they find."""
        empty_layout(self._ways)
        self.lines = {}
        if line:
            self.head.setText(tr("Nothing has all of this"))
            self.told.setText(
                tr("These find something:")
                if ways
                else tr("Nothing near it is there either. Fewer letters of a word are enough.")
            )
        else:
            self.head.setText(tr("Ask for words on a page, or for values"))
            self.told.setText(
                tr(
                    "Words are found by their beginnings, in any order. Field = value, Field > number and Field = from/to "
                    "narrow it; * stands for any letters. Such as:"
                )
                if ways
                else tr("Nothing is filed yet that could be found.")
            )
        for near, total in ways:
            count = trn("{n:,} document", "{n:,} documents", total) if total else ""
            button = self.lines[near] = Button(f"{near}   {count}".rstrip())
            button.setProperty("role", "link")
            button.clicked.connect(lambda _=False, chosen=near: self.chosen.emit(chosen))
            self._ways.addWidget(button, alignment=Qt.AlignmentFlag.AlignLeft)
