"""One editor for each kind of form field: it shows a value, says when somebody has changed it, and is never written over.

An editor that has the focus, or in which something is typed that was not taken yet, keeps what it shows.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QCompleter,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QSizePolicy,
    QWidget,
)

from keybundle.core.setup.parts import KeptTo
from keybundle.desktop.presenters.asking import Asked
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.views.calm import Button, Choice, Decimal, Number, TypedLine
from keybundle.desktop.views.checks import Checks
from keybundle.desktop.views.kept_to_sheet import KeptToSheet, checked_of
from keybundle.desktop.views.prepare.halts_editor import HaltsEditor
from keybundle.desktop.views.prepare.items_editor import ItemsEditor
from keybundle.desktop.views.prepare.relations_editor import RelationsEditor
from keybundle.desktop.views.prepare.rule_editor import RuleEditor
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.value_editor import ValueEditor
from keybundle.desktop.words import tr

MAKE = object()
LINES_PX, MOST_CHECKS = 96, 6
SHORT, SHORT_PX = 4, 72
HUNDREDTHS = 100


class LineEditor(TypedLine):
    """A line of text, or several values in a line, apart by commas. What is refused (``insists``) is taken by Enter again."""

    taken = Signal(object)
    typed = Signal(str)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.insists = False
        self.textEdited.connect(self.typed.emit)
        self.returnPressed.connect(self._insist)
        self._is_list = field.kind == "list"
        self.setPlaceholderText(field.hint)
        if field.longest:
            self.setMaxLength(field.longest)
        if 0 < field.longest <= SHORT:
            self.setFixedWidth(SHORT_PX)
        if field.offers:
            completer = QCompleter(list(field.offers), self)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            self.setCompleter(completer)
        self.editingFinished.connect(self.take)
        self._shown = ""

    def _insist(self) -> None:
        if self.insists and self.text() == self._shown:
            self.taken.emit(self.value())

    def take(self) -> None:
        """Take what was typed."""
        popup = self.completer().popup() if self.completer() is not None else None
        is_choosing = popup is not None and popup.isVisible()
        if self.text() != self._shown and not is_choosing:
            self._shown = self.text()
            self.taken.emit(self.value())

    def forget(self) -> None:
        """Take what was typed for nobody's: it is not given on, and may be shown over."""
        self._shown = self.text()
        self.setModified(False)

    def value(self) -> Any:
        """Return what stands in the line."""
        text = self.text().strip()
        return tuple(t for part in text.split(",") if (t := part.strip())) if self._is_list else text

    def show_value(self, value: Any) -> None:
        """Show a value, unless somebody is writing here."""
        text = ", ".join(value) if self._is_list else str(value)
        if not (self.hasFocus() and self.text() != self._shown) and text != self.text():
            self.setText(text)
            self.setCursorPosition(0)
        if not self.isModified() or text == self.text():
            self._shown = text
            self.setModified(False)


class FieldValueEditor(ValueEditor):
    """An index value in a form, such as a default: completed, and with its unit, as on the slip."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.insists = False
        self.fill(field)
        self.returnPressed.connect(self._insist)
        self.editingFinished.connect(self.take)

    def _insist(self) -> None:
        if self.insists and self.text() == self.stands:
            self.taken.emit(self.text().strip())

    def fill(self, field: FormField | Asked | None) -> None:
        """Show the unit and the help of its field."""
        super().fill(Asked("", "", field.label, field.unit) if isinstance(field, FormField) else field)
        if isinstance(field, FormField):
            self.setPlaceholderText(field.hint)

    def forget(self) -> None:
        """Take what was typed for nobody's: it is not given on, and may be shown over."""
        self.stands = self.text()
        self.setModified(False)

    def take(self) -> None:
        """Take what was typed."""
        if self.text() != self.stands and not self.is_list_open:
            self.stands = self.text()
            self.taken.emit(self.text().strip())

    def show_value(self, value: Any) -> None:
        """Show a value, unless somebody is writing here."""
        if not (self.hasFocus() and self.text() != self.stands) and str(value) != self.text():
            self.setText(str(value))
            self.setCursorPosition(0)
        if not self.isModified() or str(value) == self.text():
            self.stands = str(value)


class PasswordEditor(QLineEdit):
    """A password: taken by Enter alone, and gone from the screen then."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.setEchoMode(QLineEdit.EchoMode.Password)
        self.fill(field)
        self.returnPressed.connect(self._take)

    def fill(self, field: FormField) -> None:
        """Say what Enter does."""
        self.setPlaceholderText(field.hint)

    def _take(self) -> None:
        text = self.text()
        self.clear()
        self.taken.emit(text)

    def show_value(self, value: Any) -> None:
        """Show nothing: a password stands nowhere."""


class LinesEditor(QPlainTextEdit):
    """Several values, one on each line; taken when the editor is left."""

    taken = Signal(object)
    typed = Signal(str)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.insists = False
        self.textChanged.connect(self._tell_typed)
        self.setPlaceholderText(field.hint)
        self.setTabChangesFocus(True)
        self.setFixedHeight(LINES_PX)
        self._shown: tuple[str, ...] = ()

    def value(self) -> tuple[str, ...]:
        """Return the lines that hold something."""
        return tuple(t for line in self.toPlainText().splitlines() if (t := line.strip()))

    def _tell_typed(self) -> None:
        if self.hasFocus():
            self.typed.emit(self.toPlainText())

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.take()

    def take(self) -> None:
        """Take what was typed."""
        if self.value() != self._shown or self.insists:
            self._shown = self.value()
            self.taken.emit(self._shown)

    def show_value(self, value: Any) -> None:
        """Show values, unless somebody is writing here."""
        if not self.hasFocus() and tuple(value) != self.value():
            self.setPlainText("\n".join(value))
        self._shown = tuple(value)


class WholeEditor(Number):
    """A whole number with its unit; a share of 1 is shown in %."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self._scale = HUNDREDTHS if field.kind == "share" else 1
        self.setRange(round(field.low * self._scale), round(field.high * self._scale))
        self.setSuffix(f" {field.unit}" if field.unit else " %" if self._scale > 1 else "")
        self.setSpecialValueText(field.none or "")
        self.editingFinished.connect(self._take)
        self._shown = 0

    def _take(self) -> None:
        if self.value() != self._shown:
            self._shown = self.value()
            self.taken.emit(self._shown / self._scale if self._scale > 1 else self._shown)

    def show_value(self, value: Any) -> None:
        """Show a number, unless somebody is typing here."""
        number = round(float(value) * self._scale)
        if not (self.hasFocus() and self.lineEdit().isModified()):
            self.setValue(number)
            self._shown = number


class DecimalEditor(Decimal):
    """A number with decimals and its unit."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.setRange(field.low, field.high)
        self.setDecimals(1)
        self.setSuffix(f" {field.unit}" if field.unit else "")
        self.setSpecialValueText(field.none or "")
        self.editingFinished.connect(self._take)
        self._shown = 0.0

    def _take(self) -> None:
        if self.value() != self._shown:
            self._shown = self.value()
            self.taken.emit(self._shown)

    def show_value(self, value: Any) -> None:
        """Show a number, unless somebody is typing here."""
        if not (self.hasFocus() and self.lineEdit().isModified()):
            self.setValue(float(value))
            self._shown = float(value)


class CheckEditor(QCheckBox):
    """Yes or no; its label stands behind the box."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__(field.label)
        self.clicked.connect(lambda on: self.taken.emit(bool(on)))

    def show_value(self, value: Any) -> None:
        """Show yes or no."""
        self.setChecked(bool(value))


class PickEditor(Choice):
    """One of several, by its code; the last line may offer to make what is missing."""

    taken = Signal(object)
    make_asked = Signal()

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self._shown: Any = None
        self._offered: list[tuple[str, Any]] = []
        self._has_stray = False
        self._make = field.make
        self.activated.connect(self._take)
        self.fill(field)

    def fill(self, field: FormField) -> None:
        """Offer what a field has to choose from; touched only where that differs."""
        wanted: list[tuple[str, Any]] = [("", field.none)] if field.none is not None else []
        wanted = [(code, told) for code, told in (*wanted, *field.choices)]
        if field.make:
            wanted.append((field.make, MAKE))
        if wanted == self._offered and not self._has_stray:
            return
        self._offered, self._has_stray = wanted, False
        self.clear()
        for code, told in wanted:
            if told is MAKE:
                self.insertSeparator(self.count())
                self.addItem(code, MAKE)
            else:
                self.addItem(str(told), code)
        self.show_value(self._shown)

    def _take(self) -> None:
        chosen = self.currentData()
        if chosen is MAKE:
            self.show_value(self._shown)
            self.make_asked.emit()
        elif chosen != self._shown:
            self._shown = chosen
            self.taken.emit(chosen)

    def show_value(self, value: Any) -> None:
        """Show the chosen one; a code that is not among the choices shows as itself."""
        self._shown = value
        place = self.findData(value)
        if place < 0 and value:
            self.addItem(str(value), value)
            place, self._has_stray = self.count() - 1, True
        self.setCurrentIndex(place)


class PicksEditor(Checks):
    """Several of several, each with a check before it."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__(field.label, most=field.longest or MOST_CHECKS)
        self._field = field
        self._shown: tuple[str, ...] = ()
        self.itemChanged.connect(lambda _: self._take())

    def fill(self, field: FormField) -> None:
        """Offer what a field has to choose from."""
        self._field = field
        self.show_value(self._shown)

    def _take(self) -> None:
        self._shown = self.checked()
        self.taken.emit(self._shown)

    def show_value(self, value: Any) -> None:
        """Show which are chosen."""
        self._shown = tuple(value)
        self.render_items(self._field.choices, self._shown, can_change=self.isEnabled())


class KeptToEditor(Button):
    """Whom a part is kept to: a button that says it, and the sheet behind it to change it."""

    taken = Signal(object)
    sheet_made = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self._checked: tuple[str, ...] = ()
        self.fill(field)
        self.clicked.connect(self._ask)

    def fill(self, field: FormField) -> None:
        """Offer whom it can be kept to."""
        self._field = field

    def show_value(self, value: Any) -> None:
        """Show whom it is kept to."""
        self._checked = checked_of(value if isinstance(value, KeptTo) else KeptTo(**value))
        told = ", ".join(said for key, said in self._field.choices if key in self._checked)
        if (nobody := self._field.none) is not None:
            self.setText(told or nobody)
        else:
            self.setText(tr("Kept to {names}", names=told) if told else tr("Everybody may use it"))

    def _ask(self) -> None:
        nobody = self._field.none
        head = tr("It is offered to whoever is checked; nobody checked: to everybody.") if nobody is None else ""
        sheet = KeptToSheet(self._field.label, head, self._field.unit, self._field.choices, self._checked)
        sheet.answered.connect(sheet.end)
        self.sheet_made.emit(sheet)


class FolderEditor(QWidget):
    """A folder, typed or chosen."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.line = LineEditor(field)
        self.line.taken.connect(self.taken.emit)
        self.line.setAccessibleName(field.label)
        choose = Button(tr("Choose"))
        choose.clicked.connect(self._choose)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.line, 1)
        layout.addWidget(choose)
        self.setFocusProxy(self.line)
        self._label = field.label

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, self._label, self.line.text())
        if chosen:
            self.taken.emit(chosen)

    def show_value(self, value: Any) -> None:
        """Show a folder."""
        self.line.show_value(value)


class ZoneEditor(QWidget):
    """Where a value stands on the page: anywhere, or at a place that was pointed at."""

    taken = Signal(object)
    make_asked = Signal()

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.told = Told()
        self.point, self.anywhere = Button(tr("Point at the page")), Button(tr("Anywhere"))
        self.point.clicked.connect(self.make_asked.emit)
        self.anywhere.clicked.connect(lambda: self.taken.emit(None))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.told, 1)
        layout.addWidget(self.point)
        layout.addWidget(self.anywhere)
        self.setFocusProxy(self.point)

    def show_value(self, value: Any) -> None:
        """Say where the value stands."""
        self.told.setText(
            tr("at a fixed place of every first page") if value is not None else tr("anywhere on the page")
        )
        self.anywhere.setVisible(value is not None)


EDITORS: dict[str, Callable[[FormField], Any]] = {
    "line": LineEditor, "list": LineEditor, "lines": LinesEditor, "whole": WholeEditor, "share": WholeEditor,
    "decimal": DecimalEditor, "check": CheckEditor, "pick": PickEditor, "picks": PicksEditor, "kept to": KeptToEditor,
    "folder": FolderEditor, "items": ItemsEditor, "zone": ZoneEditor, "sums": RelationsEditor, "orders": RelationsEditor,
    "rules": RuleEditor, "password": PasswordEditor, "value": FieldValueEditor, "halts": HaltsEditor,
}  # fmt: skip
