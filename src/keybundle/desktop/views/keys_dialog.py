"""The shortcut sheet and command search: everything that can be done, where, and by which key."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.actions.registry import search_commands
from keybundle.desktop.theme.style import value_font
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import mark, tr, trn

PLACES = {
    "everywhere": mark("Everywhere"), "work": mark("Work"), "bench": mark("Bench"),
    "bench strip": mark("Page strip"), "bench slip": mark("Slip"),
    "bench table": mark("Table of slips"),
    "cabinets": mark("Cabinets"), "find": mark("Find"), "find hits": mark("Hits"), "viewer": mark("Viewer"),
    "prepare": mark("Prepare"),
}  # fmt: skip


class KeysDialog(QDialog):
    """Shows all commands with their keys; typing searches them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys and commands"))
        self.resize(720, 560)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search: what do you want to do?"))
        self.line.setAccessibleName(tr("Search commands"))
        self.line.textChanged.connect(self._fill)
        self.table = QTableWidget(0, 4)
        self.table.setHorizontalHeaderLabels([tr("Key"), tr("Command"), tr("What it does"), tr("Where")])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in ((0, 160), (1, 160), (3, 110)):
            self.table.setColumnWidth(column, width)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.told = Told()
        self.told.setProperty("role", "quiet")
        layout = QVBoxLayout(self)
        for part in (self.line, self.table, self.told):
            layout.addWidget(part)
        self._fill("")

    def _fill(self, text: str) -> None:
        found = search_commands(text)
        self.table.setRowCount(len(found))
        for i, command in enumerate(found):
            cells = (
                command.shortcut.replace("Return", "Enter"),
                command.title,
                command.words,
                tr(PLACES[command.place]),
            )
            for j, cell in enumerate(cells):
                item = QTableWidgetItem(cell)
                if j == 0:
                    item.setFont(value_font(13))
                self.table.setItem(i, j, item)
        self.table.resizeRowsToContents()
        self.told.setText(trn("{n:,} command", "{n:,} commands", len(found)))
