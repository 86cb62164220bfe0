"""A table of things known by id: ids in order, rows fetched when they come into sight, cells typed over.

All tables of values stand on it: filed documents, the slips of a batch, the entries of a register.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Generic, TypeVar

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt, Signal

from keybundle.desktop.models.rows import change_rows

Index = QModelIndex | QPersistentModelIndex
Row = TypeVar("Row")
CHUNK = 60
TEXTS = (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.EditRole)
LOOKS = (Qt.ItemDataRole.FontRole, Qt.ItemDataRole.ForegroundRole, Qt.ItemDataRole.BackgroundRole)


class TableModel(QAbstractTableModel, Generic[Row]):
    """Asks ``load`` for a chunk of rows around the one that is painted, ``more`` for the ids that follow.

    Rows come when they are read, and are shown then; what is shown while they are read anew is what was known before.
    ``edited`` carries (id, column, text) of a cell that somebody typed over. What a table says of its own stands in
    ``text_of``, ``look_of``, ``can_edit_at`` and ``roles``.
    """

    edited = Signal(str, str, str)

    def __init__(
        self, load: Callable[[list[str], Callable[[Mapping[str, Row]], None]], None],
        more: Callable[[], None] = lambda: None, parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._load, self._more = load, more
        self._total = 0
        self._is_changing = False
        self._ids: list[str] = []
        self._heads: tuple[str, ...] = ()
        self._rows: dict[str, Row] = {}
        self._fresh: set[str] = set()  # read, or being read, since the list was last told

    # -- what a table says of its own ----------------------------------------------------------------------------------

    roles: frozenset[int] = frozenset({*TEXTS, *LOOKS})

    def text_of(self, row: Row, column: int) -> str:
        """Return what stands in a cell."""
        raise NotImplementedError

    def look_of(self, row: Row | None, index: Index, role: int) -> object:
        """Return a font or a colour of a cell; None for the usual one."""
        return None

    def can_edit_at(self, row: Row, column: int) -> bool:
        """Whether a cell can be typed over."""
        return False

    # -- ids and rows --------------------------------------------------------------------------------------------------

    def render_ids(self, ids: Sequence[str], heads: tuple[str, ...], total: int = 0) -> None:
        """Show other things or columns; more may follow, up to ``total``. What stays keeps its place and its editor."""
        if self._is_changing:
            return  # a view tells of its selection in the midst of a removal: it is told of all that in a moment
        self._is_changing = True
        try:
            self._change(ids, heads, total)
        finally:
            self._is_changing = False

    def _change(self, ids: Sequence[str], heads: tuple[str, ...], total: int) -> None:
        if list(ids[: len(self._ids)]) != self._ids or len(ids) == len(self._ids):
            self._fresh.clear()
        self._total = total
        if heads != self._heads:
            self.beginResetModel()
            self._ids[:], self._heads = ids, heads
            self.endResetModel()
        else:
            change_rows(self, self._ids, ids, str, len(heads))

    @property
    def heads(self) -> tuple[str, ...]:
        """The columns, in the order of the model."""
        return self._heads

    def id_at(self, row: int) -> str | None:
        """Return what is in a row."""
        return self._ids[row] if 0 <= row < len(self._ids) else None

    def row_of(self, number: int) -> Row | None:
        """Return a row as far as it was read; it is asked for where it was not."""
        wanted = self._ids[number]
        if wanted not in self._fresh:
            start = number // CHUNK * CHUNK
            chunk = self._ids[start : start + CHUNK]
            self._fresh.update(chunk)
            self._load(chunk, lambda rows: self._came(chunk, rows))
        return self._rows.get(wanted)

    def _came(self, asked: list[str], rows: Mapping[str, Row]) -> None:
        """Take in rows that were read; they are shown where they stand by now."""
        wanted = set(asked)
        self._rows = {i: d for i, d in self._rows.items() if i not in wanted} | dict(rows)
        numbers = [n for n, i in enumerate(self._ids) if i in wanted]
        if numbers and self._heads:
            last = self.index(numbers[-1], len(self._heads) - 1)
            self.dataChanged.emit(self.index(numbers[0], 0), last)

    def fetch(self, ids: Iterable[str], then: Callable[[], None]) -> None:
        """Do something once these rows are read: at once where they are."""
        missing = [i for i in ids if i not in self._rows]
        if not missing:
            then()
            return

        def came(rows: Mapping[str, Row]) -> None:
            self._rows |= rows
            then()

        self._load(missing, came)

    # -- what Qt asks --------------------------------------------------------------------------------------------------

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._ids)

    def columnCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._heads)

    def canFetchMore(self, parent: Index) -> bool:
        return not parent.isValid() and len(self._ids) < self._total

    def fetchMore(self, parent: Index) -> None:
        self._more()

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        is_head = orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return self.head_told(section) if is_head and section < len(self._heads) else None

    def head_told(self, section: int) -> str:
        """Return what stands over a column."""
        return self._heads[section]

    def can_edit(self, index: Index) -> bool:
        """Whether a cell can be typed over now."""
        row = self.row_of(index.row()) if index.isValid() else None
        return row is not None and self.can_edit_at(row, index.column())

    def can_type(self, key: str, head: str) -> bool:
        """Whether a cell of a row that was read can be typed over now, by the row's id and the column's head."""
        row = self._rows.get(key)
        return row is not None and head in self._heads and self.can_edit_at(row, self._heads.index(head))

    def flags(self, index: Index) -> Qt.ItemFlag:
        own = super().flags(index)
        return own | Qt.ItemFlag.ItemIsEditable if index.isValid() and self.can_edit(index) else own

    def data(self, index: Index, role: int = 0) -> object:
        # Painting asks for nine roles of every cell in sight.
        if role not in self.roles or not index.isValid():
            return None
        row = self.row_of(index.row())
        if role not in TEXTS:
            return self.look_of(row, index, role)
        return self.text_of(row, index.column()) if row is not None else ""

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        # Where an editor was open what is typed counts, whatever became of the row meanwhile; who hears it decides.
        if role != Qt.ItemDataRole.EditRole or not index.isValid() or str(value) == self.data(index, role):
            return False
        self.edited.emit(self._ids[index.row()], self._heads[index.column()], str(value))
        return True
