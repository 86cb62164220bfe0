"""Side sheets: what is looked up, chosen or asked stands at the right edge of its place, one at a time.

A sheet belongs to its place: it goes and comes with it, and stays through minimising and locking. What comes late, when
somebody is at something else by then, takes neither the keyboard nor the room of another sheet.
"""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.desktop.actions import attention
from keybundle.desktop.actions.registry import find_command
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr

NARROW_PX, WIDE_PX = 476, 640
Target = tuple[str, str]


class Sheet(QFrame):
    """One thing that is looked up, chosen or asked, and what it is ``of``; it ends by Esc, its button or what was taken."""

    ended = Signal()

    def __init__(self, title: str, head: str = "", *, of: str = "", width_px: int = NARROW_PX) -> None:
        super().__init__()
        self.width_px = width_px
        self.setProperty("role", "sheet")
        self.setAccessibleName(f"{title}: {of}" if of else title)
        self.title, self.of = Elided(title), Elided(of)
        self.title.setProperty("role", "head")
        close = Button(tr("Close   Esc"))
        close.setProperty("role", "link")
        close.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        close.clicked.connect(self.leave)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(close)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(16, 12, 16, 16)
        self.body.setSpacing(10)
        self.body.addLayout(top)
        self.body.addWidget(self.of)
        self.of.setHidden(not of)
        self.hint = Told(tr("{key} leads the keyboard here", key=find_command("go.sheet").shortcut))
        self.hint.setProperty("role", "problem")
        self.hint.hide()
        self.body.addWidget(self.hint)
        if head:
            told = Told(head)
            told.setProperty("role", "quiet")
            told.setWordWrap(True)
            self.body.addWidget(told)
        escape = QShortcut(QKeySequence(Qt.Key.Key_Escape), self)
        escape.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        escape.activated.connect(self.leave)

    def first(self) -> QWidget:
        """Return what the keyboard goes to when the sheet opens."""
        return self

    def leave(self) -> None:
        """Go, as whoever looks at it wants it."""
        self.end()

    def end(self) -> None:
        """Go; twice does no harm."""
        self.ended.emit()


class SheetEdge(QObject):
    """The right edge of a place. Who opens a sheet says whom it is for; it gives the focus back when it ends.

    ``changed`` tells that a sheet waits here while the place is not in front, or waits no longer.
    """

    changed = Signal()

    def __init__(self, place: QWidget, over: QWidget) -> None:
        super().__init__(place)
        self._place, self._over = place, over
        self.shown: Sheet | None = None
        self.target: Target = ("", "")
        self._waiting: list[tuple[Sheet, Target]] = []
        self._came_from: QWidget | None = None
        self._has_keyboard = False
        for watched in {place, over}:
            watched.installEventFilter(self)

    @property
    def is_in_front(self) -> bool:
        """Whether the place is the one that is looked at in its window, be that in sight or not."""
        return not self._place.isHidden()

    @property
    def told(self) -> str:
        """What waits here to be answered while another place is in front, in words; empty for nothing."""
        return self.shown.title.text() if self.shown is not None and not self.is_in_front else ""

    def open(self, sheet: Sheet, target: Target = ("", "")) -> None:
        """Let this be the sheet that stands here; one that comes late waits until another one, or the place, is through."""
        is_late = not attention.is_undivided()
        sheet.setParent(self._place.window())
        sheet.hide()
        sheet.ended.connect(lambda: self._ended(sheet))
        if self.shown is not None and (is_late or not self.is_in_front):
            self._waiting.append((sheet, target))
            return
        came_from = QApplication.focusWidget() if self.shown is None else self._came_from
        self._end_shown()
        self._came_from = came_from
        self._stand(sheet, target, takes_keyboard=not is_late and self.is_in_front)

    def _stand(self, sheet: Sheet, target: Target, *, takes_keyboard: bool) -> None:
        self.shown, self.target = sheet, target
        if self.is_in_front:
            self._lay()
            sheet.show()
            sheet.raise_()
            sheet.hint.setHidden(takes_keyboard)
        if takes_keyboard:
            sheet.first().setFocus()
        self.changed.emit()

    def enter(self) -> bool:
        """Lead the keyboard into the sheet that stands here; False where none does."""
        if self.shown is None or not self.is_in_front:
            return False
        self._came_from = self._came_from or QApplication.focusWidget()
        self.shown.hint.hide()
        self.shown.first().setFocus()
        return True

    def end(self) -> None:
        """Let go of the sheet that stands here, if one does, and of those that wait behind it."""
        waiting, self._waiting = self._waiting, []
        for sheet, _ in waiting:
            sheet.end()
        self._end_shown()

    def _end_shown(self) -> None:
        if self.shown is not None:
            self.shown.end()

    def _ended(self, sheet: Sheet) -> None:
        self._waiting = [entry for entry in self._waiting if entry[0] is not sheet]
        if self.shown is not sheet:
            sheet.deleteLater()
            return
        focus, back = QApplication.focusWidget(), self._came_from
        had_focus = focus is None or focus is sheet or sheet.isAncestorOf(focus)
        self.shown, self.target, self._came_from, self._has_keyboard = None, ("", ""), None, False
        sheet.hide()
        sheet.deleteLater()
        if had_focus and self.is_in_front:
            is_there = back is not None and shiboken6.isValid(back) and back.isVisible()
            (back if back is not None and is_there else self._place).setFocus()
        if self._waiting:
            self._stand(*self._waiting.pop(0), takes_keyboard=False)
        else:
            self.changed.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self.shown is not None:
            if watched is self._place and event.type() == QEvent.Type.Hide and not self.is_in_front:
                self._leave(self.shown)
            elif watched is self._place and event.type() == QEvent.Type.Show:
                self._come_back(self.shown)
            elif event.type() in (QEvent.Type.Resize, QEvent.Type.Move):
                self._lay()
        return False

    def _leave(self, sheet: Sheet) -> None:
        """Go with the place that another one takes the room of."""
        focus = QApplication.focusWidget()
        self._has_keyboard = focus is not None and (focus is sheet or sheet.isAncestorOf(focus))
        sheet.hide()
        self.changed.emit()

    def _come_back(self, sheet: Sheet) -> None:
        """Come with the place that is in front again, with the keyboard where it was."""
        if not sheet.isHidden():
            return  # the window was out of sight with all it shows
        self._lay()
        sheet.show()
        sheet.raise_()
        sheet.hint.setHidden(self._has_keyboard)
        if self._has_keyboard:
            QTimer.singleShot(0, self.enter)
        self.changed.emit()

    def _lay(self) -> None:
        if self.shown is None or (home := self.shown.parentWidget()) is None:
            return
        corner, size = self._over.mapTo(home, QPoint(0, 0)), self._over.size()
        width = min(self.shown.width_px, size.width())
        self.shown.setGeometry(corner.x() + size.width() - width, corner.y(), width, size.height())
