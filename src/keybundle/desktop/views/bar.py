"""Small painted parts: the progress band of a batch, the month chart."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font

PATTERN = {
    "reading": Qt.BrushStyle.FDiagPattern, "to check": Qt.BrushStyle.Dense5Pattern, "ready": Qt.BrushStyle.NoBrush,
    "filed": Qt.BrushStyle.SolidPattern, "set aside": Qt.BrushStyle.CrossPattern,
}  # fmt: skip


def paint_band(painter: QPainter, area: QRectF, band: tuple[tuple[str, int], ...]) -> None:
    """Paint a batch's documents in proportion to their pages, each in its state's colour and pattern."""
    total = sum(pages for _, pages in band)
    painter.fillRect(area, QColor(c.SHADE))
    x = area.left()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for state, pages in band:
        width = area.width() * pages / total
        piece = QRectF(x, area.top(), max(2.0, width - 1.5), area.height())
        painter.fillRect(piece, QColor(c.STATE_WASH[state]))
        painter.fillRect(piece, QBrush(QColor(c.STATE[state]), PATTERN[state]))
        painter.setPen(QPen(QColor(c.STATE[state]), 1))
        painter.drawRect(piece)
        x += width


class MonthChart(QWidget):
    """Counts by month as bars; a click asks for that month."""

    month_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._months: tuple[tuple[str, int], ...] = ()
        self.setMinimumHeight(92)
        self.setAccessibleName("Hits by month filed")

    def render_months(self, months: tuple[tuple[str, int], ...]) -> None:
        """Show counts by month (``2026-11``)."""
        self._months = months[-12:]
        self.update()

    def _bar(self, i: int) -> QRectF:
        step = self.width() / max(6, len(self._months))
        most = max(n for _, n in self._months)
        height = (self.height() - 34) * self._months[i][1] / most
        return QRectF(i * step + 3, self.height() - 18 - height, step - 6, height)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(interface_font(11))
        for i, (month, number) in enumerate(self._months):
            bar = self._bar(i)
            painter.fillRect(bar, QColor(c.SLATE))
            painter.setPen(QColor(c.QUIET))
            under = QRectF(bar.left() - 4, self.height() - 16, bar.width() + 8, 16)
            painter.drawText(under, Qt.AlignmentFlag.AlignCenter, month[2:])
            painter.drawText(
                QRectF(bar.left() - 4, bar.top() - 15, bar.width() + 8, 14), Qt.AlignmentFlag.AlignCenter, str(number)
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for i, (month, _) in enumerate(self._months):
            if abs(event.position().x() - self._bar(i).center().x()) <= self._bar(i).width() / 2 + 3:
                self.month_chosen.emit(month)
