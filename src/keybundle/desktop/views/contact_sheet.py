"""The contact sheet: all pages of a batch large, in rows; the break, its reason and the state stand at first pages."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractScrollArea, QWidget

from keybundle.desktop.presenters.bench_state import BenchState, StripDocument, StripPage
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import SIGN, icon_pixmap, interface_font, paint_focus
from keybundle.desktop.views.page_strip import paint_native, thumbnail
from keybundle.desktop.views.read_aloud import say_strip, tell
from keybundle.desktop.words import tr, worded

CELL_WIDTH, CELL_HEIGHT, HEAD, MARGIN = 184, 284, 34, 12


class ContactSheet(QAbstractScrollArea):
    """Paints the pages in sight and says which was chosen; the bench's single keys act here too."""

    page_clicked = Signal(str)
    page_selected = Signal(str, bool)
    rows_stepped = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = BenchState()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("Contact sheet"))
        self.verticalScrollBar().valueChanged.connect(self.viewport().update)

    @property
    def columns(self) -> int:
        """How many pages lie in a row."""
        return max(1, (self.viewport().width() - MARGIN) // CELL_WIDTH)

    def render_state(self, state: BenchState) -> None:
        """Show a state; the current page is brought into sight when it changed."""
        moved = state.page != self._state.page
        self._state = state
        self._set_range()
        if moved:
            self._reveal()
        tell(self, say_strip(state))
        self.viewport().update()

    def resizeEvent(self, event: object) -> None:
        self._set_range()
        self._reveal()

    def _set_range(self) -> None:
        rows = -(-len(self._state.pages) // self.columns)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, rows * CELL_HEIGHT + MARGIN - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(CELL_HEIGHT // 4)

    def rect_of(self, index: int) -> QRect:
        """Return where the page of this index lies in the viewport."""
        row, column = divmod(index, self.columns)
        top = MARGIN + row * CELL_HEIGHT - self.verticalScrollBar().value()
        return QRect(MARGIN + column * CELL_WIDTH, top, CELL_WIDTH - MARGIN, CELL_HEIGHT - MARGIN)

    def _reveal(self) -> None:
        index = next((i for i, p in enumerate(self._state.pages) if p.id == self._state.page), None)
        if index is None:
            return
        bar, rect = self.verticalScrollBar(), self.rect_of(index)
        if rect.top() < 0:
            bar.setValue(bar.value() + rect.top() - MARGIN)
        elif rect.bottom() > self.viewport().height():
            bar.setValue(bar.value() + rect.bottom() - self.viewport().height() + MARGIN)

    def _at(self, point: QPoint) -> StripPage | None:
        row = (point.y() - MARGIN + self.verticalScrollBar().value()) // CELL_HEIGHT
        column = (point.x() - MARGIN) // CELL_WIDTH
        index = row * self.columns + column
        inside = 0 <= column < self.columns and 0 <= index < len(self._state.pages)
        return self._state.pages[index] if inside else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        page = self._at(event.position().toPoint())
        if page is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.page_selected.emit(page.id, True)
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.page_selected.emit(page.id, False)
        else:
            self.page_clicked.emit(page.id)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        event.ignore()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.viewport().update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.viewport().rect(), QColor(c.PAPER))
        if self.hasFocus():
            paint_focus(painter, self.viewport().rect())
        documents = {d.id: d for d in self._state.documents}
        first = max(0, (self.verticalScrollBar().value() - MARGIN) // CELL_HEIGHT) * self.columns
        rows = self.viewport().height() // CELL_HEIGHT + 2
        for index in range(first, min(len(self._state.pages), first + rows * self.columns)):
            page = self._state.pages[index]
            self._paint_cell(painter, self.rect_of(index), page, documents.get(page.document or ""))

    def _paint_cell(self, painter: QPainter, rect: QRect, page: StripPage, document: StripDocument | None) -> None:
        if document is not None:
            self._paint_head(painter, rect, page, document)
        picture = QRectF(rect.left(), rect.top() + HEAD, rect.width(), rect.height() - HEAD)
        painter.fillRect(picture, QColor(c.CARD))
        pixmap = thumbnail(page.thumbnail)
        if pixmap is not None:
            fit = pixmap.size().scaled(picture.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            target = QRectF(0, 0, fit.width(), fit.height())
            target.moveCenter(picture.center())
            painter.drawPixmap(target.toRect(), pixmap)
        paint_native(painter, picture, page.native)
        if not page.kept:
            veil = QColor(c.SHADE)
            veil.setAlpha(190)
            painter.fillRect(picture, veil)
            painter.fillRect(picture, QBrush(QColor(c.QUIET), Qt.BrushStyle.BDiagPattern))
            painter.setPen(QColor(c.INK))
            painter.setFont(interface_font(13, bold=True))
            label = QRectF(rect.left(), rect.top(), rect.width(), HEAD)
            painter.drawText(label, Qt.AlignmentFlag.AlignVCenter, tr("Left out: {reason}", reason=page.reason))
        if page.id in self._state.selected:
            wash = QColor(c.SLATE)
            wash.setAlpha(60)
            painter.fillRect(picture, wash)
        current = page.id == self._state.page
        painter.setPen(QPen(QColor(c.TEAL if current else c.HAIRLINE), 3 if current else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(picture)
        painter.setFont(interface_font(12))
        painter.setPen(QColor(c.QUIET))
        painter.drawText(picture.adjusted(0, 0, -6, -4), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
                         str(page.number))  # fmt: skip

    def _paint_head(self, painter: QPainter, rect: QRect, page: StripPage, document: StripDocument) -> None:
        colour = QColor(c.STATE[document.state])
        painter.setPen(QPen(colour, 3))
        y = rect.top() + HEAD - 4
        painter.drawLine(rect.left(), y, rect.right() + (0 if page.starts else MARGIN), y)
        if not page.starts:
            return
        painter.drawPixmap(rect.left(), rect.top() + 2, icon_pixmap(SIGN[document.state], c.STATE[document.state], 13))
        painter.setFont(interface_font(13, bold=True))
        painter.setPen(QColor(c.INK))
        wide = rect.width() - 18
        name = painter.fontMetrics().elidedText(document.type, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(rect.left() + 18, rect.top() - 2, wide, 16), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(interface_font(12))
        painter.setPen(QColor(c.QUIET))
        why = painter.fontMetrics().elidedText(worded(page.break_reason), Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(rect.left() + 18, rect.top() + 13, wide, 15), Qt.AlignmentFlag.AlignVCenter, why)
