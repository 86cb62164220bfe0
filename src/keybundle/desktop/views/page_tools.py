"""What hands do on the page surface: take words, frame an area, look for words by keys. Each tool paints what it does."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen

from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.page_layers import wash
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.views.page_view import PageView

STILL_PX = 5


class Tool(Protocol):
    """A tool that the pointer has in hand, from a press to its release. It is a layer too."""

    def reset(self) -> None:
        """Let go of all that belongs to the page before."""

    def press(self, surface: PageView, event: QMouseEvent) -> None:
        """Begin."""

    def move(self, surface: PageView, event: QMouseEvent) -> None:
        """Go on; also called with nothing pressed."""

    def release(self, surface: PageView, event: QMouseEvent) -> None:
        """Do it."""

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Show what is under way."""


class PointTool:
    """Takes the word that is clicked, with Shift all from the one before; what is pressed and moved draws the page along."""

    def __init__(self) -> None:
        self._hover: int | None = None
        self._anchor: int | None = None
        self._drag: QPointF | None = None
        self._pressed: QPointF | None = None

    def reset(self) -> None:
        """Let go of all that belongs to the page before."""
        self._hover = self._anchor = None

    def press(self, surface: PageView, event: QMouseEvent) -> None:
        """Hold the page fast."""
        self._drag = self._pressed = event.position()

    def move(self, surface: PageView, event: QMouseEvent) -> None:
        """Draw the page along, or show the word that a click would take."""
        if self._drag is not None and event.buttons() & Qt.MouseButton.LeftButton:
            moved, self._drag = event.position() - self._drag, event.position()
            surface.draw_along(moved.x(), moved.y())
            return
        found = surface.word_at(event.position())
        if found != self._hover:
            self._hover = found
            surface.update()

    def release(self, surface: PageView, event: QMouseEvent) -> None:
        """Take the word that was clicked."""
        pressed, self._drag, self._pressed = self._pressed, None, None
        if pressed is None or (event.position() - pressed).manhattanLength() >= STILL_PX:
            return
        found = surface.word_at(pressed)
        if found is None:
            return
        reach = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if not reach or self._anchor is None:
            self._anchor = found
        first, last = sorted((self._anchor, found))
        surface.words_taken.emit(list(surface.words[first : last + 1]))

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Show the word that a click would take."""
        if self._hover is not None and self._hover < len(surface.words):
            rect = surface.rect_of(surface.words[self._hover].box)
            painter.fillRect(rect.adjusted(-2, -2, 2, 2), wash(c.SLATE, 45))


class FrameTool:
    """Frames an area of the page."""

    def __init__(self) -> None:
        self._band: QRectF | None = None

    def reset(self) -> None:
        """Let go of the frame that was begun."""
        self._band = None

    def press(self, surface: PageView, event: QMouseEvent) -> None:
        """Begin a frame."""
        self._band = QRectF(event.position(), event.position())

    def move(self, surface: PageView, event: QMouseEvent) -> None:
        """Draw the frame up."""
        if self._band is not None:
            self._band.setBottomRight(event.position())
            surface.update()

    def release(self, surface: PageView, event: QMouseEvent) -> None:
        """Tell the area."""
        band, self._band = self._band, None
        if band is None:
            return
        area = band.normalized()
        box = surface.geometry_now.box_at((area.left(), area.top(), area.width(), area.height()))
        if box is not None and surface.shown is not None:
            surface.area_framed.emit(box)
        surface.update()

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Show the frame that is being drawn."""
        if self._band is not None:
            painter.setPen(QPen(QColor(c.SLATE), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(wash(c.SLATE, 40))
            painter.drawRect(self._band.normalized())


class LiftTool:
    """Looks for words by their first letters: Right and Left extend, Down and Up go to other finds, Enter takes."""

    def __init__(self, surface: PageView) -> None:
        self._surface = surface
        self.is_on = False
        self._typed = ""
        self._found: tuple[int, int] | None = None

    def begin(self) -> None:
        """Let letters be looked for from now on."""
        self.is_on, self._typed, self._found = True, "", None
        self._surface.update()

    def reset(self) -> None:
        """Let go of what was found."""
        self._found = None

    def end(self) -> None:
        """Look for nothing any more."""
        self.is_on, self._typed, self._found = False, "", None
        self._surface.update()

    def key(self, event: QKeyEvent) -> bool:
        """Take a key; returns whether that was the last one."""
        key, words = event.key(), self._surface.words
        if key == Qt.Key.Key_Escape:
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._found is not None:
                self._surface.words_taken.emit(list(words[self._found[0] : self._found[1] + 1]))
            return True
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Left) and self._found is not None:
            first, last = self._found
            last = min(len(words) - 1, last + 1) if key == Qt.Key.Key_Right else max(first, last - 1)
            self._found = (first, last)
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._find(1 if key == Qt.Key.Key_Down else -1)
        elif key == Qt.Key.Key_Backspace:
            self._typed = self._typed[:-1]
            self._find(0)
        elif event.text().isprintable() and event.text():
            self._typed += event.text()
            self._find(0)
        self._surface.update()
        return False

    def _hits(self) -> list[int]:
        wanted = self._typed.casefold()
        return [i for i, w in enumerate(self._surface.words) if w.text.casefold().startswith(wanted)] if wanted else []

    def _find(self, step: int) -> None:
        hits = self._hits()
        at = hits.index(self._found[0]) if self._found and self._found[0] in hits else 0
        here = hits[(at + step) % len(hits)] if hits else None
        self._found = (here, here) if here is not None else None

    @property
    def told(self) -> str:
        """What is being looked for, and how much was found, in words; empty where nothing is."""
        if not self.is_on:
            return ""
        if not self._typed:
            return tr("Lift: type the first letters of a word")
        hits = self._hits()
        if self._found is None or self._found[0] not in hits:
            found = tr("{n} found", n=len(hits))
        else:
            found = tr("{lift} of {n} found", lift=hits.index(self._found[0]) + 1, n=len(hits))
        return tr("Lift: {typed} ({self_})", typed=self._typed, self_=found)

    def paint(self, painter: QPainter, surface: PageView) -> None:
        """Show the words that Enter would take."""
        first, last = self._found if self._found is not None else (0, -1)
        for word in surface.words[first : last + 1]:
            painter.fillRect(surface.rect_of(word.box).adjusted(-2, -2, 2, 2), wash(c.SLATE, 90))
