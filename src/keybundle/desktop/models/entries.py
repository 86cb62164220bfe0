"""The entries of a register as a table, by their keys."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QObject, Qt

from keybundle.desktop.models.table import Index, TableModel
from keybundle.desktop.theme.style import value_font

Entry = Mapping[str, str]
Load = Callable[[list[str], Callable[[Mapping[str, Entry]], None]], None]


class EntriesModel(TableModel[Entry]):
    """Columns are those of the register; all cells can be typed over, or none."""

    def __init__(self, load: Load, parent: QObject | None = None) -> None:
        super().__init__(load, parent=parent)
        self._font = value_font(13)
        self.can_change = False

    def render_keys(self, keys: Sequence[str], columns: tuple[str, ...], *, can_change: bool) -> None:
        """Show other entries or columns; those that were changed are read anew."""
        self.can_change = can_change
        self._fresh.clear()
        self.render_ids(keys, columns)

    def text_of(self, row: Entry, column: int) -> str:
        """Return what an entry has in a column."""
        return row.get(self._heads[column], "")

    def look_of(self, row: Entry | None, index: Index, role: int) -> object:
        """Show values as values."""
        return self._font if role == Qt.ItemDataRole.FontRole else None

    def can_edit_at(self, row: Entry, column: int) -> bool:
        """Whether entries can be changed here."""
        return self.can_change
