"""What stands on the screen while all the rest is loaded: needs nothing of the core, so that it is there at once."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFrame, QVBoxLayout, QWidget

from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

CARD_PX, WIDTH_PX, HEIGHT_PX = 460, 1280, 800


class OpeningFrame(QWidget):
    """Says what is being opened, where the start page will stand."""

    def __init__(self, data: Path) -> None:
        super().__init__()
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
        for part in (brand, said, where):
            inner.addWidget(part)
        layout = QVBoxLayout(self)
        layout.addWidget(card, alignment=Qt.AlignmentFlag.AlignCenter)


def make_application() -> QApplication:
    """Return the one application, with its type and colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    if not app.styleSheet():
        apply_theme(app)
    app.setApplicationName("Key Bundle")
    return app


def show_frame(data: Path) -> OpeningFrame:
    """Show the frame, painted when this comes back."""
    app = make_application()
    frame = OpeningFrame(data)
    frame.show()
    app.processEvents()
    return frame
