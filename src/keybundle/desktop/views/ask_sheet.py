"""A few lines that are asked for: a reason, a name, a choice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import shiboken6
from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class AskSheet(Sheet):
    """``answered`` carries what stands in the lines, in their order.

    ``asked`` gives each line its label and what it offers (nothing: a line to type in); in those called ``free`` something else
    than what is offered can be typed too. One that ``stays`` is ended by who takes the answer, once it is ``done``, or told
    why it is not (``refuse``): what was typed still stands there then.
    """

    answered = Signal(list)

    def __init__(
        self, title: str, head: str, asked: Mapping[str, Sequence[str]], take: str, *, of: str = "",
        free: Sequence[str] = (), stays: bool = False,
    ) -> None:  # fmt: skip
        super().__init__(title, head, of=of)
        self._stays = stays
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.lines: list[QLineEdit | QComboBox] = [
            self._line(label, offers, is_free=label in free) for label, offers in asked.items()
        ]
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        for label, line in zip(asked, self.lines, strict=True):
            form.addRow(label, line)
        button = Button(tr("{take}   Enter", take=take))
        button.setProperty("role", "main")
        button.clicked.connect(self._take)
        self.body.addLayout(form)
        self.body.addWidget(self.problem)
        self.body.addWidget(button, alignment=Qt.AlignmentFlag.AlignRight)
        self.body.addStretch(1)

    def _line(self, label: str, offers: Sequence[str], *, is_free: bool) -> QLineEdit | QComboBox:
        line: QLineEdit | QComboBox = QLineEdit()
        if offers:
            line = Choice()
            line.addItems(list(offers))
            line.setEditable(is_free)
        line.setAccessibleName(label)
        line.installEventFilter(self)
        return line

    def fill(self, label: str, text: str) -> None:
        """Let a line begin with a text."""
        for line in self.lines:
            if line.accessibleName() == label and isinstance(line, QLineEdit):
                line.setText(text)
                line.selectAll()

    def first(self) -> QWidget:
        return self.lines[0]

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        pressed = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        if pressed and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):  # type: ignore[attr-defined]
            self._take()
            return True
        return False

    def _take(self) -> None:
        texts = [x.currentText() if isinstance(x, QComboBox) else x.text() for x in self.lines]
        self.problem.hide()
        self.answered.emit([text.strip() for text in texts])
        if not self._stays:
            self.end()

    def done(self) -> None:
        """Go: what was answered is done; it may be gone by then."""
        if shiboken6.isValid(self):
            self.end()

    def refuse(self, why: str) -> None:
        """Say why what was answered is not done; it may be gone by then."""
        if shiboken6.isValid(self):
            self.problem.setText(why)
            self.problem.show()
