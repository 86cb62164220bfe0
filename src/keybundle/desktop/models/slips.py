"""The slips of a batch as a table over the bench's state; edits go out as changes and come back as a new state."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QColor

from keybundle.desktop.models.table import Index, TableModel
from keybundle.desktop.presenters.bench_state import SlipTable, TableCell, TableRow
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import value_font
from keybundle.desktop.words import mark, tr, worded

FIXED = (mark("Document"), mark("Type"), mark("State"))


class SlipsModel(TableModel[TableRow]):
    """Rows are documents, columns their fields after ``FIXED``; all of them are known."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(self._answer, parent=parent)
        self.table = SlipTable()
        self._font = value_font(13)

    def _answer(self, ids: list[str], then: Callable[[Mapping[str, TableRow]], None]) -> None:
        """Rows are never asked for: they come with the state."""

    def render_table(self, table: SlipTable) -> None:
        """Show a table; where its columns stay, what is chosen, edited and in sight stays too."""
        is_told_anew, self.table = table.heads != self.table.heads, table
        self._rows = {row.document: row for row in table.rows}
        self.render_ids(tuple(self._rows), (*FIXED, *table.fields))
        self._fresh.update(self._rows)
        if is_told_anew and table.fields:
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, len(FIXED), self.columnCount() - 1)

    def head_told(self, section: int) -> str:
        """Return a column's name, of a field with how many values it holds."""
        return tr(FIXED[section]) if section < len(FIXED) else self.table.heads[section - len(FIXED)]

    def place_of(self, index: Index) -> tuple[str, str]:
        """Return the document and the field that a cell is of; empty for what is no field."""
        is_field = index.column() >= len(FIXED)
        return (self._ids[index.row()], self._heads[index.column()]) if is_field else ("", "")

    def text_of(self, row: TableRow, column: int) -> str:
        """Return what a slip has in a column."""
        cell = _cell(row, column)
        return cell.text if cell is not None else (worded(row.head), row.type, tr(row.state))[column]

    def look_of(self, row: TableRow | None, index: Index, role: int) -> object:
        """Show values as values, unsure ones in brass."""
        cell = _cell(row, index.column()) if row is not None else None
        if cell is None:
            return None
        if role == Qt.ItemDataRole.FontRole:
            return self._font
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(c.BRASS) if cell.unsure else None
        return QColor(c.BRASS_WASH) if cell.unsure else QColor(c.PAPER) if not cell.can_edit else None

    def can_edit_at(self, row: TableRow, column: int) -> bool:
        """Whether the slip has such a field and is not filed."""
        cell = _cell(row, column)
        return cell is not None and cell.can_edit

    def data(self, index: Index, role: int = 0) -> object:
        if role == Qt.ItemDataRole.ToolTipRole and index.isValid():
            row = self.row_of(index.row())
            cell = _cell(row, index.column()) if row is not None else None
            if cell is not None and cell.unsure:
                return cell.problem or tr("Unsure: compare it with the page")
        return super().data(index, role)


def _cell(row: TableRow, column: int) -> TableCell | None:
    return row.cells[column - len(FIXED)] if column >= len(FIXED) else None
