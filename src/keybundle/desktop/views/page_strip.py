"""The page strip: pages in feed order, those of a document on one cord, with its nameplate; knots are the breaks."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QRectF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFocusEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPixmapCache,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QApplication, QToolTip, QWidget

from keybundle.core.base.records import dataclass
from keybundle.desktop.presenters.bench_state import BenchState, StripDocument, StripPage
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import SIGN, icon_pixmap, interface_font, paint_focus
from keybundle.desktop.views.read_aloud import say_strip, tell
from keybundle.desktop.words import tr, trn, worded

TOP, PAGE_HEIGHT, PAGE_WIDTH, SLIVER, GAP = 10, 96, 72, 15, 6
KNOT_GAP, PLATE_HEIGHT, SMALLEST_DOCUMENT = 22, 54, 172
CORD_Y = TOP + PAGE_HEIGHT + 9
EDGE = 40
HEIGHT = CORD_Y + 10 + PLATE_HEIGHT + 14


@dataclass(frozen=True)
class _Slot:
    page: StripPage
    left: int
    width: int


@dataclass(frozen=True)
class _Span:
    document: StripDocument
    left: int
    right: int


class PageStrip(QAbstractScrollArea):
    """Paints the strip and says which page was clicked; single keys are the bench's business."""

    page_clicked = Signal(str)
    page_selected = Signal(str, bool)
    pages_dropped = Signal(object, str, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = BenchState()
        self._slots: list[_Slot] = []
        self._spans: list[_Span] = []
        self._width = 0
        self._pressed: QPoint | None = None
        self._drop: tuple[str, bool] | None = None
        self.setFixedHeight(HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName(tr("Page strip"))
        self.viewport().setAutoFillBackground(False)
        self.horizontalScrollBar().valueChanged.connect(self.viewport().update)

    def render_state(self, state: BenchState) -> None:
        """Show a state; the current page is brought into sight when it changed."""
        moved = state.page != self._state.page
        same = state.pages is self._state.pages and state.documents is self._state.documents
        self._state = state
        if not same:
            self._lay_out()
            self._set_range()
        if moved:
            self._reveal()
        tell(self, say_strip(state))
        self.viewport().update()

    def _lay_out(self) -> None:
        documents = {d.id: d for d in self._state.documents}
        self._slots, self._spans = [], []
        x, open_id, start = 14, None, 14
        for page in self._state.pages:
            if page.kept and page.document != open_id:
                if open_id is not None:
                    x = self._close_span(documents, open_id, start, x)
                open_id, start = page.document, x
            width = PAGE_WIDTH if page.kept else SLIVER
            self._slots.append(_Slot(page, x, width))
            x += width + GAP
        if open_id is not None:
            x = self._close_span(documents, open_id, start, x)
        self._width = x

    def _close_span(self, documents: dict[str, StripDocument], document_id: str, start: int, x: int) -> int:
        right = max(x - GAP, start + SMALLEST_DOCUMENT)
        if document_id in documents:
            self._spans.append(_Span(documents[document_id], start, right))
        return right + KNOT_GAP

    def _set_range(self) -> None:
        bar = self.horizontalScrollBar()
        bar.setRange(0, max(0, self._width - self.viewport().width()))
        bar.setPageStep(self.viewport().width())
        bar.setSingleStep(60)

    def resizeEvent(self, event: object) -> None:
        self._set_range()

    def _reveal(self) -> None:
        slot = next((s for s in self._slots if s.page.id == self._state.page), None)
        if slot is not None:
            bar, view = self.horizontalScrollBar(), self.viewport().width()
            if slot.left - 40 < bar.value():
                bar.setValue(slot.left - 40)
            elif slot.left + SMALLEST_DOCUMENT > bar.value() + view:
                bar.setValue(slot.left + SMALLEST_DOCUMENT + 40 - view)

    def _at(self, point: QPoint) -> StripPage | None:
        x = point.x() + self.horizontalScrollBar().value()
        hit = next((s for s in self._slots if s.left <= x <= s.left + s.width), None)
        if hit is not None and point.y() < CORD_Y:
            return hit.page
        span = next((s for s in self._spans if s.left <= x <= s.right), None)
        return next((s.page for s in self._slots if span and s.page.document == span.document.id), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        point, keys = event.position().toPoint(), event.modifiers()
        page = self._at(point)
        if page is None:
            return
        is_left = event.button() == Qt.MouseButton.LeftButton
        self._pressed = point if is_left else None
        if keys & Qt.KeyboardModifier.ShiftModifier:
            self.page_selected.emit(page.id, True)
        elif keys & Qt.KeyboardModifier.ControlModifier:
            self.page_selected.emit(page.id, False)
        elif page.id not in self._state.selected:
            self.page_clicked.emit(page.id)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The strip lies on its side: the wheel goes along it."""
        turned = event.angleDelta().y() or event.angleDelta().x()
        bar = self.horizontalScrollBar()
        bar.setValue(bar.value() - turned)
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the chosen pages to another place; a line shows where they will go."""
        point = event.position().toPoint()
        if self._pressed is None or (point - self._pressed).manhattanLength() < QApplication.startDragDistance():
            return
        self._drop = self._place_at(point)
        self._scroll_near_the_edge(point)
        self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drop, self._drop, pressed, self._pressed = self._drop, None, self._pressed, None
        if drop is not None and pressed is not None:
            chosen = self._state.selected or {self._state.page}
            moved = [p.id for p in self._state.pages if p.id in chosen]
            if drop[0] not in moved:
                self.pages_dropped.emit(moved, *drop)
        elif pressed is not None and not event.modifiers():
            page = self._at(pressed)
            if page is not None and page.id in self._state.selected:
                self.page_clicked.emit(page.id)
        event.accept()
        self.viewport().update()

    def _place_at(self, point: QPoint) -> tuple[str, bool] | None:
        """Return the kept page nearest to a point and whether the place is after it."""
        x = point.x() + self.horizontalScrollBar().value()
        kept = [s for s in self._slots if s.page.kept]
        if not kept:
            return None
        nearest = min(kept, key=lambda s: abs(s.left + s.width / 2 - x))
        return nearest.page.id, x > nearest.left + nearest.width / 2

    def _scroll_near_the_edge(self, point: QPoint) -> None:
        bar = self.horizontalScrollBar()
        if point.x() < EDGE:
            bar.setValue(bar.value() - bar.singleStep())
        elif point.x() > self.viewport().width() - EDGE:
            bar.setValue(bar.value() + bar.singleStep())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        event.ignore()

    def viewportEvent(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            page = self._at(event.pos())
            if page is not None:
                QToolTip.showText(event.globalPos(), page.hint, self)
            return True
        return bool(super().viewportEvent(event))  # type: ignore[arg-type]

    def rect_of(self, page_id: str) -> QRect:
        """Return where a page lies in the viewport, for tests and tips."""
        slot = next((s for s in self._slots if s.page.id == page_id), None)
        if slot is None:
            return QRect()
        return QRect(slot.left - self.horizontalScrollBar().value(), TOP, slot.width, PAGE_HEIGHT)

    # -- painting ----------------------------------------------------------------------------------------------

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
        if not self._slots:
            painter.setPen(QColor(c.QUIET))
            painter.drawText(
                self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, tr("Pages appear here as they come in")
            )
            return
        left = self.horizontalScrollBar().value()
        painter.translate(-left, 0)
        right = left + self.viewport().width()
        for i, span in enumerate(self._spans):
            if span.right + KNOT_GAP >= left and span.left - KNOT_GAP <= right:
                self._paint_span(painter, span, is_first=i == 0)
        for slot in self._slots:
            if slot.left + slot.width >= left and slot.left <= right:
                self._paint_page(painter, slot)
        if self._drop is not None:
            self._paint_drop(painter, *self._drop)

    def _paint_drop(self, painter: QPainter, page_id: str, after: bool) -> None:
        slot = next((s for s in self._slots if s.page.id == page_id), None)
        if slot is None:
            return  # the page under the pointer went meanwhile
        x = slot.left + slot.width + GAP // 2 if after else slot.left - GAP // 2
        painter.setPen(QPen(QColor(c.SLATE), 4))
        painter.drawLine(x, TOP - 4, x, TOP + PAGE_HEIGHT + 4)

    def _paint_page(self, painter: QPainter, slot: _Slot) -> None:
        rect = QRectF(slot.left, TOP, slot.width, PAGE_HEIGHT)
        current = slot.page.id == self._state.page
        if not slot.page.kept:
            painter.fillRect(rect, QColor(c.SHADE))
            painter.fillRect(rect, QBrush(QColor(c.QUIET), Qt.BrushStyle.BDiagPattern))
        pixmap = thumbnail(slot.page.thumbnail) if slot.page.kept or current else None
        if slot.page.kept:
            painter.fillRect(rect, QColor(c.CARD))
            if pixmap is not None:
                fit = pixmap.size().scaled(rect.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
                target = QRectF(0, 0, fit.width(), fit.height())
                target.moveCenter(rect.center())
                painter.drawPixmap(target.toRect(), pixmap)
            paint_native(painter, rect, slot.page.native)
            if not slot.page.is_read:
                painter.drawPixmap(int(rect.right()) - 20, int(rect.bottom()) - 20, icon_pixmap("hourglass", c.SLATE))
        if slot.page.attention:
            painter.drawPixmap(int(rect.left()) + 2, int(rect.top()) + 2, icon_pixmap("warning-circle", c.BRASS, 14))
        if slot.page.id in self._state.in_hand:
            painter.fillRect(rect, _wash(c.PAPER, 170))
            painter.setPen(QPen(QColor(c.SLATE), 2, Qt.PenStyle.DashLine))
            painter.drawRect(rect.adjusted(3, 3, -3, -3))
        if slot.page.id in self._state.selected:
            painter.fillRect(rect, _wash(c.SLATE, 60))
            painter.fillRect(QRectF(rect.left(), rect.bottom() - 5, rect.width(), 5), QColor(c.SLATE))
        pen = QPen(QColor(c.TEAL if current else c.HAIRLINE), 3 if current else 1)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)

    def _paint_span(self, painter: QPainter, span: _Span, *, is_first: bool) -> None:
        d = span.document
        current = d.id == self._state.document
        colour = QColor(c.STATE[d.state])
        painter.setPen(QPen(colour, 4 if current else 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawLine(span.left, CORD_Y, span.right, CORD_Y)
        if not is_first:
            self._paint_knot(painter, span.left - KNOT_GAP // 2)
        plate = QRectF(span.left, CORD_Y + 8, min(span.right - span.left, 320), PLATE_HEIGHT)
        painter.setPen(QPen(QColor(c.TEAL if current else c.HAIRLINE), 2 if current else 1))
        painter.setBrush(QColor(c.CARD))
        painter.drawRoundedRect(plate, 3, 3)
        painter.setPen(QPen(colour, 2))
        painter.drawLine(int(plate.left()) + 10, CORD_Y, int(plate.left()) + 10, int(plate.top()))
        inner = plate.adjusted(8, 4, -6, -4)
        painter.setFont(interface_font(13, bold=True))
        painter.setPen(QColor(c.INK))
        metrics = painter.fontMetrics()
        width = int(inner.width())
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignTop, metrics.elidedText(d.type, Qt.TextElideMode.ElideRight, width)
        )
        painter.setFont(interface_font(12))
        painter.setPen(QColor(c.QUIET))
        caption = painter.fontMetrics().elidedText(worded(d.caption), Qt.TextElideMode.ElideRight, width)
        painter.drawText(inner.adjusted(0, 16, 0, 0), Qt.AlignmentFlag.AlignTop, caption)
        painter.drawPixmap(int(inner.left()), int(inner.top()) + 33, icon_pixmap(SIGN[d.state], c.STATE[d.state], 13))
        painter.setPen(colour)
        pages = trn("{n:,} page", "{n:,} pages", d.pages)
        painter.drawText(inner.adjusted(18, 32, 0, 0), Qt.AlignmentFlag.AlignTop, f"{tr(d.state)}, {pages}")

    def _paint_knot(self, painter: QPainter, x: int) -> None:
        painter.setPen(QPen(QColor(c.INK), 1.6))
        painter.setBrush(QColor(c.PAPER))
        painter.drawEllipse(QRectF(x - 5, CORD_Y - 3.5, 6, 7))
        painter.drawEllipse(QRectF(x - 1, CORD_Y - 3.5, 6, 7))


def _wash(colour: str, alpha: int) -> QColor:
    wash = QColor(colour)
    wash.setAlpha(alpha)
    return wash


def paint_native(painter: QPainter, rect: QRectF, kind: str) -> None:
    """Say at the foot of a small picture what kind of file it is that is no picture of a page; nothing for a page."""
    if not kind:
        return
    painter.setFont(interface_font(11, bold=True))
    width = painter.fontMetrics().horizontalAdvance(kind) + 10
    plate = QRectF(rect.left() + 4, rect.bottom() - 21, width, 17)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(c.SLATE))
    painter.drawRoundedRect(plate, 2, 2)
    painter.setPen(QColor(c.CARD))
    painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, kind)


def thumbnail(path: str) -> QPixmap | None:
    """Return a page's small picture from its file, kept in memory while there is room; None before it was made."""
    pixmap = QPixmap()
    if not path:
        return None
    if QPixmapCache.find(path, pixmap):
        return pixmap
    if not pixmap.load(path):
        return None
    QPixmapCache.insert(path, pixmap)
    return pixmap
