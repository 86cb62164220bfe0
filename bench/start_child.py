"""A start of its own process, told as it goes: the frame, the start page, the window with its work list, a first picture.

Then, where asked, the longest gap of the event loop in the first seconds of work, with a stack scanned in the first of them.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from keybundle.core.base.loading import loading

WORK_SECONDS, KEY_SECONDS = 30.0, 0.25


def tell(what: str) -> None:
    """Print a moment."""
    print(what, time.perf_counter(), flush=True)


def main(data: Path, task: str) -> None:
    """Start as the command does, sign in at once, and go on as asked."""
    with loading():
        from keybundle.desktop.opening import OpeningFrame, make_application

        app, painted = make_application(), []
        frame = OpeningFrame(data)
        frame.stands.connect(lambda: painted.append(True))
        frame.show()
        while not painted:
            app.processEvents()
        tell("frame")
        from PySide6.QtCore import Qt
        from PySide6.QtTest import QTest
        from PySide6.QtWidgets import QApplication

        from keybundle.desktop.app import Desktop

    def until(holds: Callable[[], object], seconds: float = 60) -> None:
        end = time.monotonic() + seconds
        while not holds():
            if time.monotonic() > end:
                raise TimeoutError("waited in vain")
            app.processEvents()
            time.sleep(0.001)

    desktop = Desktop(data)
    desktop.root.show()
    frame.close()
    app.processEvents()
    tell("page")
    if "choose" in desktop.workspace.setup.sign_in:
        desktop.begin(desktop.workspace.setup.people[0].name)
    else:
        desktop.signing_in.take_account()
        until(lambda: desktop.window)
    window = desktop.window
    assert window is not None
    until(lambda: window.work.presenter.state.today)
    app.processEvents()
    tell("window")
    if task == "picture":
        window.go_cabinets()
        cabinets = window.cabinets
        until(lambda: cabinets.presenter.state.columns)
        cabinets.presenter.open(desktop.workspace.setup.cabinets[0].id)
        until(lambda: cabinets.table.model().rowCount())
        tell("rows")
        shown: list[object] = []
        cabinets.presenter.pages.page_changed.connect(lambda page: shown.append(page) if page is not None else None)
        cabinets.table.selectRow(0)
        until(lambda: shown)
        tell("picture")
    if task in ("gaps", "scan"):
        if task == "scan":
            window.work.presenter.scanning.scan()
        gap, at, end, keys = 0.0, 0.0, time.monotonic() + WORK_SECONDS, 0
        begun = due = time.monotonic()
        while time.monotonic() < end:
            before = time.perf_counter()
            if time.monotonic() > due:
                keys, due = keys + 1, due + KEY_SECONDS
                places = (Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_1)
                if keys % 8 == 4:
                    QTest.keyClick(window, places[keys // 8 % 3], Qt.KeyboardModifier.ControlModifier)
                else:
                    QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Down)
            app.processEvents()
            took = time.perf_counter() - before
            if took > gap:
                gap, at = took, time.monotonic() - begun
            time.sleep(0.001)
        print("gap", gap, at, keys, flush=True)
    desktop.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2] if len(sys.argv) > 2 else "")
