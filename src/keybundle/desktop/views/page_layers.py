"""What is painted on the page surface, one layer above the other."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPixmapCache

from keybundle.desktop.presenters.bench_state import UNSURE_WORD
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font

if TYPE_CHECKING:
    from keybundle.desktop.views.page_view import PageView


class Layer(Protocol):
    """Something that lies on the page; it asks the surface where."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint it; a page is shown."""


class PictureLayer:
    """The page's picture, in finer tiles where the screen shows more than the picture has."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint the picture with its shade."""
        target, picture = surface.target, surface.picture
        painter.fillRect(target.translated(2, 3), QColor(c.HAIRLINE))
        _draw(painter, target, picture, surface.geometry_now.turn)
        tiles, here = surface.shown.tiles if surface.shown is not None else None, surface.geometry_now
        scale = here.scale * surface.devicePixelRatioF()
        if tiles is None or max(tiles.width, tiles.height) * scale <= max(picture.width(), picture.height()):
            return
        for path, box in tiles.within(tiles.level_for(scale), here.seen):
            _draw(painter, surface.rect_of(box), _read_tile(str(path)), here.turn)


class MarksLayer:
    """The places that answer a search."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint a wash over each."""
        for box in surface.shown.marks if surface.shown is not None else ():
            painter.fillRect(surface.rect_of(box).adjusted(-2, -2, 2, 2), wash(c.BRASS, 90))


class UnsureWordsLayer:
    """The words that were read without being sure."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint a line below each."""
        painter.setPen(QPen(QColor(c.BRASS), 2))
        for word in surface.words:
            if word.confidence < UNSURE_WORD:
                rect = surface.rect_of(word.box)
                painter.drawLine(rect.bottomLeft() + QPointF(0, 2), rect.bottomRight() + QPointF(0, 2))


class FrameLayer:
    """The place that the value in front came from."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint a frame around it."""
        if surface.shown is not None and surface.shown.frame is not None:
            painter.setPen(QPen(QColor(c.TEAL), 2.5))
            painter.setBrush(wash(c.TEAL, 28))
            painter.drawRoundedRect(surface.rect_of(surface.shown.frame).adjusted(-5, -4, 5, 4), 3, 3)


class NoteLayer:
    """A line at the foot of the surface: what a tool says, else what is said of the page."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Paint the line, where there is something to say."""
        said = surface.lift.told or (surface.shown.told if surface.shown is not None else "")
        if not said:
            return
        painter.setFont(interface_font(13))
        width = painter.fontMetrics().horizontalAdvance(said) + 20
        box = QRectF(16, surface.height() - 40, min(width, surface.width() - 32), 26)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(c.INK))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(c.PAPER))
        painter.drawText(box.adjusted(10, 0, -10, 0), Qt.AlignmentFlag.AlignVCenter, said)


def wash(colour: str, alpha: int) -> QColor:
    """Return a colour that lets through what lies below it."""
    thin = QColor(colour)
    thin.setAlpha(alpha)
    return thin


def _draw(painter: QPainter, target: QRectF, pixmap: QPixmap, turn: int) -> None:
    """Draw a part of the page to where it lies, turned as the page is."""
    if not turn:
        painter.drawPixmap(target, pixmap, QRectF(pixmap.rect()))
        return
    width, height = (target.height(), target.width()) if turn in (90, 270) else (target.width(), target.height())
    painter.save()
    painter.translate(target.center())
    painter.rotate(turn)
    painter.drawPixmap(QRectF(-width / 2, -height / 2, width, height), pixmap, QRectF(pixmap.rect()))
    painter.restore()


def _read_tile(path: str) -> QPixmap:
    """Return a tile, read once as long as it is shown now and then."""
    pixmap = QPixmap()
    if not QPixmapCache.find(path, pixmap):
        pixmap = QPixmap(path)
        QPixmapCache.insert(path, pixmap)
    return pixmap
