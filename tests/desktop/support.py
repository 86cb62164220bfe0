"""Driving the real windows: real keys and clicks, and no Qt message or thread left behind."""

from __future__ import annotations

import sys
import time
import traceback
from collections.abc import Callable
from types import TracebackType
from typing import TypeVar
from unittest import mock

from PySide6.QtCore import QEvent, QPoint, QSettings, Qt, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from keybundle.desktop.app import Desktop
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.side_sheet import Sheet
from tests.support import DataTest, shared_pool

SheetT = TypeVar("SheetT", bound=Sheet)
# The offscreen platform says of itself what it cannot do (smallest sizes, raising, grabbing); it is no fault of ours.
ALLOWED = "This plugin does not support"


def application() -> QApplication:
    app = QApplication.instance()
    if app is None:
        app = QApplication([])
        apply_theme(app)
    assert isinstance(app, QApplication)
    return app


class DesktopTest(DataTest):
    """Starts the whole desktop on a demo data directory and closes it afterwards."""

    def setUp(self) -> None:
        super().setUp()
        # Asking SANE takes seconds, and a window waits for it at its end; tests/core/test_sane.py asks it.
        no_devices = mock.patch("keybundle.core.intake.sane.list_devices", return_value=[])
        no_devices.start()
        self.addCleanup(no_devices.stop)
        self.app = application()
        self.messages: list[str] = []
        before = qInstallMessageHandler(lambda kind, context, text: self.messages.append(text))
        self.addCleanup(qInstallMessageHandler, before)
        self.addCleanup(self.check_messages)
        self.faults: list[BaseException] = []
        hook, sys.excepthook = sys.excepthook, self.note_fault
        self.addCleanup(setattr, sys, "excepthook", hook)

    def note_fault(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Note an exception in a slot, which Qt would only print."""
        traceback.print_exception(kind, error, trace)
        self.faults.append(error)

    def check_messages(self) -> None:
        self.assertEqual(self.faults, [], "exceptions in slots")
        self.assertEqual([m for m in self.messages if not m.startswith(ALLOWED)], [])

    def start(self, *, scanned: bool = False, **options: bool) -> Desktop:
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        desktop = Desktop(self.demo_data(scanned=scanned), settings=settings, pool=shared_pool(), **options)
        self.addCleanup(self.let_windows_go)
        self.addCleanup(desktop.close)
        begin = desktop.begin

        def begin_in_front(who: str) -> None:
            begin(who)
            assert desktop.window is not None
            self.until(lambda: self.is_in_front(desktop.window), 10, "the window to be in front")

        desktop.begin = begin_in_front  # type: ignore[method-assign]
        desktop.root.show()
        desktop.root.activateWindow()
        self.until(desktop.root.isActiveWindow, 10, "the start page to be in front")
        assert desktop.start is not None
        desktop.start.focus_first()
        return desktop

    def is_in_front(self, window: QWidget | None) -> bool:
        if window is not None and not window.isActiveWindow():
            window.activateWindow()
        return window is not None and window.isActiveWindow()

    def let_windows_go(self) -> None:
        """Delete what was closed, so that no window of this test takes the keyboard in the next one."""
        self.spin(0.05)
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        self.spin(0.0)

    def spin(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.005)

    def until(self, holds: Callable[[], object], seconds: float = 30, what: str = "") -> None:
        end = time.monotonic() + seconds
        while not holds():
            if time.monotonic() > end:
                self.fail(f"waited {seconds} s in vain for {what or holds}")
            self.spin(0.02)

    def key(self, widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(widget, key, modifier)
        self.spin(0.05)

    def click(
        self, widget: QWidget, point: QPoint, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, modifier, point)
        self.spin(0.05)

    def sheet(self, kind: type[SheetT]) -> SheetT:
        """Wait for the side sheet of a kind, and return it with the keyboard in it."""
        found = lambda: [w for w in self.app.allWidgets() if isinstance(w, kind) and w.isVisible()]  # noqa: E731
        self.until(found, 10, f"a {kind.__name__}")
        (sheet,) = found()
        return sheet

    def answer(self, *texts: str) -> None:
        """Type into the lines of the sheet that asks, one after another, and take them."""
        sheet = self.sheet(AskSheet)
        for line, text in zip(sheet.lines, texts, strict=True):
            line.setFocus()
            if isinstance(line, QLineEdit):
                QTest.keyClicks(line, text)
            elif line.isEditable():
                line.lineEdit().selectAll()
                QTest.keyClicks(line, text)
            else:
                while line.currentText() != text:
                    self.key(line, Qt.Key.Key_Down)
        QTest.keyClick(self.app.focusWidget(), Qt.Key.Key_Return)
        self.spin(0.05)

    def burst(self, text: str, *, start: QWidget | None = None) -> None:
        """Press keys as an expert does: each goes to what has the focus by then, nothing is waited for between them.

        \n is Enter, \t is Tab.
        """
        if start is not None:
            start.setFocus()
        for letter in text:
            target = QApplication.focusWidget()
            if target is None:
                self.fail(f"nothing has the focus for {letter!r}")
            if letter == "\n":
                QTest.keyClick(target, Qt.Key.Key_Return)
            elif letter == "\t":
                QTest.keyClick(target, Qt.Key.Key_Tab)
            else:
                QTest.keyClicks(target, letter)
