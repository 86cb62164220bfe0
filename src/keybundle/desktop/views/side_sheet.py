"""Side sheets: what is looked up, chosen or asked stands at the right edge of its place, one at a time.

A sheet lies beside its place, not in it: the keys of the place do not act while it has the keyboard.
"""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QFrame, QHBoxLayout, QVBoxLayout, QWidget

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
        close.clicked.connect(self.end)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(close)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(16, 12, 16, 16)
        self.body.setSpacing(10)
        self.body.addLayout(top)
        self.body.addWidget(self.of)
        self.of.setHidden(not of)
        if head:
            told = Told(head)
            told.setProperty("role", "quiet")
            told.setWordWrap(True)
            self.body.addWidget(told)
        escape = QShortcut(QKeySequence(Qt.Key.Key_Escape), self)
        escape.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        escape.activated.connect(self.end)

    def first(self) -> QWidget:
        """Return what the keyboard goes to when the sheet opens."""
        return self

    def end(self) -> None:
        """Go; twice does no harm."""
        self.ended.emit()


class SheetEdge(QObject):
    """The right edge of a place. Who opens a sheet says whom it is for; it goes with its place, and gives the focus back."""

    def __init__(self, place: QWidget, over: QWidget) -> None:
        super().__init__(place)
        self._place, self._over = place, over
        self.shown: Sheet | None = None
        self.target: Target = ("", "")
        self._came_from: QWidget | None = None
        for watched in {place, over}:
            watched.installEventFilter(self)

    def open(self, sheet: Sheet, target: Target = ("", "")) -> None:
        """Let this be the one sheet that stands here."""
        came_from = QApplication.focusWidget() if self.shown is None else self._came_from
        self.end()
        self.shown, self.target, self._came_from = sheet, target, came_from
        sheet.setParent(self._place.window())
        sheet.ended.connect(lambda: self._ended(sheet))
        self._lay()
        sheet.show()
        sheet.raise_()
        sheet.first().setFocus()

    def end(self) -> None:
        """Let go of the sheet that stands here, if one does."""
        if self.shown is not None:
            self.shown.end()

    def _ended(self, sheet: Sheet) -> None:
        if self.shown is not sheet:
            return
        focus, back = QApplication.focusWidget(), self._came_from
        had_focus = focus is None or focus is sheet or sheet.isAncestorOf(focus)
        self.shown, self.target, self._came_from = None, ("", ""), None
        sheet.hide()
        sheet.deleteLater()
        if had_focus:
            is_there = back is not None and shiboken6.isValid(back) and back.isVisible()
            (back if back is not None and is_there else self._place).setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self.shown is not None:
            if event.type() == QEvent.Type.Hide and watched is self._place:
                self.end()
            elif event.type() in (QEvent.Type.Resize, QEvent.Type.Move):
                self._lay()
        return False

    def _lay(self) -> None:
        if self.shown is None or (home := self.shown.parentWidget()) is None:
            return
        corner, size = self._over.mapTo(home, QPoint(0, 0)), self._over.size()
        width = min(self.shown.width_px, size.width())
        self.shown.setGeometry(corner.x() + size.width() - width, corner.y(), width, size.height())
