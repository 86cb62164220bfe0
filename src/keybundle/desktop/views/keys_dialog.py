"""The shortcut sheet and command search: everything that can be done, where, and by which key."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
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
    "prepare": mark("Prepare"), "table": mark("Tables"),
}  # fmt: skip


class KeysDialog(QDialog):
    """Shows all commands with their keys; typing searches them, Enter runs the marked one (``command_chosen``)."""

    command_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys and commands"))
        self.resize(720, 560)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search: what do you want to do?"))
        self.line.setAccessibleName(tr("Search commands"))
        self.line.textChanged.connect(self._fill)
        self.line.returnPressed.connect(self._choose)
        self.line.installEventFilter(self)
        self._ids: list[str] = []
        self.table = QTableWidget(0, 4)
        self.table.setHorizontalHeaderLabels([tr("Key"), tr("Command"), tr("What it does"), tr("Where")])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.itemActivated.connect(lambda _: self._choose())
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
                "   ".join(command.keys).replace("Return", "Enter"),
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
        self._ids = [command.id for command in found]
        self.table.selectRow(0)
        self.told.setText(trn("{n:,} command", "{n:,} commands", len(found)) + tr("; Enter runs the marked one"))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let the arrows mark another command while somebody types."""
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() in steps:
            row = self.table.currentRow() + steps[Qt.Key(event.key())]
            self.table.selectRow(max(0, min(self.table.rowCount() - 1, row)))
            return True
        return False

    def _choose(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._ids):
            self.accept()
            self.command_chosen.emit(self._ids[row])
