"""The feeder has stopped: why, the last two pictures, and the three ways on."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from keybundle.desktop.presenters.work import HaltShown

PICTURE_HEIGHT = 380
WAYS = (
    ("go on", "&Go on", "The sheets are fine; feed what lies in the feeder"),
    ("again", "Scan &again", "Leave these sheets out and feed them again with the rest"),
    ("leave out", "&Leave out", "Leave the sheet out that stopped the feeder, and feed what lies there"),
)


class HaltDialog(QDialog):
    """Shows a halt; ``way_chosen`` says how to go on. Closing it leaves the feeder stopped and everything kept."""

    way_chosen = Signal(str)

    def __init__(self, halt: HaltShown, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("The feeder has stopped")
        words = QLabel(halt.words)
        words.setWordWrap(True)
        words.setStyleSheet("font-size: 17px; font-weight: 600;")
        words.setAccessibleName("Why the feeder stopped")
        pictures = QHBoxLayout()
        pictures.setSpacing(16)
        for file, told in halt.pictures:
            pictures.addLayout(_picture(file, told))
        kept = QLabel(halt.again)
        kept.setWordWrap(True)
        ways = QHBoxLayout()
        ways.addWidget(kept, 1)
        self.buttons: dict[str, QPushButton] = {}
        for way, label, told in WAYS:
            button = QPushButton(label)
            button.setToolTip(told)
            button.clicked.connect(lambda _=False, w=way: self._choose(w))
            self.buttons[way] = button
            ways.addWidget(button)
        self.buttons["again"].setProperty("role", "main")
        self.buttons["again"].setDefault(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(14)
        layout.addWidget(words)
        layout.addLayout(pictures)
        layout.addLayout(ways)
        self.setMinimumWidth(700)

    def _choose(self, way: str) -> None:
        self.way_chosen.emit(way)
        self.close()


def _picture(file: str, told: str) -> QVBoxLayout:
    picture, label = QLabel(), QLabel(told)
    pixmap = QPixmap(file)
    if not pixmap.isNull():
        picture.setPixmap(pixmap.scaledToHeight(PICTURE_HEIGHT, Qt.TransformationMode.SmoothTransformation))
    picture.setAccessibleName(told)
    picture.setFrameShape(QLabel.Shape.Box)
    picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
    label.setProperty("role", "quiet")
    column = QVBoxLayout()
    column.addWidget(picture, 1)
    column.addWidget(label)
    return column
