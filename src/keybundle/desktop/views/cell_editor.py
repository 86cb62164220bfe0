"""The editor of a table's cell: its keys are its own, whatever they do in the place around it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QColor, QFont, QKeyEvent, QPainter
from PySide6.QtWidgets import QLineEdit, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from keybundle.desktop.models.documents import NOTHING, STANDS, DocumentsModel
from keybundle.desktop.theme import colours as c

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
    """Opens a ``CellEditor`` in a cell, and strikes out the value that stands where another is to take its place."""

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        model = index.model()
        stands = index.data(STANDS) if isinstance(model, DocumentsModel) and model.has_drafts else None
        if stands is None:
            super().paint(painter, option, index)
            return
        own = QStyleOptionViewItem(option)
        self.initStyleOption(own, index)
        style = own.widget.style()
        margin = style.pixelMetric(QStyle.PixelMetric.PM_FocusFrameHMargin, None, own.widget) + 1
        area = style.subElementRect(QStyle.SubElement.SE_ItemViewItemText, own, own.widget)
        area.adjust(margin, 0, -margin, 0)
        draft, own.text = index.data(Qt.ItemDataRole.EditRole), ""
        style.drawControl(QStyle.ControlElement.CE_ItemViewItem, own, painter, own.widget)
        painter.save()
        struck = QFont(own.font)
        struck.setStrikeOut(True)
        half = area.height() // 2
        for text, font, colour, part in (
            (stands, struck, c.QUIET, area.adjusted(0, 0, 0, -half)),
            (draft or NOTHING, own.font, c.BRASS, area.adjusted(0, half, 0, 0)),
        ):
            painter.setFont(font)
            painter.setPen(QColor(colour))
            shown = own.fontMetrics.elidedText(text, own.textElideMode, part.width())
            painter.drawText(part, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()

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
