"""The entries of a register as a table: keys in order, rows fetched when they come into sight, cells typed over."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt, Signal

from keybundle.desktop.models.rows import change_rows
from keybundle.desktop.theme.style import value_font

Index = QModelIndex | QPersistentModelIndex
CHUNK = 80
Rows = Mapping[str, Mapping[str, str]]
Load = Callable[[list[str], Callable[[Rows], None]], None]


class EntriesModel(QAbstractTableModel):
    """Holds keys; asks ``load`` for a chunk around the one that is painted. ``edited`` carries key, column and text."""

    edited = Signal(str, str, str)

    def __init__(self, load: Load, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._load = load
        self._font = value_font(13)
        self._keys: list[str] = []
        self._columns: tuple[str, ...] = ()
        self._rows: dict[str, Mapping[str, str]] = {}
        self._asked: set[str] = set()
        self.can_change = False

    def render_keys(self, keys: Sequence[str], columns: tuple[str, ...], *, can_change: bool) -> None:
        """Show other entries or columns; those that were changed are read anew."""
        self.can_change = can_change
        self._asked.clear()
        if columns != self._columns or not self._keys or not keys:
            self.beginResetModel()
            self._keys[:], self._columns = keys, columns
            if not keys:
                self._rows.clear()
            self.endResetModel()
        else:
            change_rows(self, self._keys, keys, str, len(columns))

    def key_at(self, row: int) -> str:
        """Return the key of the entry in a row."""
        return self._keys[row] if 0 <= row < len(self._keys) else ""

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._keys)

    def columnCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        is_head = orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return self._columns[section] if is_head and section < len(self._columns) else None

    def flags(self, index: Index) -> Qt.ItemFlag:
        own = super().flags(index)
        return own | Qt.ItemFlag.ItemIsEditable if self.can_change and index.isValid() else own

    def data(self, index: Index, role: int = 0) -> object:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.FontRole:
            return self._font
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return None
        row = self._row(index.row())
        return row.get(self._columns[index.column()], "") if row is not None else ""

    def setData(self, index: Index, value: object, role: int = 0) -> bool:
        if role != Qt.ItemDataRole.EditRole or not self.can_change:
            return False
        if str(value) != self.data(index, role):
            self.edited.emit(self._keys[index.row()], self._columns[index.column()], str(value))
        return True

    def _row(self, number: int) -> Mapping[str, str] | None:
        key = self._keys[number]
        if key not in self._asked:
            start = number // CHUNK * CHUNK
            some = self._keys[start : start + CHUNK]
            self._asked.update(some)
            self._load(some, lambda rows: self._came(some, rows))
        return self._rows.get(key)

    def _came(self, asked: list[str], rows: Rows) -> None:
        self._rows |= rows
        wanted = set(asked)
        places = [i for i, key in enumerate(self._keys) if key in wanted]
        if places and self._columns:
            last = self.index(places[-1], len(self._columns) - 1)
            self.dataChanged.emit(self.index(places[0], 0), last)
