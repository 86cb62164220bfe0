"""The table of slips as an item model over the bench's state; edits go out as changes and come back as a new state."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor

from keybundle.desktop.models.rows import change_rows
from keybundle.desktop.presenters.bench_state import SlipTable, TableCell, TableRow
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import value_font
from keybundle.desktop.words import mark, tr, worded

Index = QModelIndex | QPersistentModelIndex
FIXED = (mark("Document"), mark("Type"), mark("State"))


class SlipsModel(QAbstractTableModel):
    """Rows are documents, columns their fields after ``FIXED``; ``edited`` carries (document, field, text)."""

    edited = Signal(str, str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.table = SlipTable()
        self._rows: list[TableRow] = []

    def render_table(self, table: SlipTable) -> None:
        """Show a table; where its columns stay, what is chosen, edited and in sight stays too."""
        if table.fields != self.table.fields:
            self.beginResetModel()
            self.table, self._rows[:] = table, table.rows
            self.endResetModel()
            return
        is_told_anew, self.table = table.heads != self.table.heads, table
        change_rows(self, self._rows, table.rows, lambda row: row.document, self.columnCount())
        if is_told_anew:
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, len(FIXED), self.columnCount() - 1)

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(FIXED) + len(self.table.fields)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role != Qt.ItemDataRole.DisplayRole or orientation is not Qt.Orientation.Horizontal:
            return None
        return tr(FIXED[section]) if section < len(FIXED) else self.table.heads[section - len(FIXED)]

    def _cell(self, index: Index) -> TableCell | None:
        column = index.column() - len(FIXED)
        return self._rows[index.row()].cells[column] if column >= 0 else None

    def place_of(self, index: Index) -> tuple[str, str]:
        """Return the document and the field that a cell is of; empty for what is no field."""
        column = index.column() - len(FIXED)
        return (self._rows[index.row()].document, self.table.fields[column]) if column >= 0 else ("", "")

    def data(self, index: Index, role: int = 0) -> object:
        if not index.isValid():
            return None
        row, cell = self._rows[index.row()], self._cell(index)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return cell.text if cell is not None else (worded(row.head), row.type, tr(row.state))[index.column()]
        if role == Qt.ItemDataRole.FontRole and cell is not None:
            return value_font(13)
        if role == Qt.ItemDataRole.ForegroundRole and cell is not None and cell.unsure:
            return QColor(c.BRASS)
        if role == Qt.ItemDataRole.BackgroundRole and cell is not None:
            return QColor(c.BRASS_WASH) if cell.unsure else QColor(c.PAPER) if not cell.can_edit else None
        if role == Qt.ItemDataRole.ToolTipRole and cell is not None and cell.unsure:
            return cell.problem or tr("Unsure: compare it with the page")
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        plain, cell = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable, self._cell(index)
        return plain | Qt.ItemFlag.ItemIsEditable if cell is not None and cell.can_edit else plain

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        cell = self._cell(index)
        if cell is None or not cell.can_edit or str(value) == cell.text:
            return False
        self.edited.emit(self._rows[index.row()].document, self.table.fields[index.column() - len(FIXED)], str(value))
        return True
