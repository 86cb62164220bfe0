"""The large page: its picture, words that answer to the pointer, framed places, marked words, and lifting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from enum import Enum

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPixmapCache,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from keybundle.core.base.boxes import Box, centre
from keybundle.core.reading.text import Word
from keybundle.desktop.presenters.bench_state import UNSURE_WORD, PageShown
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font
from keybundle.desktop.views.page_geometry import Geometry
from keybundle.desktop.words import tr

ZOOM_STEP = 1.25
STILL_PX = 5
WHEEL_SHARE, KEY_SHARE = 0.16, 0.12


class Tool(Enum):
    """What the pointer does on the page: take words and draw the page along, or frame an area (as with Ctrl)."""

    POINT = "point"
    FRAME = "frame"


class PageView(QWidget):
    """Shows one page. ``words_taken`` carries the words that a click, a shift-click or lifting by keys chose."""

    words_taken = Signal(object)
    lift_ended = Signal()
    zoomed = Signal(float)
    put_away = Signal(object)
    turned_page = Signal(int)
    sharper_wanted = Signal()
    area_framed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shown: PageShown | None = None
        self._pixmap = QPixmap()
        self._geometry = Geometry()
        self._hover: int | None = None
        self._anchor: int | None = None
        self._lift: tuple[int, int] | None = None
        self._typed = ""
        self._is_lifting = False
        self._drag: QPointF | None = None
        self._pressed: QPointF | None = None
        self._band: QRectF | None = None
        self.tool = Tool.POINT
        self.empty_text = tr("No page yet")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(tr("Page"))
        self.setMinimumSize(240, 240)

    def sizeHint(self) -> QSize:
        return QSize(620, 560)

    def render_page(self, shown: PageShown | None) -> None:
        """Show a page; a new frame is brought into view."""
        before = self._shown
        self._shown = shown
        if shown is None:
            self._pixmap = QPixmap()
        elif before is None or before.picture != shown.picture or before.is_full is not shown.is_full:
            self._pixmap = QPixmap.fromImage(shown.image) if shown.image is not None else QPixmap(shown.picture)
        if shown is not None:
            self._geometry = replace(self._geometry, page=(shown.width, shown.height))
        if shown is not None and (before is None or (before.page, before.picture) != (shown.page, shown.picture)):
            self._hover = self._anchor = self._lift = None
            self._geometry = replace(self._geometry, centre=(0.5, 0.0))
        is_new = before is None or shown is None or (before.picture, before.frame) != (shown.picture, shown.frame)
        if shown is not None and shown.frame is not None and is_new and not self.geometry_now.is_in_sight(shown.frame):
            self._geometry = self.geometry_now.on(shown.frame)
        self.update()

    @property
    def geometry_now(self) -> Geometry:
        """Where the page lies on this surface now."""
        return replace(self._geometry, surface=(float(self.width()), float(self.height())))

    def zoom(self, factor: float) -> None:
        """Show larger or smaller; 0 changes between the page's width and the whole page."""
        self._geometry = self.geometry_now.zoomed(factor)
        frame = self._shown.frame if self._shown else None
        if factor > 1 and frame is not None:
            self._geometry = self._geometry.on(frame)
        self._ask_sharper()
        self.update()
        self.zoomed.emit(self._geometry.zoom)

    def set_zoom(self, zoom: float) -> None:
        """Show the page at a zoom: ``WHOLE``, or a factor of its width."""
        self._geometry = replace(self._geometry, zoom=zoom)
        self._ask_sharper()
        self.update()

    def turn(self, quarters: int) -> None:
        """Turn the page clockwise for looking; nothing that is kept changes."""
        self._geometry = replace(self._geometry, turn=(self._geometry.turn + 90 * quarters) % 360, centre=(0.5, 0.0))
        self._ask_sharper()
        self.update()

    def move_on(self, down: int) -> None:
        """Move on by a part of the surface, down or (negative) up; at the page's end the next page is asked for."""
        here = self.geometry_now
        if here.at_end(down > 0):
            self.turned_page.emit(1 if down > 0 else -1)
            return
        self._geometry = here.moved(0, -down * KEY_SHARE * self.height())
        self.update()

    def _ask_sharper(self) -> None:
        """Ask for a finer picture where the screen shows more px than the picture has."""
        ratio, target = self.devicePixelRatioF(), self._target()
        shown, has = max(target.width(), target.height()), max(self._pixmap.width(), self._pixmap.height())
        if not self._pixmap.isNull() and shown * ratio > 1.1 * has:
            self.sharper_wanted.emit()

    def begin_lift(self) -> None:
        """Lift by keys: typed letters find a word, Right and Left extend, Down and Up go to other finds, Enter takes."""
        self._is_lifting, self._typed, self._lift = True, "", None
        self.setFocus()
        self.update()

    # -- geometry ------------------------------------------------------------------------------------------------

    def _target(self) -> QRectF:
        return QRectF(*self.geometry_now.target) if self._shown is not None else QRectF()

    def rect_of(self, box: Box) -> QRectF:
        """Return where a box of the upright page lies in the widget."""
        return QRectF(*self.geometry_now.rect_of(box)) if self._shown is not None else QRectF()

    def _word_at(self, point: QPointF) -> int | None:
        for i, word in enumerate(self._words()):
            if self.rect_of(word.box).adjusted(-2, -3, 2, 3).contains(point):
                return i
        return None

    def _words(self) -> tuple[Word, ...]:
        return self._shown.words if self._shown else ()

    # -- pointer and keys ------------------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._band is not None:
            self._band.setBottomRight(event.position())
            self.update()
            return
        if self._drag is not None and event.buttons() & Qt.MouseButton.LeftButton:
            moved = event.position() - self._drag
            self._drag = event.position()
            self._geometry = self.geometry_now.moved(moved.x(), moved.y())
            self.update()
            return
        found = self._word_at(event.position())
        if found != self._hover:
            self._hover = found
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            event.ignore()
            return
        if self.tool is Tool.FRAME or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._band = QRectF(event.position(), event.position())
            return
        self._drag = self._pressed = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._drag, self._pressed = self._pressed, None, None
        band, self._band = self._band, None
        if band is not None:
            area = band.normalized()
            box = self.geometry_now.box_at((area.left(), area.top(), area.width(), area.height()))
            if box is not None and self._shown is not None:
                self.area_framed.emit(box)
            self.update()
        elif pressed is not None and (event.position() - pressed).manhattanLength() < STILL_PX:
            self._take_word(pressed, reach=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def _take_word(self, point: QPointF, *, reach: bool) -> None:
        found = self._word_at(point)
        if found is None:
            return
        if not (reach and self._anchor is not None):
            self._anchor = found
        first, last = sorted((self._anchor if self._anchor is not None else found, found))
        self.words_taken.emit(list(self._words()[first : last + 1]))

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.isWindow():
            self.put_away.emit(self.saveGeometry())

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if self._is_lifting:
            self._is_lifting, self._lift, self._typed = False, None, ""
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        up = event.angleDelta().y() > 0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(ZOOM_STEP if up else 1 / ZOOM_STEP)
        elif self.geometry_now.is_higher:
            self._geometry = self.geometry_now.moved(0, (1 if up else -1) * WHEEL_SHARE * self.height())
            self.update()
        else:
            self.turned_page.emit(-1 if up else 1)

    def event(self, event: QEvent) -> bool:
        if self._is_lifting and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # while words are looked for, letters are letters and no commands
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._is_lifting:
            event.ignore()
            return
        key = event.key()
        if key == Qt.Key.Key_Escape:
            self._end_lift()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._lift is not None:
                self.words_taken.emit(list(self._words()[self._lift[0] : self._lift[1] + 1]))
            self._end_lift()
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_Left) and self._lift is not None:
            first, last = self._lift
            last = min(len(self._words()) - 1, last + 1) if key == Qt.Key.Key_Right else max(first, last - 1)
            self._lift = (first, last)
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._find(1 if key == Qt.Key.Key_Down else -1)
        elif key == Qt.Key.Key_Backspace:
            self._typed = self._typed[:-1]
            self._find(0)
        elif event.text().isprintable() and event.text():
            self._typed += event.text()
            self._find(0)
        self.update()

    def _find(self, step: int) -> None:
        wanted = self._typed.casefold()
        hits = [i for i, w in enumerate(self._words()) if w.text.casefold().startswith(wanted)] if wanted else []
        if not hits:
            self._lift = None
            return
        at = hits.index(self._lift[0]) if self._lift and self._lift[0] in hits else 0
        here = hits[(at + step) % len(hits)]
        self._lift = (here, here)

    def _end_lift(self) -> None:
        self._is_lifting, self._lift, self._typed = False, None, ""
        self.lift_ended.emit()

    # -- painting --------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(c.SHADE))
        if self._shown is None or self._pixmap.isNull():
            painter.setPen(QColor(c.QUIET))
            told = (self._shown.told if self._shown is not None else "") or self.empty_text
            area = self.rect().adjusted(24, 24, -24, -24)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, told)
            return
        target = self._target()
        painter.fillRect(target.translated(2, 3), QColor(c.HAIRLINE))
        self._paint_picture(painter, target)
        for box in self._shown.marks:
            painter.fillRect(self.rect_of(box).adjusted(-2, -2, 2, 2), _wash(c.BRASS, 90))
        self._paint_words(painter)
        if self._shown.frame is not None:
            painter.setPen(QPen(QColor(c.TEAL), 2.5))
            painter.setBrush(_wash(c.TEAL, 28))
            painter.drawRoundedRect(self.rect_of(self._shown.frame).adjusted(-5, -4, 5, 4), 3, 3)
        if self._band is not None:
            painter.setPen(QPen(QColor(c.SLATE), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(_wash(c.SLATE, 40))
            painter.drawRect(self._band.normalized())
        self._paint_notes(painter)

    def _paint_picture(self, painter: QPainter, target: QRectF) -> None:
        self._draw(painter, target, self._pixmap)
        tiles, here = self._shown.tiles if self._shown else None, self.geometry_now
        scale = here.scale * self.devicePixelRatioF()
        if tiles is None or max(tiles.width, tiles.height) * scale <= max(self._pixmap.width(), self._pixmap.height()):
            return
        for path, box in tiles.within(tiles.level_for(scale), here.seen):
            self._draw(painter, self.rect_of(box), _read_tile(str(path)))

    def _draw(self, painter: QPainter, target: QRectF, pixmap: QPixmap) -> None:
        """Draw a part of the page to where it lies, turned as the page is."""
        turn = self._geometry.turn
        if not turn:
            painter.drawPixmap(target, pixmap, QRectF(pixmap.rect()))
            return
        width, height = (target.height(), target.width()) if turn in (90, 270) else (target.width(), target.height())
        painter.save()
        painter.translate(target.center())
        painter.rotate(turn)
        painter.drawPixmap(QRectF(-width / 2, -height / 2, width, height), pixmap, QRectF(pixmap.rect()))
        painter.restore()

    def _paint_words(self, painter: QPainter) -> None:
        for i, word in enumerate(self._words()):
            rect = self.rect_of(word.box)
            if word.confidence < UNSURE_WORD:
                painter.setPen(QPen(QColor(c.BRASS), 2))
                painter.drawLine(rect.bottomLeft() + QPointF(0, 2), rect.bottomRight() + QPointF(0, 2))
            lifted = self._lift is not None and self._lift[0] <= i <= self._lift[1]
            if lifted or i == self._hover:
                painter.fillRect(rect.adjusted(-2, -2, 2, 2), _wash(c.SLATE, 90 if lifted else 45))

    def _paint_notes(self, painter: QPainter) -> None:
        said = self._shown.told if self._shown else ""
        if self._is_lifting:
            said = (
                tr("Lift: {typed} ({self_})", typed=self._typed, self_=self._say_found())
                if self._typed
                else tr("Lift: type the first letters of a word")
            )
        if not said:
            return
        painter.setFont(interface_font(13))
        width = painter.fontMetrics().horizontalAdvance(said) + 20
        box = QRectF(16, self.height() - 40, min(width, self.width() - 32), 26)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(c.INK))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(c.PAPER))
        painter.drawText(box.adjusted(10, 0, -10, 0), Qt.AlignmentFlag.AlignVCenter, said)

    def _say_found(self) -> str:
        """Return which of the words that begin so is chosen."""
        found = [i for i, w in enumerate(self._words()) if w.text.casefold().startswith(self._typed.casefold())]
        if self._lift is None or self._lift[0] not in found:
            return tr("{n} found", n=len(found))
        return tr("{lift} of {n} found", lift=found.index(self._lift[0]) + 1, n=len(found))

    def snippet(self, box: Box, height_px: int) -> QPixmap:
        """Return the picture of a place on the shown page, for the slip."""
        if self._shown is None or self._pixmap.isNull():
            return QPixmap()
        s = self._pixmap.width() / self._shown.width
        left, top, right, bottom = (v * s for v in box)
        area = QRectF(left - 8, top - 5, right - left + 16, bottom - top + 10).toRect().intersected(self._pixmap.rect())
        return self._pixmap.copy(area).scaledToHeight(height_px, Qt.TransformationMode.SmoothTransformation)


def words_inside(words: Sequence[Word], box: Box) -> list[Word]:
    """Return the words whose middle lies in a box of the page."""
    found = []
    for word in words:
        x, y = centre(word.box)
        if box[0] <= x <= box[2] and box[1] <= y <= box[3]:
            found.append(word)
    return found


def _wash(colour: str, alpha: int) -> QColor:
    wash = QColor(colour)
    wash.setAlpha(alpha)
    return wash


def _read_tile(path: str) -> QPixmap:
    """Return a tile, read once as long as it is shown now and then."""
    pixmap = QPixmap()
    if not QPixmapCache.find(path, pixmap):
        pixmap = QPixmap(path)
        QPixmapCache.insert(path, pixmap)
    return pixmap
