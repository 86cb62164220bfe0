"""The document table of a cabinet: ids in order, rows fetched when they come into sight."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor

from keybundle.core.repository.model import FiledDocument
from keybundle.desktop.models.rows import change_rows
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import value_font

Index = QModelIndex | QPersistentModelIndex
CHUNK = 60
FIXED, TAGS = 3, 2

# The role by which a cell tells the value that stands where another is to take its place.
STANDS = Qt.ItemDataRole.UserRole + 1
NOTHING = "-"
ROLES = frozenset({
    STANDS, Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.FontRole,
    Qt.ItemDataRole.ForegroundRole,
})  # fmt: skip
# Reads documents by id, and hands them over when they are read.
Load = Callable[[list[str], Callable[[Mapping[str, FiledDocument]], None]], None]


class DocumentsModel(QAbstractTableModel):
    """Holds ids; asks ``load`` for a chunk of rows around the one that is painted, ``more`` for the ids that follow.

    Rows come when they are read, and are shown then; what is shown while they are read anew is what was known before.

    ``edited`` carries (document, field, text) of a cell that somebody corrected.
    """

    edited = Signal(str, str, str)

    def __init__(self, load: Load, more: Callable[[], None] = lambda: None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._load, self._more = load, more
        self._value_font = value_font(13)
        self._total = 0
        self._is_changing = False
        self._drafts: dict[str, dict[str, str]] = {}
        self._problems: Mapping[tuple[str, str], str] = {}
        self.tag_colours: Mapping[str, str] = {}
        self._editable: Mapping[str, frozenset[str]] = {}
        self._ids: list[str] = []
        self._heads: tuple[str, ...] = ()
        self._rows: dict[str, FiledDocument] = {}
        self._fresh: set[str] = set()  # read, or being read, since the list was last told

    def render_ids(self, ids: tuple[str, ...], heads: tuple[str, ...], total: int = 0) -> None:
        """Show other documents or columns; more may follow, up to ``total``."""
        if (
            self._is_changing
        ):  # a view tells of its selection in the midst of a removal: it is told of all that in a moment
            return
        self._is_changing = True
        try:
            self._change(ids, heads, total)
        finally:
            self._is_changing = False

    def _change(self, ids: tuple[str, ...], heads: tuple[str, ...], total: int) -> None:
        if ids[: len(self._ids)] != tuple(self._ids) or len(ids) == len(self._ids):
            self._fresh.clear()
        self._total = total
        if heads != self._heads:
            self.beginResetModel()
            self._ids[:], self._heads = ids, heads
            self.endResetModel()
        else:
            change_rows(self, self._ids, ids, str, len(heads))

    @property
    def has_drafts(self) -> bool:
        """Whether any cell has a value that is not kept yet."""
        return bool(self._drafts)

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
        if not index.isValid():
            return super().flags(index)
        can_edit = self._field_at(index) is not None
        return (
            super().flags(index)
            | Qt.ItemFlag.ItemIsDragEnabled
            | (Qt.ItemFlag.ItemIsEditable if can_edit else Qt.ItemFlag.NoItemFlags)
        )

    def render_drafts(
        self, drafts: Mapping[str, Mapping[str, str]], editable: Mapping[str, frozenset[str]],
        problems: Mapping[tuple[str, str], str],
    ) -> list[int]:  # fmt: skip
        """Show values that are not kept yet, below those that stand; return the rows that have some, or had."""
        self._problems = problems
        touched = {*self._drafts, *drafts}
        self._drafts, self._editable = {d: dict(texts) for d, texts in drafts.items()}, editable
        rows = [i for i, key in enumerate(self._ids) if key in touched]
        for row in rows:
            self.dataChanged.emit(self.index(row, 0), self.index(row, len(self._heads) - 1))
        return rows

    def place_of(self, index: Index) -> tuple[str, str]:
        """Return the type and the field, by name, that a cell is of."""
        document = self._row(index.row())
        return (document.type if document is not None else "", self._heads[index.column()])

    def values_of(self, ids: Iterable[str], head: str) -> dict[str, tuple[str, int, str]]:
        """Return what stands in a column for documents, each with its revision and type; only where it can be corrected."""
        rows = {i: self._row(self._ids.index(i)) for i in ids if i in self._ids}
        found = {i: d for i, d in rows.items() if d is not None and head in self._editable.get(d.type, ())}
        return {i: (d.values[head].text if head in d.values else "", d.revision, d.type) for i, d in found.items()}

    def _field_at(self, index: Index) -> str | None:
        """Return the field that a cell shows where it can be corrected."""
        if index.column() < FIXED or not self._editable:
            return None
        document, head = self._row(index.row()), self._heads[index.column()]
        return head if document is not None and head in self._editable.get(document.type, ()) else None

    def setData(self, index: Index, value: object, role: int = 0) -> bool:
        head = self._field_at(index)
        if role != Qt.ItemDataRole.EditRole or head is None:
            return False
        document = self._ids[index.row()]
        if str(value) != self.data(index, role):
            self.edited.emit(document, head, str(value))
        return True

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self._heads[section]
        return None

    def _row(self, number: int) -> FiledDocument | None:
        wanted = self._ids[number]
        if wanted not in self._fresh:
            start = number // CHUNK * CHUNK
            chunk = self._ids[start : start + CHUNK]
            self._fresh.update(chunk)
            self._load(chunk, lambda rows: self._came(chunk, rows))
        return self._rows.get(wanted)

    def _came(self, asked: list[str], rows: Mapping[str, FiledDocument]) -> None:
        """Take in rows that were read; they are shown where they stand by now."""
        wanted = set(asked)
        self._rows = {i: d for i, d in self._rows.items() if i not in wanted} | dict(rows)
        numbers = [n for n, i in enumerate(self._ids) if i in wanted]
        if numbers and self._heads:
            last = self.index(numbers[-1], len(self._heads) - 1)
            self.dataChanged.emit(self.index(numbers[0], 0), last)

    def fetch(self, ids: Iterable[str], then: Callable[[], None]) -> None:
        """Do something once the rows of these documents are read: at once where they are."""
        missing = [i for i in ids if i not in self._rows]
        if not missing:
            then()
            return

        def came(rows: Mapping[str, FiledDocument]) -> None:
            self._rows |= rows
            then()

        self._load(missing, came)

    def data(self, index: Index, role: int = 0) -> object:
        # Painting asks for nine roles of every cell in sight.
        if role not in ROLES or not index.isValid():
            return None
        if role == Qt.ItemDataRole.FontRole:
            return self._value_font if index.column() >= FIXED else None
        draft = self._draft_at(index) if self._drafts else None
        if role == Qt.ItemDataRole.ForegroundRole and draft is not None:
            return QColor(c.MADDER if self._problem_at(index) else c.BRASS)
        if role == Qt.ItemDataRole.ToolTipRole and (problem := self._problem_at(index)):
            return problem
        if role == STANDS and draft is None:
            return None
        document = self._row(index.row())
        if role == Qt.ItemDataRole.ForegroundRole:
            coloured = (
                [t for t in document.tags if t in self.tag_colours] if document and index.column() == TAGS else []
            )
            return QColor(c.TAG[self.tag_colours[coloured[0]]][0]) if coloured else None
        if document is None:
            return ""
        if index.column() == 0:
            return document.caption
        if index.column() == 1:
            return document.type
        if index.column() == 2:
            return ", ".join(self._tag(tag) for tag in document.tags)
        value = document.values.get(self._heads[index.column()])
        stands = value.text if value else ""
        if draft is None or role == STANDS:
            return stands
        return draft if role == Qt.ItemDataRole.EditRole else f"{stands or NOTHING}\n{draft or NOTHING}"

    def _tag(self, tag: str) -> str:
        return f"{c.TAG[self.tag_colours[tag]][1]} {tag}" if tag in self.tag_colours else tag

    def _problem_at(self, index: Index) -> str:
        return self._problems.get((self._ids[index.row()], self._heads[index.column()]), "") if self._problems else ""

    def _draft_at(self, index: Index) -> str | None:
        return self._drafts.get(self._ids[index.row()], {}).get(self._heads[index.column()])
