"""Looking into a register: its columns, a search line, and a new entry for those who may add one."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.bench_slips import RegisterShown
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told


class RegisterDialog(QDialog):
    """``chosen`` carries the value that the field takes, ``added`` a new entry by column."""

    chosen = Signal(str)
    added = Signal(str, object)
    typed = Signal(str)

    def __init__(self, field: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shown: RegisterShown | None = None
        self.setWindowTitle(f"Look up {field}")
        self.resize(760, 480)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Type words from any column; arrows choose, Enter takes")
        self.line.setAccessibleName("Words to look for")
        self.line.textEdited.connect(self.typed.emit)
        self.line.installEventFilter(self)
        self.table = QTableWidget()
        self.table.setAccessibleName("Entries")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.cellActivated.connect(lambda row, _: self._take(row))
        self.count = Told()
        self.count.setProperty("role", "quiet")
        self.form = QFormLayout()
        self.new: dict[str, QLineEdit] = {}
        self.add = Button("Add this entry")
        self.add.setAutoDefault(False)
        self.add.clicked.connect(self._add)
        self.open_form = Button("New entry   Ctrl+N")
        self.open_form.setAutoDefault(False)
        self.open_form.setShortcut("Ctrl+N")
        self.open_form.clicked.connect(self._open_form)
        self._holder = QWidget()
        holder = QVBoxLayout(self._holder)
        holder.setContentsMargins(0, 0, 0, 0)
        holder.addLayout(self.form)
        holder.addWidget(self.add, alignment=Qt.AlignmentFlag.AlignRight)
        self._holder.hide()
        foot = QHBoxLayout()
        foot.addWidget(self.count, 1)
        foot.addWidget(self.open_form)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.table, 1)
        layout.addWidget(self._holder)
        layout.addLayout(foot)

    def render_entries(self, shown: RegisterShown) -> None:
        """Show entries; the first one is chosen."""
        first = self._shown is None
        self._shown = shown
        self.table.setColumnCount(len(shown.columns))
        self.table.setHorizontalHeaderLabels(list(shown.columns))
        self.table.setRowCount(len(shown.entries))
        for i, entry in enumerate(shown.entries):
            for j, column in enumerate(shown.columns):
                self.table.setItem(i, j, QTableWidgetItem(entry.get(column, "")))
        if first:
            self.table.resizeColumnsToContents()
            self.table.horizontalHeader().setStretchLastSection(True)
        if shown.entries:
            self.table.selectRow(0)
        self.count.setText(f"{len(shown.entries)} shown" + (" (type to narrow)" if len(shown.entries) >= 200 else ""))
        self.open_form.setVisible(shown.can_add)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row, step = self.table.currentRow(), {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step:
                self.table.selectRow(max(0, min(self.table.rowCount() - 1, row + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(row)
                return True
        return False

    def _take(self, row: int) -> None:
        if self._shown is not None and 0 <= row < len(self._shown.entries):
            self.chosen.emit(self._shown.entries[row].get(self._shown.column, ""))
            self.accept()

    def _open_form(self) -> None:
        if self._shown is None or self.new:
            return
        for column in self._shown.columns:
            line = self.new[column] = QLineEdit()
            line.setAccessibleName(column)
            self.form.addRow(column, line)
        self.new[self._shown.column].setText(self.line.text())
        self._holder.show()
        self.new[self._shown.columns[0]].setFocus()

    def _add(self) -> None:
        if self._shown is not None:
            self.added.emit(self._shown.register, {c: line.text() for c, line in self.new.items()})
            self.accept()
