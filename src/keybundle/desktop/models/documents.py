"""The document table of a cabinet: ids in order, rows fetched when they come into sight."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt

from keybundle.core.repository.model import FiledDocument
from keybundle.desktop.models.rows import change_rows
from keybundle.desktop.theme.style import value_font

Index = QModelIndex | QPersistentModelIndex
CHUNK = 60


class DocumentsModel(QAbstractTableModel):
    """Holds ids; asks ``load`` for a chunk of rows around the one that is painted, ``more`` for the ids that follow."""

    def __init__(
        self, load: Callable[[list[str]], dict[str, FiledDocument]], more: Callable[[], None] = lambda: None,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._load, self._more = load, more
        self._total = 0
        self._ids: list[str] = []
        self._heads: tuple[str, ...] = ()
        self._rows: dict[str, FiledDocument] = {}

    def render_ids(self, ids: tuple[str, ...], heads: tuple[str, ...], total: int = 0) -> None:
        """Show other documents or columns; more may follow, up to ``total``."""
        if ids[: len(self._ids)] != tuple(self._ids) or len(ids) == len(self._ids):
            self._rows = {}
        self._total = total
        if heads != self._heads:
            self.beginResetModel()
            self._ids[:], self._heads = ids, heads
            self.endResetModel()
        else:
            change_rows(self, self._ids, ids, str, len(heads))

    def id_at(self, row: int) -> str | None:
        """Return the document in a row."""
        return self._ids[row] if 0 <= row < len(self._ids) else None

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._ids)

    def canFetchMore(self, parent: Index) -> bool:
        return not parent.isValid() and len(self._ids) < self._total

    def fetchMore(self, parent: Index) -> None:
        self._more()

    def columnCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._heads)

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | (Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else Qt.ItemFlag.NoItemFlags)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self._heads[section]
        return None

    def _row(self, number: int) -> FiledDocument | None:
        wanted = self._ids[number]
        if wanted not in self._rows:
            start = number // CHUNK * CHUNK
            self._rows |= self._load(self._ids[start : start + CHUNK])
        return self._rows.get(wanted)

    def data(self, index: Index, role: int = 0) -> object:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.FontRole and index.column() > 2:
            return value_font(13)
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        document = self._row(index.row())
        if document is None:
            return ""
        if index.column() == 0:
            return document.caption
        if index.column() == 1:
            return document.type
        if index.column() == 2:
            return ", ".join(document.tags)
        value = document.values.get(self._heads[index.column()])
        return value.text if value else ""
