"""The feeder has stopped: why, the last pictures, and the ways on, in a band that takes nothing from who is typing."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from keybundle.desktop.presenters.work_state import HaltShown
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import mark, tr

PICTURE_HEIGHT = 150
WAYS = (
    ("go on", mark("Go on   G"), mark("The sheets are fine: feed what lies in the feeder")),
    ("again", mark("Scan again   A"), mark("Leave these sheets out and feed them again with the rest")),
    ("leave out", mark("Leave out   X"), mark("Leave the sheet out that stopped the feeder, and feed what lies there")),
    ("", mark("Later   Esc"), mark("The feeder stays stopped; what came in is kept")),
)


class HaltBand(QFrame):
    """Shows a halt until a way on is chosen; ``way_chosen`` carries the halt and the way (empty: none of them).

    ``told`` carries why the feeder stopped, and nothing once it is seen to.
    """

    way_chosen = Signal(object, str)
    told = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.halt: HaltShown | None = None
        self.setProperty("role", "card")
        self.setObjectName("halt")
        self.setStyleSheet(f"QFrame#halt {{ border: 2px solid {c.MADDER}; }}")
        self.setAccessibleName(tr("The feeder has stopped"))
        self.words = _told(tr("Why the feeder stopped"), "font-size: 17px; font-weight: 600;")
        self.again = _told(tr("What to put back"), "")
        self._pictures = QHBoxLayout()
        self._pictures.setSpacing(12)
        self.buttons: dict[str, Button] = {}
        ways = QGridLayout()
        ways.setHorizontalSpacing(12)
        ways.setVerticalSpacing(4)
        for column, (way, label, told) in enumerate((w, tr(a), tr(b)) for w, a, b in WAYS):
            button = self.buttons[way] = Button(label)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, w=way: self.choose(w))
            ways.addWidget(button, 0, column)
            said = _told(label, f"color: {c.QUIET}; font-size: 12px;", told)
            ways.addWidget(said, 1, column, Qt.AlignmentFlag.AlignTop)
            ways.setColumnStretch(column, 1)
        self.buttons["again"].setProperty("role", "main")
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.words)
        left.addWidget(self.again)
        left.addStretch(1)
        left.addLayout(ways)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(16)
        layout.addLayout(left, 1)
        layout.addLayout(self._pictures)
        self.hide()

    def show_halt(self, halt: HaltShown) -> None:
        """Show a halt; the focus stays where it is."""
        self.halt = halt
        self.words.setText(halt.words)
        self.again.setText(halt.again)
        while (item := self._pictures.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.deleteLater()
        for file, told in halt.pictures:
            self._pictures.addWidget(_picture(file, told))
        self.show()
        self.told.emit(halt.words)

    def put_away(self) -> None:
        """Show no halt any more: something comes in again."""
        self.hide()
        self.told.emit("")

    def choose(self, way: str) -> None:
        """Go on in a way; nothing happens where no halt is shown."""
        halt, self.halt = self.halt, None
        self.put_away()
        if halt is not None:
            self.way_chosen.emit(halt, way)


def _told(name: str, style: str, text: str = "") -> QLabel:
    label = Told(text)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    label.setStyleSheet(style)
    label.setAccessibleName(name)
    return label


def _picture(file: str, told: str) -> QWidget:
    holder, picture, label = QWidget(), Told(), Told(told)
    pixmap = QPixmap(file)
    if not pixmap.isNull():
        picture.setPixmap(pixmap.scaledToHeight(PICTURE_HEIGHT, Qt.TransformationMode.SmoothTransformation))
    picture.setAccessibleName(told)
    picture.setFrameShape(QLabel.Shape.Box)
    label.setProperty("role", "quiet")
    column = QVBoxLayout(holder)
    column.setContentsMargins(0, 0, 0, 0)
    column.addWidget(picture)
    column.addWidget(label)
    return holder
