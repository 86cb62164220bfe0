"""Small painted parts: the progress band of a batch, the chart of hits by time."""

from __future__ import annotations

import functools
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font, paint_focus
from keybundle.desktop.views.read_aloud import say_bars, tell
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.presenters.find import TimeBar

PATTERN = {
    "reading": Qt.BrushStyle.FDiagPattern, "to check": Qt.BrushStyle.Dense5Pattern, "ready": Qt.BrushStyle.NoBrush,
    "filed": Qt.BrushStyle.SolidPattern, "set aside": Qt.BrushStyle.CrossPattern,
}  # fmt: skip

BANDS_KEPT = 40  # more than stand on a screen: painting one with many documents takes milliseconds
EDGE = 2  # px around it, for its line


def paint_band(painter: QPainter, area: QRectF, band: tuple[tuple[str, int], ...]) -> None:
    """Paint a batch's documents in proportion to their pages, each in its state's colour and pattern."""
    painter.drawImage(
        area.topLeft(), _draw_band(band, area.width(), area.height(), painter.device().devicePixelRatioF())
    )


@functools.lru_cache(maxsize=BANDS_KEPT)
def _draw_band(band: tuple[tuple[str, int], ...], width: float, height: float, ratio: float) -> QImage:
    image = QImage(
        round((width + EDGE) * ratio), round((height + EDGE) * ratio), QImage.Format.Format_ARGB32_Premultiplied
    )
    image.setDevicePixelRatio(ratio)
    image.fill(Qt.GlobalColor.transparent)
    painter, area = QPainter(image), QRectF(0, 0, width, height)
    painter.fillRect(area, QColor(c.SHADE))
    total = sum(pages for _, pages in band)
    x = area.left()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for state, pages in band:
        share = width * pages / total
        piece = QRectF(x, 0, max(2.0, share - 1.5), area.height())
        painter.fillRect(piece, QColor(c.STATE_WASH[state]))
        painter.fillRect(piece, QBrush(QColor(c.STATE[state]), PATTERN[state]))
        painter.setPen(QPen(QColor(c.STATE[state]), 1))
        painter.drawRect(piece)
        x += share
    painter.end()
    return image


class TimeChart(QWidget):
    """Counts by month or year as bars; a click, or Enter on the bar chosen with the arrows, asks for its time."""

    time_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bars: tuple[TimeBar, ...] = ()
        self._chosen = 0
        self.setMinimumHeight(92)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Hits by the time they were filed"))

    def render_bars(self, bars: tuple[TimeBar, ...]) -> None:
        """Show bars; the last one is chosen."""
        if bars != self._bars:
            self._bars, self._chosen = bars, max(0, len(bars) - 1)
            tell(self, say_bars(bars, self._chosen))
            self.update()

    def _area(self, i: int) -> QRectF:
        step = self.width() / max(6, len(self._bars))
        most = max(bar.number for bar in self._bars)
        height = (self.height() - 34) * self._bars[i].number / most
        return QRectF(i * step + 3, self.height() - 18 - height, step - 6, height)

    def _at(self, x: float) -> int | None:
        areas = [self._area(i) for i in range(len(self._bars))]
        return next((i for i, a in enumerate(areas) if abs(x - a.center().x()) <= a.width() / 2 + 3), None)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(interface_font(11))
        free_from = 0.0
        for i, bar in enumerate(self._bars):
            area = self._area(i)
            painter.fillRect(area, QColor(c.TEAL if self.hasFocus() and i == self._chosen else c.SLATE))
            painter.setPen(QColor(c.QUIET))
            for text, top in ((bar.label, self.height() - 16.0), (f"{bar.number:,}", area.top() - 15)):
                width = painter.fontMetrics().horizontalAdvance(text) + 4.0
                left = min(max(0.0, area.center().x() - width / 2), self.width() - width)
                if text != bar.label or left >= free_from:  # labels that would run into each other are left out
                    painter.drawText(QRectF(left, top, width, 15), Qt.AlignmentFlag.AlignCenter, text)
                    free_from = left + width if text == bar.label else free_from
        if self.hasFocus():
            paint_focus(painter, self.rect())

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and self._bars:
            i = self._at(event.pos().x())
            QToolTip.showText(event.globalPos(), self._bars[i].told if i is not None else "", self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        i = self._at(event.position().x()) if self._bars else None
        if i is not None and event.button() == Qt.MouseButton.LeftButton:
            self.time_chosen.emit(self._bars[i].condition)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if step and self._bars:
            self._chosen = max(0, min(len(self._bars) - 1, self._chosen + step))
            self.setAccessibleDescription(self._bars[self._chosen].told)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._bars:
            self.time_chosen.emit(self._bars[self._chosen].condition)
        else:
            super().keyPressEvent(event)
