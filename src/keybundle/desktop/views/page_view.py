"""The large page: a surface with layers that paint on it and tools that hands have on it; how large and where it is shown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from keybundle.core.base.boxes import Box, centre
from keybundle.core.reading.text import Word
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.page_geometry import Geometry
from keybundle.desktop.views.page_layers import FrameLayer, Layer, MarksLayer, NoteLayer, PictureLayer, UnsureWordsLayer
from keybundle.desktop.views.page_tools import FrameTool, LiftTool, PointTool, Tool
from keybundle.desktop.views.read_aloud import say_page, tell
from keybundle.desktop.words import tr

ZOOM_STEP = 1.25
STILL_PX = 5
WHEEL_SHARE, KEY_SHARE = 0.16, 0.12


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
        self.shown: PageShown | None = None
        self.picture = QPixmap()
        self._geometry = Geometry()
        self.point, self.framing, self.lift = PointTool(), FrameTool(), LiftTool(self)
        self.tool: Tool = self.point
        self._in_hand: Tool | None = None
        self.layers: list[Layer] = [
            PictureLayer(), MarksLayer(), UnsureWordsLayer(), self.point, self.lift, FrameLayer(), self.framing, NoteLayer(),
        ]  # fmt: skip
        self.empty_text = tr("No page yet")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(tr("Page"))
        self.setMinimumSize(240, 240)

    def sizeHint(self) -> QSize:
        return QSize(620, 560)

    def render_page(self, shown: PageShown | None) -> None:
        """Show a page; a new frame is brought into view."""
        before = self.shown
        self.shown = shown
        if shown is None:
            self.picture = QPixmap()
        elif before is None or before.picture != shown.picture or before.is_full is not shown.is_full:
            self.picture = QPixmap.fromImage(shown.image) if shown.image is not None else QPixmap(shown.picture)
        if shown is not None:
            self._geometry = replace(self._geometry, page=(shown.width, shown.height))
        if shown is not None and (before is None or (before.page, before.picture) != (shown.page, shown.picture)):
            for tool in (self.point, self.framing, self.lift):
                tool.reset()
            self._geometry = replace(self._geometry, centre=(0.5, 0.0))
        is_new = before is None or shown is None or (before.picture, before.frame) != (shown.picture, shown.frame)
        if shown is not None and shown.frame is not None and is_new and not self.geometry_now.is_in_sight(shown.frame):
            self._geometry = self.geometry_now.on(shown.frame)
        tell(self, say_page(shown))
        self.update()

    @property
    def geometry_now(self) -> Geometry:
        """Where the page lies on this surface now."""
        return replace(self._geometry, surface=(float(self.width()), float(self.height())))

    def zoom(self, factor: float) -> None:
        """Show larger or smaller; 0 changes between the page's width and the whole page."""
        self._geometry = self.geometry_now.zoomed(factor)
        frame = self.shown.frame if self.shown else None
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
        ratio, target = self.devicePixelRatioF(), self.target
        shown, has = max(target.width(), target.height()), max(self.picture.width(), self.picture.height())
        if not self.picture.isNull() and shown * ratio > 1.1 * has:
            self.sharper_wanted.emit()

    # -- where things are ------------------------------------------------------------------------------------------

    @property
    def words(self) -> tuple[Word, ...]:
        """The words of the page, as they were read."""
        return self.shown.words if self.shown is not None else ()

    @property
    def target(self) -> QRectF:
        """Where the page lies in the widget."""
        return QRectF(*self.geometry_now.target) if self.shown is not None else QRectF()

    def rect_of(self, box: Box) -> QRectF:
        """Return where a box of the upright page lies in the widget."""
        return QRectF(*self.geometry_now.rect_of(box)) if self.shown is not None else QRectF()

    def word_at(self, point: QPointF) -> int | None:
        """Return the word at a point of the widget, by its number; None for none."""
        found = (i for i, w in enumerate(self.words) if self.rect_of(w.box).adjusted(-2, -3, 2, 3).contains(point))
        return next(found, None)

    def draw_along(self, right: float, down: float) -> None:
        """Move the page by so many px."""
        self._geometry = self.geometry_now.moved(right, down)
        self.update()

    # -- pointer and keys ------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            event.ignore()
            return
        frames = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        self._in_hand = self.framing if frames else self.tool
        self._in_hand.press(self, event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        (self._in_hand or self.tool).move(self, event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        tool, self._in_hand = self._in_hand, None
        if tool is not None:
            tool.release(self, event)

    def begin_lift(self) -> None:
        """Lift by keys: letters look for words until some are taken or Esc is pressed."""
        self.lift.begin()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.lift.is_on:
            event.ignore()
        elif self.lift.key(event):
            self.lift.end()
            self.lift_ended.emit()

    def event(self, event: QEvent) -> bool:
        if self.lift.is_on and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # while words are looked for, letters are letters and no commands
            return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if self.lift.is_on:
            self.lift.end()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.isWindow():
            self.put_away.emit(self.saveGeometry())

    def wheelEvent(self, event: QWheelEvent) -> None:
        up = event.angleDelta().y() > 0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(ZOOM_STEP if up else 1 / ZOOM_STEP)
        elif self.geometry_now.is_higher:
            self._geometry = self.geometry_now.moved(0, (1 if up else -1) * WHEEL_SHARE * self.height())
            self.update()
        else:
            self.turned_page.emit(-1 if up else 1)

    # -- painting --------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(c.SHADE))
        if self.shown is None or self.picture.isNull():
            painter.setPen(QColor(c.QUIET))
            told = (self.shown.told if self.shown is not None else "") or self.empty_text
            area = self.rect().adjusted(24, 24, -24, -24)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, told)
            return
        for layer in self.layers:
            layer.paint(painter, self)

    def snippet(self, box: Box, height_px: int) -> QPixmap:
        """Return the picture of a place on the shown page, for the slip."""
        if self.shown is None or self.picture.isNull():
            return QPixmap()
        s = self.picture.width() / self.shown.width
        left, top, right, bottom = (v * s for v in box)
        area = QRectF(left - 8, top - 5, right - left + 16, bottom - top + 10).toRect().intersected(self.picture.rect())
        return self.picture.copy(area).scaledToHeight(height_px, Qt.TransformationMode.SmoothTransformation)


def words_inside(words: Sequence[Word], box: Box) -> list[Word]:
    """Return the words whose middle lies in a box of the page."""
    found = []
    for word in words:
        x, y = centre(word.box)
        if box[0] <= x <= box[2] and box[1] <= y <= box[3]:
            found.append(word)
    return found
