"""The narrow strip of a document's pages beside the page: small pictures, made when they come into sight."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QAbstractListModel, QModelIndex, QObject, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font
from keybundle.desktop.words import tr

Index = QModelIndex | QPersistentModelIndex
WIDTH_PX, PICTURE_PX = 116, 116


class RailModel(QAbstractListModel):
    """So many pages; ``thumbnail`` gives the file of each small picture, empty while it is being made."""

    def __init__(self, thumbnail: Callable[[int], str], parent: QObject) -> None:
        super().__init__(parent)
        self._thumbnail = thumbnail
        self._count = 0

    def render_count(self, count: int) -> None:
        """Show the pages of another document."""
        self.beginResetModel()
        self._count = count
        self.endResetModel()

    def tell_made(self, position: int) -> None:
        """Show a small picture that is there now."""
        if position < self._count:
            self.dataChanged.emit(self.index(position), self.index(position))

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else self._count

    def data(self, index: Index, role: int = 0) -> object:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.DecorationRole:
            return self._thumbnail(index.row())
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return tr("Page {index}", index=index.row() + 1)
        return None


class _Delegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(WIDTH_PX - 16, PICTURE_PX + 26)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        area = QRectF(option.rect).adjusted(6, 4, -6, -2)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        if chosen:
            painter.fillRect(QRectF(option.rect), QColor(c.SLATE_WASH))
            painter.fillRect(QRectF(option.rect.left(), option.rect.top(), 3, option.rect.height()), QColor(c.SLATE))
        pixmap = QPixmap(str(index.data(Qt.ItemDataRole.DecorationRole)))
        room = QRectF(area.left(), area.top(), area.width(), PICTURE_PX)
        size = pixmap.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        if pixmap.isNull():
            size = QSize(int(PICTURE_PX * 0.7), PICTURE_PX)
        place = QRectF(room.center().x() - size.width() / 2, room.bottom() - size.height(), size.width(), size.height())
        painter.fillRect(place, QColor(c.CARD))
        if not pixmap.isNull():
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(place, pixmap, QRectF(pixmap.rect()))
        painter.setPen(QPen(QColor(c.SLATE if chosen else c.HAIRLINE), 1))
        painter.drawRect(place)
        painter.setFont(interface_font(12, bold=chosen))
        painter.setPen(QColor(c.INK if chosen else c.QUIET))
        below = QRectF(area.left(), room.bottom() + 2, area.width(), 18)
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, str(index.row() + 1))
        painter.restore()


class PageRail(QListView):
    """``page_chosen`` carries the place of a page that was clicked, from 0."""

    page_chosen = Signal(int)

    def __init__(self, thumbnail: Callable[[int], str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pages = RailModel(thumbnail, self)
        self.setModel(self.pages)
        self.setItemDelegate(_Delegate(self))
        self.setFixedWidth(WIDTH_PX)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(tr("Pages of the document"))
        self.clicked.connect(lambda index: self.page_chosen.emit(index.row()))

    def render_pages(self, count: int, position: int) -> None:
        """Show so many pages, one of them chosen and in sight."""
        if self.pages.rowCount() != count:
            self.pages.render_count(count)
        index = self.pages.index(position)
        if index.isValid() and index != self.currentIndex():
            self.setCurrentIndex(index)
            self.scrollTo(index)
