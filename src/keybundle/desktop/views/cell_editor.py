"""The editor of a table's cell: its keys are its own, whatever they do in the place around it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit, QStyledItemDelegate, QStyleOptionViewItem, QWidget

OWN_KEYS = (
    Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Delete,
)  # fmt: skip


class CellEditor(QLineEdit):
    """A line in a cell: Enter ends it and opens nothing, Delete takes a letter and no document."""

    def event(self, event: QEvent) -> bool:
        is_key = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if is_key and event.key() in OWN_KEYS:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)


class CellDelegate(QStyledItemDelegate):
    """Opens a ``CellEditor`` in a cell."""

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QWidget:
        editor = CellEditor(parent)
        editor.setFrame(False)
        return editor

    def setEditorData(self, editor: QWidget, index: QModelIndex | QPersistentModelIndex) -> None:
        """Show the cell's text; what is being typed is never shown over."""
        if not (isinstance(editor, QLineEdit) and editor.isModified()):
            super().setEditorData(editor, index)
