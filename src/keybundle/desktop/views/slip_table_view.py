"""All slips of a batch as a table, edited like a sheet: one value for many at once, filled down, exceptions in place."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QModelIndex, Qt, Signal, SignalInstance
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.desktop.models.slips import FIXED, SlipsModel
from keybundle.desktop.presenters.asking import Asked, ValueHelp
from keybundle.desktop.presenters.bench_state import SlipTable
from keybundle.desktop.presenters.bench_wording import narrow_table
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.views.calm import Choice
from keybundle.desktop.views.cell_editor import Ask, CellDelegate
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.value_table import ValueTable
from keybundle.desktop.views.work_view import fill_box
from keybundle.desktop.words import mark, tr

ALL = mark("All types")


class HelpsTable(Protocol):
    """What the table asks of who shows it: what an editor must know of a cell, what is remembered, and an order of rows."""

    help: ValueHelp
    failed: SignalInstance

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how the table was left."""

    def asked(self, document: str, field: str) -> Asked | None:
        """Return what an editor must know of a field of a document."""

    def order_table(self, table: SlipTable, head: str, *, descending: bool) -> SlipTable:
        """Return the rows in the order of a column."""


class SlipTableView(QWidget):
    """``changed`` carries a list of (document, field, text); ``document_chosen`` the document of the current row."""

    changed = Signal(object)
    document_chosen = Signal(str)

    def __init__(self, help_for: HelpsTable, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._table, self._sorted = SlipTable(), ("", False)
        self._order = help_for.order_table
        self._ask: Ask = lambda index: help_for.asked(*self.model.place_of(index))
        self.model = SlipsModel(self)
        self.model.edited.connect(self._edited)
        self.grid = ValueTable()
        self.grid.set_up(self.model, help_for.remembered, "slip columns")
        self.grid.sort_asked.connect(self._sort)
        self.grid.pasted.connect(self.changed)
        self.grid.refused.connect(help_for.failed)
        self.grid.setItemDelegate(CellDelegate(self.grid, self._ask, help_for.help))
        self.grid.setAccessibleName(tr("Table of slips"))
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.grid.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )  # fmt: skip
        self.grid.verticalHeader().setDefaultSectionSize(28)
        self.grid.setShowGrid(True)
        self.grid.selectionModel().currentChanged.connect(self._current_changed)
        told = Told(
            tr(
                "Select cells and type: the value goes to all selected documents. Ctrl+Down fills the "
                "top value down. Every change can be undone."
            )
        )
        told.setProperty("role", "quiet")
        self.types = Choice()
        self.types.setAccessibleName(tr("Slips of this type"))
        self.types.textActivated.connect(lambda _: self._show())
        head = QHBoxLayout()
        head.addWidget(self.types)
        head.addWidget(told, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 4, 14, 8)
        layout.addLayout(head)
        layout.addWidget(self.grid, 1)

    def render_table(self, table: SlipTable) -> None:
        """Show the slips, those of the chosen type alone."""
        self._table = table
        fill_box(
            self.types,
            [tr(ALL), *dict.fromkeys(r.type for r in table.rows if r.type)],
            self.types.currentText() or tr(ALL),
        )
        self._show()

    def _show(self) -> None:
        chosen = self.types.currentText()
        table = narrow_table(self._table, "" if chosen == tr(ALL) else chosen)
        head, descending = self._sorted
        self.model.render_table(self._order(table, head, descending=descending))
        self.grid.show_columns_of(" ".join(table.fields))
        self.grid.show_sort(head, descending=descending)

    def _sort(self, head: str, descending: bool) -> None:
        self._sorted = (head, descending)
        self._show()

    def _selected(self, column: int) -> list[QModelIndex]:
        chosen = [i for i in self.grid.selectionModel().selectedIndexes() if i.column() == column]
        return sorted(chosen, key=lambda i: i.row())

    def _target(self, index: QModelIndex, text: str) -> tuple[str, str, str] | None:
        if not self.model.flags(index) & Qt.ItemFlag.ItemIsEditable:
            return None
        return self.model.table.rows[index.row()].document, self.model.table.fields[index.column() - len(FIXED)], text

    def _edited(self, document: str, field: str, text: str) -> None:
        """Give the typed value to every selected document, where more than one cell of the column is selected."""
        column = self.model.table.fields.index(field) + len(FIXED)
        found = [t for i in self._selected(column) if (t := self._target(i, text)) is not None]
        self.changed.emit(found if any(t[0] == document for t in found) else [(document, field, text)])

    def fill_down(self) -> None:
        """Give the topmost selected value of each column to the selected cells below it."""
        changes: list[tuple[str, str, str]] = []
        for column in sorted({i.column() for i in self.grid.selectionModel().selectedIndexes()}):
            chosen = self._selected(column)
            if column >= len(FIXED) and len(chosen) > 1:
                text = str(self.model.data(chosen[0], Qt.ItemDataRole.EditRole))
                changes += [t for i in chosen[1:] if (t := self._target(i, text)) is not None]
        self.changed.emit(changes)

    def _current_changed(self, current: QModelIndex, _before: QModelIndex) -> None:
        if current.isValid():
            self.document_chosen.emit(self.model.table.rows[current.row()].document)
