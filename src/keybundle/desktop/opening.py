"""What stands on the screen while all the rest is loaded: needs nothing of the core, so that it is there at once."""

from __future__ import annotations

import logging
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QApplication, QFrame, QVBoxLayout, QWidget

from keybundle.core.base.errors import AppError
from keybundle.core.base.loading import loading
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, worded

if TYPE_CHECKING:
    from keybundle.desktop.app import Opened

CARD_PX, WIDTH_PX, HEIGHT_PX = 460, 1280, 800
AT_LATEST_MS = 300  # a window that nobody sees is not painted
FAILED = 3


class OpeningFrame(QWidget):
    """Says what is being opened, where the start page will stand; ``stands`` once it was painted."""

    stands = Signal()

    def __init__(self, data: Path) -> None:
        super().__init__()
        self._told = False
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle("Key Bundle")
        self.resize(WIDTH_PX, HEIGHT_PX)
        brand, said, where = Told("Key Bundle"), Told(tr("Opening...")), Told(str(data))
        for part, role in ((brand, "section"), (said, "head"), (where, "quiet")):
            part.setProperty("role", role)
        where.setWordWrap(True)
        card = QFrame()
        card.setProperty("role", "card")
        card.setFixedWidth(CARD_PX)
        inner = QVBoxLayout(card)
        inner.setContentsMargins(24, 22, 24, 24)
        inner.setSpacing(10)
        self._said, self._problem, self.again = said, Told(), Button(tr("Try again"))
        self._problem.setProperty("role", "problem")
        self._problem.setWordWrap(True)
        self.again.setProperty("role", "main")
        for part in (brand, said, where, self._problem):
            inner.addWidget(part)
        inner.addWidget(self.again)
        self.tell("")
        layout = QVBoxLayout(self)
        layout.addWidget(card, alignment=Qt.AlignmentFlag.AlignCenter)
        QTimer.singleShot(AT_LATEST_MS, self, self._stands)

    def tell(self, problem: str) -> None:
        """Say why it cannot be opened, with the way to try it again; nothing while it is tried."""
        self._said.setText(tr("It could not be opened") if problem else tr("Opening..."))
        self._problem.setText(problem)
        self._problem.setVisible(bool(problem))
        self.again.setVisible(bool(problem))
        if problem:
            self.again.setFocus()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        self._stands()

    def _stands(self) -> None:
        if not self._told:
            self._told = True
            self.stands.emit()


def make_application() -> QApplication:
    """Return the one application, with its type and colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    if not app.styleSheet():
        apply_theme(app)
    app.setApplicationName("Key Bundle")
    return app


def run_desktop(data: Path, *, demo: bool = False, files: Sequence[Path] = ()) -> int:
    """Run the desktop from its frame on; returns its exit status."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr)
    app, frame = make_application(), OpeningFrame(data)
    opened: list[Opened] = []
    failed: list[BaseException] = []

    def load() -> None:
        frame.tell("")
        try:
            with loading():
                from keybundle.desktop.app import open_up
            opened.append(open_up(data, demo=demo, files=files))
            frame.close()
        except AppError as error:
            frame.tell(worded(error))
        except BaseException as error:  # noqa: BLE001  a slot would swallow it; it is raised below
            failed.append(error)
            app.exit(FAILED)

    frame.stands.connect(load, Qt.ConnectionType.QueuedConnection)
    frame.again.clicked.connect(load)
    frame.show()
    status = app.exec()
    for one in opened:
        one.desktop.close()
    if failed:
        raise failed[0]
    return status if opened else FAILED
