"""Driving the real windows: real keys and clicks, and no Qt message or thread left behind."""

from __future__ import annotations

import logging
import sys
import threading
import time
import traceback
from collections.abc import Callable
from types import TracebackType
from typing import TypeVar
from unittest import mock

from PySide6.QtCore import QEvent, QModelIndex, QPoint, QSettings, Qt, QTimer, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget
from shiboken6 import Shiboken

from keybundle.desktop.app import Desktop
from keybundle.desktop.jobs.collector import Collector
from keybundle.desktop.jobs.runner import THREADS
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.cabinets_view import CabinetsView
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.window import MainWindow
from tests.support import DataTest, filed_ids, shared_pool

CTRL = Qt.KeyboardModifier.ControlModifier

# What the threads of a window's job runner are called; those of devices are not waited for at its end.
RUNNERS = (*(kind for kind in THREADS if kind != "devices"), "change", "long")
SheetT = TypeVar("SheetT", bound=Sheet)
# The offscreen platform says of itself what it cannot do (smallest sizes, raising, grabbing); it is no fault of ours.
ALLOWED = "This plugin does not support"


class Logged(logging.Handler):
    """Notes what is logged from WARNING on; a test that expects something catches it by ``assertLogs``."""

    def __init__(self) -> None:
        super().__init__(logging.WARNING)
        self.told: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.told.append(f"{record.name}: {record.getMessage()}")


def application() -> QApplication:
    app = QApplication.instance()
    if app is None:
        app = QApplication([])
        apply_theme(app)
    assert isinstance(app, QApplication)
    return app


class DesktopTest(DataTest):
    """Starts the whole desktop on a demo data directory and closes it afterwards."""

    workers = staticmethod(shared_pool)

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
        self.faults: list[BaseException | None] = []
        hook, sys.excepthook = sys.excepthook, self.note_fault
        self.addCleanup(setattr, sys, "excepthook", hook)
        of_threads, threading.excepthook = threading.excepthook, self.note_fault_of_thread
        self.addCleanup(setattr, threading, "excepthook", of_threads)
        self.logged = Logged()
        logging.getLogger("keybundle").addHandler(self.logged)
        self.addCleanup(logging.getLogger("keybundle").removeHandler, self.logged)

    def note_fault(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Note an exception in a slot, which Qt would only print."""
        traceback.print_exception(kind, error, trace)
        self.faults.append(error)

    def note_fault_of_thread(self, told: threading.ExceptHookArgs) -> None:
        """Note an exception that ended a thread."""
        traceback.print_exception(told.exc_type, told.exc_value, told.exc_traceback)
        self.faults.append(told.exc_value)

    def check_messages(self) -> None:
        self.assertEqual(self.faults, [], "exceptions in slots and threads")
        self.assertEqual([m for m in self.messages if not m.startswith(ALLOWED)], [])
        self.assertEqual(self.logged.told, [], "warnings and errors in the log")

    def check_left_behind(self) -> None:
        """Look whether a closed window has left windows, timers or threads of its own behind."""
        windows = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
        self.assertEqual(windows, [], "windows left behind")
        timers = [t for t in Shiboken.getAllValidWrappers() if isinstance(t, QTimer) and t.isActive()]
        self.assertEqual(
            [t.parent() for t in timers if not isinstance(t.parent(), Collector)], [], "timers left behind"
        )
        threads = [t.name for t in threading.enumerate() if t.name.startswith(RUNNERS)]
        self.assertEqual(threads, [], "threads left behind")

    def start(self, *, scanned: bool = False, **options: bool) -> Desktop:
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        desktop = Desktop(self.demo_data(scanned=scanned), settings=settings, pool=self.workers(), **options)
        self.addCleanup(self.check_left_behind)
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

    def sheet(self, kind: type[SheetT], seconds: float = 10) -> SheetT:
        """Wait for the side sheet of a kind, and return it with the keyboard in it."""
        found = lambda: [w for w in self.app.allWidgets() if isinstance(w, kind) and w.isVisible()]  # noqa: E731
        self.until(found, seconds, f"a {kind.__name__}")
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


class CabinetsTest(DesktopTest):
    """The cabinet of bills and orders, open in a window."""

    def open(self, who: str = "Oswinna Reedmace") -> tuple[MainWindow, CabinetsView]:
        desktop = self.start()
        desktop.begin(who)
        window = desktop.window
        assert window is not None
        self.ws, self.desktop = desktop.workspace, desktop
        self.key(window, Qt.Key.Key_2, CTRL)
        view = window.cabinets
        self.until(lambda: view.cabinets.count() == 4)
        view.presenter.open("Purchasing")
        self.until(lambda: set(view.presenter.state.documents) == set(self.bills()) and view.model.rowCount() > 0)
        return window, view

    def bills(self) -> list[str]:
        return filed_ids(self.ws, "Purchasing")

    def cell(self, view: CabinetsView, document: str, head: str) -> QModelIndex:
        self.until(lambda: view.model.values_of([document], head), 10, "the row to be read")
        heads = [str(view.model.headerData(i, Qt.Orientation.Horizontal)) for i in range(view.model.columnCount())]
        return view.model.index(view.presenter.state.documents.index(document), heads.index(head))

    def type_into(self, view: CabinetsView, index: QModelIndex, text: str) -> None:
        """Press F2 in a cell, type, and press Enter."""
        view.table.setCurrentIndex(index)
        view.table.setFocus()
        self.key(view.table, Qt.Key.Key_F2)
        editor = QApplication.focusWidget()
        assert editor is not None and editor is not view.table
        QTest.keyClick(editor, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(editor, text)
        self.key(editor, Qt.Key.Key_Return)

    def begin_to_type(self, view: CabinetsView, document: str, text: str) -> QLineEdit:
        """Press F2 in the cell of a number and type; the editor stays open."""
        view.table.setCurrentIndex(self.cell(view, document, "Bill number"))
        view.table.setFocus()
        self.key(view.table, Qt.Key.Key_F2)
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        editor.selectAll()
        QTest.keyClicks(editor, text)
        return editor
