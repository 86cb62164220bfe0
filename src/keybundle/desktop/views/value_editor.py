"""The editor of an index value, the same on the slip and in the cells of all tables: type-ahead, unit, and what fits."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QFocusEvent, QInputMethodEvent, QKeyEvent, QResizeEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QCompleter, QWidget

from keybundle.desktop.presenters.asking import Asked
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import TypedLine
from keybundle.desktop.views.told import Told

TOLD = "   ·   "
VALUE_ROLE = Qt.ItemDataRole.UserRole + 1
UNIT_GAP = 6


class ValueEditor(TypedLine):
    """``typed`` carries the text after each key and each choice, ``asked`` what a type-ahead list is wanted for."""

    typed = Signal(str)
    asked = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent=parent)
        self.setProperty("role", "value")
        self.stands = ""  # what the store has: opening the list over it asks for all there is
        self._wanted: str | None = None
        self.unit = Told()
        self.unit.setParent(self)
        self.unit.setStyleSheet(f"color: {c.QUIET}; background: transparent;")
        self.unit.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.unit.hide()
        self.model = QStandardItemModel(self)
        self.list = QCompleter(self.model, self)
        self.list.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        # What the list shows says more than the value; what it gives to the field is the value and nothing else.
        self.list.setCompletionRole(VALUE_ROLE)
        self.list.activated[str].connect(self._take)  # type: ignore[index]
        self.setCompleter(self.list)
        self.textEdited.connect(self._on_typed)
        self.is_composing = False

    def inputMethodEvent(self, event: QInputMethodEvent) -> None:
        self.is_composing = bool(event.preeditString())
        super().inputMethodEvent(event)

    def fill(self, asked: Asked | None) -> None:
        """Show what its field is called, its unit, and what fits."""
        if asked is None:
            return
        self.setAccessibleName(asked.label)
        self.setAccessibleDescription(asked.help)
        self.setToolTip(asked.help)
        if self.unit.text() != asked.unit:
            self.unit.setText(asked.unit)
            self.unit.setVisible(bool(asked.unit))
            self.unit.adjustSize()
            self.setTextMargins(0, 0, self.unit.width() + UNIT_GAP if asked.unit else 0, 0)
            self._lay_unit()

    def _lay_unit(self) -> None:
        self.unit.move(self.width() - self.unit.width() - UNIT_GAP, (self.height() - self.unit.height()) // 2)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_unit()

    def _on_typed(self, text: str) -> None:
        self.typed.emit(text)
        self.asked.emit(text)

    def _take(self, value: str) -> None:
        self.setText(value)
        self.setModified(True)
        self.typed.emit(value)

    # -- the type-ahead list -------------------------------------------------------------------------------------------

    def offer(self, typed: str, found: Sequence[tuple[str, str]]) -> None:
        """Show a type-ahead list of (value, told), if what it was asked for still stands here."""
        if not self.hasFocus() or self.isReadOnly() or typed not in (self.text(), self._wanted):
            return
        self.model.clear()
        for value, told in found:
            item = QStandardItem(value + (TOLD + told if told else ""))
            item.setData(value, VALUE_ROLE)
            self.model.appendRow(item)
        if found:
            self.list.complete()
        else:
            self.close_list()

    @property
    def is_list_open(self) -> bool:
        """Whether the type-ahead list is in sight."""
        popup = self.list.popup()
        return popup is not None and popup.isVisible()

    def close_list(self) -> None:
        """Put the type-ahead list away."""
        if (popup := self.list.popup()) is not None:
            popup.hide()

    def open_list(self) -> None:
        """Ask for the list: all there is where nothing was typed, else what fits that."""
        self._wanted = "" if self.text() == self.stands else self.text()
        self.asked.emit(self._wanted)

    def forget(self) -> None:
        """Let go of what was typed and asked: it was for another value."""
        self.setModified(False)
        self._wanted = None
        self.close_list()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if not self.is_list_open:
            self._wanted = None  # an answer that comes later opens nothing

    def keyPressEvent(self, event: QKeyEvent) -> None:
        is_plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        if event.key() == Qt.Key.Key_Down and is_plain and not self.is_list_open:
            self.open_list()
            return
        super().keyPressEvent(event)


OWN_KEYS = (
    Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Delete,
)  # fmt: skip


class CellEditor(ValueEditor):
    """The same in a cell: Enter ends it and opens nothing, Delete takes a letter and no document.

    Once ``is_touched`` nothing is shown over what stands in it, be it typed or looked at in the list.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.is_touched = False
        self.textEdited.connect(self._touch)
        self.list.highlighted[str].connect(self._touch)  # type: ignore[index]

    def _touch(self, _text: str) -> None:
        self.is_touched = True

    def event(self, event: QEvent) -> bool:
        is_key = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if is_key and event.key() in OWN_KEYS:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)
