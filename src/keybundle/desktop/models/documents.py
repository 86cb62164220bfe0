"""The document table of a cabinet: what stands, and below it what is drafted and not kept yet."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QColor

from keybundle.core.repository.model import FiledDocument
from keybundle.desktop.models.table import LOOKS, TEXTS, Index, TableModel
from keybundle.desktop.presenters.cabinet_changes import Standing, standing_of
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import value_font

FIXED, TAGS = 3, 2
# The role by which a cell tells the value that stands where another is to take its place.
STANDS = Qt.ItemDataRole.UserRole + 1
NOTHING = "-"
# Reads documents by id, and hands them over when they are read.
Load = Callable[[list[str], Callable[[Mapping[str, FiledDocument]], None]], None]


class DocumentsModel(TableModel[FiledDocument]):
    """Columns are name, type, tags and the fields of the cabinet, by name."""

    roles = frozenset({STANDS, *TEXTS, *LOOKS})

    def __init__(self, load: Load, more: Callable[[], None] = lambda: None, parent: QObject | None = None) -> None:
        super().__init__(load, more, parent)
        self._value_font = value_font(13)
        self._drafts: dict[str, dict[str, str]] = {}
        self._problems: Mapping[tuple[str, str], str] = {}
        self.tag_colours: Mapping[str, str] = {}
        self._editable: Mapping[str, frozenset[str]] = {}

    @property
    def has_drafts(self) -> bool:
        """Whether any cell has a value that is not kept yet."""
        return bool(self._drafts)

    def flags(self, index: Index) -> Qt.ItemFlag:
        own = super().flags(index)
        return own | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else own

    def render_drafts(
        self, drafts: Mapping[str, Mapping[str, str]], editable: Mapping[str, frozenset[str]],
        problems: Mapping[tuple[str, str], str],
    ) -> list[int]:  # fmt: skip
        """Show values that are not kept yet, below those that stand; return the rows that have some, or had."""
        self._problems = problems
        touched = {*self._drafts, *drafts}
        self._drafts, self._editable = {d: dict(texts) for d, texts in drafts.items()}, editable
        rows = [i for i, key in enumerate(self._ids) if key in touched] if touched else []
        for row in rows:
            self.dataChanged.emit(self.index(row, 0), self.index(row, len(self._heads) - 1))
        return rows

    def place_of(self, index: Index) -> tuple[str, str]:
        """Return the type and the field, by name, that a cell is of."""
        document = self.row_of(index.row())
        return (document.type if document is not None else "", self._heads[index.column()])

    def values_of(self, ids: Iterable[str], head: str) -> dict[str, Standing]:
        """Return what stands in a column for documents; only where it can be corrected."""
        numbers = {key: i for i, key in enumerate(self._ids)}
        rows = {i: self.row_of(numbers[i]) for i in ids if i in numbers}
        found = {i: d for i, d in rows.items() if d is not None and head in self._editable.get(d.type, ())}
        return {i: standing_of(d, head) for i, d in found.items()}

    def caption_of(self, document: str) -> str:
        """Return what a document of the list is called, as far as it was read."""
        row = self._rows.get(document)
        return row.caption if row is not None else document

    def can_edit_at(self, row: FiledDocument, column: int) -> bool:
        """Whether a document's type has the field, and it may be corrected."""
        return column >= FIXED and self._heads[column] in self._editable.get(row.type, ())

    def text_of(self, row: FiledDocument, column: int) -> str:
        """Return what stands in a cell, whatever is drafted there."""
        if column < TAGS:
            return (row.caption, row.type)[column]
        if column == TAGS:
            return ", ".join(self._tag(tag) for tag in row.tags)
        value = row.values.get(self._heads[column])
        return value.text if value else ""

    def look_of(self, row: FiledDocument | None, index: Index, role: int) -> object:
        """Show values as values, a coloured tag in its colour."""
        if role == Qt.ItemDataRole.FontRole:
            return self._value_font if index.column() >= FIXED else None
        if role == Qt.ItemDataRole.ForegroundRole and row is not None and index.column() == TAGS:
            coloured = [t for t in row.tags if t in self.tag_colours]
            return QColor(c.TAG[self.tag_colours[coloured[0]]][0]) if coloured else None
        return None

    def data(self, index: Index, role: int = 0) -> object:
        draft = self._draft_at(index) if self._drafts and role in self.roles and index.isValid() else None
        if draft is None:
            return None if role == STANDS else super().data(index, role)
        problem = self._problems.get((self._ids[index.row()], self._heads[index.column()]), "")
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(c.MADDER if problem else c.BRASS)
        if role == Qt.ItemDataRole.ToolTipRole and problem:
            return problem
        if role not in (STANDS, *TEXTS):
            return super().data(index, role)
        stands = super().data(index, Qt.ItemDataRole.DisplayRole)
        if role == STANDS:
            return stands
        return draft if role == Qt.ItemDataRole.EditRole else f"{stands or NOTHING}\n{draft or NOTHING}"

    def _tag(self, tag: str) -> str:
        return f"{c.TAG[self.tag_colours[tag]][1]} {tag}" if tag in self.tag_colours else tag

    def _draft_at(self, index: Index) -> str | None:
        return self._drafts.get(self._ids[index.row()], {}).get(self._heads[index.column()])
