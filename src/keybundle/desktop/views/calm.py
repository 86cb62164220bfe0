"""Controls that do nothing by accident: no wheel without the focus, no number half typed, Enter presses what has the focus."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QWheelEvent
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QPushButton, QSpinBox, QWidget

from keybundle.desktop.actions import attention
from keybundle.desktop.words import tr

TEXT_PX = 6
UNDO_KEYS = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)


def is_letter(event: QEvent) -> bool:
    """Whether somebody types something that can be read, and it is asked whether that is a command here."""
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.ShortcutOverride:
        return False
    chord = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    return not chord and len(event.text()) == 1 and event.text().isprintable()


class _Calm:
    """Mixed in before a control: the wheel goes on to what scrolls below it until it is entered."""

    def wheelEvent(self: Any, event: QWheelEvent) -> None:
        if self.hasFocus():
            super().wheelEvent(event)  # type: ignore[misc]
        else:
            event.ignore()


class Choice(_Calm, QComboBox):
    """A box to choose from; letters look for its lines, whatever they mean around it."""

    def event(self, event: QEvent) -> bool:
        if is_letter(event):
            event.accept()
            return True
        return super().event(event)

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)


class CodeChoice(Choice):
    """A box to choose codes from (kinds, formats, ...), each shown in words; ``code_chosen`` carries the code."""

    code_chosen = Signal(str)

    def __init__(self, codes: Iterable[str] = ()) -> None:
        super().__init__()
        self.set_codes(codes)
        self.activated.connect(lambda _: self.code_chosen.emit(self.code))

    def set_codes(self, codes: Iterable[str]) -> None:
        """Offer these codes; the box is touched only where they differ."""
        wanted = list(codes)
        if [self.itemData(i) for i in range(self.count())] != wanted:
            self.clear()
            for code in wanted:
                self.addItem(tr(code), code)

    @property
    def code(self) -> str:
        """The chosen code, empty for none."""
        return self.currentData() or ""

    def show_code(self, code: str) -> None:
        """Show a code as the chosen one."""
        self.setCurrentIndex(self.findData(code))


class Number(_Calm, QSpinBox):
    """A whole number; it counts once it is typed to its end."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setKeyboardTracking(False)
        self.lineEdit().setTextMargins(TEXT_PX, 0, 0, 0)  # as far from the border as in a line


class Decimal(_Calm, QDoubleSpinBox):
    """A number with decimals; it counts once it is typed to its end."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setKeyboardTracking(False)
        self.lineEdit().setTextMargins(TEXT_PX, 0, 0, 0)  # as far from the border as in a line


class Line(QLineEdit):
    """A line of text whose undo and redo keys are the place's as long as nothing is typed that they could take back."""

    def event(self, event: QEvent) -> bool:
        is_key = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if is_key and not self.isModified() and any(event.matches(key) for key in UNDO_KEYS):  # type: ignore[attr-defined]
            event.ignore()
            return True
        return super().event(event)


def put_back(line: QLineEdit, text: str) -> None:
    """Put a text that was refused back into the line where it was typed, unless something else is typed there by now."""
    if not line.text():
        line.setText(text)
        line.selectAll()


class TypedLine(Line):
    """A line whose Esc lets go of what is typed in it and not kept (``has_typed``), before it means anything else."""

    let_go = Signal()

    def __init__(self, has_typed: Callable[[], bool] = lambda: False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.has_typed = has_typed

    def event(self, event: QEvent) -> bool:
        is_key = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if is_key and event.key() == Qt.Key.Key_Escape and self.has_typed():  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.has_typed():
            self.let_go.emit()
        else:
            super().keyPressEvent(event)


class Button(QPushButton):
    """A button that Enter presses too, outside dialogs as in them. What it does is what somebody asks for now."""

    def nextCheckState(self) -> None:
        attention.note()
        super().nextCheckState()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.isAutoRepeat():
            self.click()
        else:
            super().keyPressEvent(event)
