"""Looking into a register: its columns, a search line, and a new entry for those who may add one."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.bench_slips import RegisterShown
from keybundle.desktop.views.arrows import ListKeys
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class RegisterSheet(Sheet):
    """``chosen`` carries the value that the field takes, ``added`` a new entry by column."""

    chosen = Signal(str)
    added = Signal(str, object)
    typed = Signal(str)

    def __init__(self, title: str, of: str) -> None:
        super().__init__(title, of=of, width_px=WIDE_PX)
        self._shown: RegisterShown | None = None
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Type words from any column; arrows choose, Enter takes"))
        self.line.setAccessibleName(tr("Words to look for"))
        self.line.textEdited.connect(self.typed.emit)
        ListKeys(self.line, self._step, self._take_current)
        self.table = QTableWidget()
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName(tr("Entries"))
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
        self.add = Button(tr("Add this entry"))
        self.add.clicked.connect(self._add)
        self.open_form = Button(tr("New entry   Ctrl+N"))
        new_entry = QShortcut(QKeySequence("Ctrl+N"), self)
        new_entry.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        new_entry.activated.connect(self._open_form)
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
        self.body.addWidget(self.line)
        self.body.addWidget(self.table, 1)
        self.body.addWidget(self._holder)
        self.body.addLayout(foot)

    def first(self) -> QWidget:
        return self.line

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
        self.count.setText(shown.told)
        self.open_form.setVisible(shown.can_add or shown.can_propose)
        self.add.setText(tr("Add this entry") if shown.can_add else tr("Propose this entry"))
        self.add.setToolTip("" if shown.can_add else tr("It waits until somebody who may add entries says yes"))

    def _step(self, offset: int) -> None:
        self.table.selectRow(max(0, min(self.table.rowCount() - 1, self.table.currentRow() + offset)))

    def _take_current(self) -> None:
        self._take(self.table.currentRow())

    def _take(self, row: int) -> None:
        if self._shown is not None and 0 <= row < len(self._shown.entries):
            self.chosen.emit(self._shown.entries[row].get(self._shown.column, ""))
            self.end()

    def _open_form(self) -> None:
        if self._shown is None or not (self._shown.can_add or self._shown.can_propose) or self.new:
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
            self.end()
