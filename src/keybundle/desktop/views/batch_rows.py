"""The rows of the work list: each batch one wide row with its progress band."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from keybundle.desktop.models.rows import change_rows
from keybundle.desktop.presenters.work_state import BatchRow
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font
from keybundle.desktop.views.bar import paint_band

Index = QModelIndex | QPersistentModelIndex
ROW_HEIGHT = 88


class BatchModel(QAbstractListModel):
    """The rows of the work list."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: list[BatchRow] = []

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: Index, role: int = 0) -> object:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.title}, {row.told}, {row.counts}"
        return None

    def render_rows(self, rows: tuple[BatchRow, ...]) -> None:
        """Show rows; the ones that stay keep their place."""
        change_rows(self, self.rows, rows, lambda row: row.id)


class BatchDelegate(QStyledItemDelegate):
    """Paints one wide row: sign, title, age, progress band, counts in words."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(300, ROW_HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row: BatchRow = index.data(Qt.ItemDataRole.UserRole)
        rect = QRectF(option.rect).adjusted(4, 4, -4, -4)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        has_focus = bool(option.state & QStyle.StateFlag.State_HasFocus)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(c.TEAL if chosen else c.HAIRLINE), 2 if chosen else 1))
        painter.setBrush(QColor(c.TEAL_WASH if chosen and has_focus else c.CARD))
        painter.drawRoundedRect(rect, 4, 4)
        sign = QRectF(rect.left() + 12, rect.top() + 14, 44, 44)
        painter.setPen(QPen(QColor(c.SLATE), 1.5))
        painter.setBrush(QColor(c.SLATE_WASH))
        painter.drawRect(sign)
        painter.setFont(interface_font(17, bold=True))
        painter.setPen(QColor(c.SLATE))
        painter.drawText(sign, Qt.AlignmentFlag.AlignCenter, row.sign)
        left = rect.left() + 70
        painter.setFont(interface_font(15, bold=True))
        painter.setPen(QColor(c.INK))
        line = QRectF(left, rect.top() + 9, rect.width() - 84, 20)
        quiet_font, side = interface_font(13), Qt.AlignmentFlag.AlignVCenter
        told_width = QFontMetrics(quiet_font).horizontalAdvance(row.told) + 16
        title = painter.fontMetrics().elidedText(row.title, Qt.TextElideMode.ElideRight, int(line.width() - told_width))
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | side, title)
        painter.setFont(quiet_font)
        painter.setPen(QColor(c.QUIET))
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | side, row.told)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        paint_band(painter, QRectF(left, rect.top() + 34, rect.width() - 84, 14), row.band)
        painter.setFont(interface_font(13))
        painter.setPen(QColor(c.INK))
        words = QRectF(left, rect.top() + 53, rect.width() - 84, 20)
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, row.counts)
        painter.restore()
