"""Any form, shown from its definition: a card for each section, an editor for each field, its help and its problem below it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property, partial
from itertools import accumulate
from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QFormLayout, QFrame, QSizePolicy, QVBoxLayout, QWidget

from keybundle.desktop.presenters.asking import Found
from keybundle.desktop.presenters.prepare.forms import FormField, Section
from keybundle.desktop.views.prepare.editors import (
    EDITORS,
    SHORT,
    CheckEditor,
    DecimalEditor,
    FieldValueEditor,
    KeptToEditor,
    LineEditor,
    LinesEditor,
    PickEditor,
    WholeEditor,
)
from keybundle.desktop.views.prepare.items_editor import ItemsEditor
from keybundle.desktop.views.told import Told

LABEL_PX = 132
WIDE = ("rules", "halts")
TYPING = (LineEditor, FieldValueEditor, LinesEditor)
ROWS_IN_SIGHT = 7


class FieldRow(QWidget):
    """An editor with its help and what is wrong with its value."""

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self._shape, self.label, self.is_wide = _shape(field), field.label, field.kind in WIDE
        self.editor = EDITORS[field.kind](field)
        if not self.editor.accessibleName():
            self.editor.setAccessibleName(field.label)
        self.editor.setAccessibleDescription(field.help)
        layout = self._column = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        narrow = isinstance(self.editor, (PickEditor, WholeEditor, DecimalEditor)) or (
            field.kind == "line" and 0 < field.longest <= SHORT
        )
        layout.addWidget(self.editor, alignment=Qt.AlignmentFlag.AlignLeft if narrow else Qt.AlignmentFlag(0))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.show_told(field.help, "")
        self.setFocusProxy(self.editor)

    def is_of(self, field: FormField) -> bool:
        """Whether it shows just such a field."""
        return self._shape == _shape(field)

    def show_told(self, told: str, problem: str) -> None:
        """Show the help, and what is wrong with the value."""
        for name, text in (("help", told), ("problem", problem)):
            if text or name in vars(self):
                label: Told = getattr(self, name)
                if label.text() != text:
                    label.setText(text)
                label.setVisible(bool(text))

    @cached_property
    def help(self) -> Told:
        """What is said of the field; made when there is something to say."""
        return self._label("quiet", at=1)

    @cached_property
    def problem(self) -> Told:
        """What is wrong with the value; made when something is."""
        return self._label("problem", at=self._column.count())

    def _label(self, role: str, at: int) -> Told:
        label = Told()
        label.setProperty("role", role)
        label.setWordWrap(True)
        self._column.insertWidget(at, label)
        return label


class Card(QFrame):
    """A section: its title, what is said of it, and its rows."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title = title
        self.setProperty("role", "card")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 12)
        if title:
            head = Told(title)
            head.setProperty("role", "section")
            column.addWidget(head)
        self._told = Told()
        self._told.setProperty("role", "quiet")
        self._told.setWordWrap(True)
        column.addWidget(self._told)
        self._form = QFormLayout()
        self._form.setSpacing(6)
        self._form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        self._form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        column.addLayout(self._form)
        self._rows: tuple[FieldRow, ...] = ()

    def show_told(self, text: str) -> None:
        """Say something of the section, or nothing."""
        self._told.setText(text)
        self._told.setVisible(bool(text))

    def holds(self, row: FieldRow | None, field: FormField) -> bool:
        """Whether a row lies here and shows just such a field."""
        return row is not None and row.parent() is self and row.is_of(field)

    def lay(self, rows: Iterable[FieldRow]) -> None:
        """Show these rows, in this order; rows that stay are not taken out of the card."""
        rows = tuple(rows)
        if rows == self._rows:
            return
        self._rows = rows
        while self._form.rowCount():
            self._form.takeRow(0)
        for label in self.findChildren(FieldLabel):
            label.hide()
            label.deleteLater()
        for row in rows:
            label = FieldLabel(row)
            if row.is_wide:
                self._form.addRow(label)
                self._form.addRow(row)
            else:
                self._form.addRow(label, row)


class FieldLabel(Told):
    """The label before an editor; a check has its own behind it."""

    def __init__(self, row: FieldRow) -> None:
        super().__init__("" if isinstance(row.editor, CheckEditor) else row.label)
        self.setWordWrap(True)
        self.setBuddy(row.editor)
        if not row.is_wide:
            self.setFixedWidth(LABEL_PX)


class FormView(QWidget):
    """Shows a form and its values; ``edited`` carries a field's path and its new value, ``typed`` what is being typed.

    ``asked`` carries the field and the text that a type-ahead list is wanted for; ``offer`` shows it. ``sheet_made`` names a
    field and carries the sheet that asks for its value. ``let_go`` names a field whose text is let go of by Esc; ``is_typed``
    says whether there is some. What is typed for something that the form no longer shows is forgotten here: whoever heard
    it ``typed`` has it.
    """

    edited = Signal(str, object)
    make_asked = Signal(str)
    sheet_made = Signal(str, object)
    typed = Signal(str, str)
    asked = Signal(str, str)
    let_go = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shape: tuple[Any, ...] = ()
        self.is_typed: Callable[[str], bool] = lambda name: False
        self._of = ""
        self._rows: dict[str, FieldRow] = {}
        self._cards: list[Card] = []
        self._sections: tuple[Section, ...] = ()
        self._shown: tuple[Mapping[str, Any], Mapping[str, str], bool] = ({}, {}, False)
        self._made = 0
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._go_on)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(10)

    def render_form(
        self, sections: Iterable[Section], values: Mapping[str, Any], problems: Mapping[str, str], *, can_change: bool,
        of: str = "",
    ) -> None:  # fmt: skip
        """Show a form ``of`` something (its id); widgets are made anew only where its fields are others.

        The first time, what lies below the first fields is made once these are painted, or when it is asked for.
        """
        if of != self._of:
            self._of = of
            self._drop_typed()
        sections = self._sections = tuple(sections)
        self._shown = (values, problems, can_change)
        shape = tuple((s.title, s.help, tuple(_shape(f) for f in s.fields)) for s in sections)
        if shape != self._shape:
            self._shape = shape
            self._made = len(sections) if self._cards else _first_of(sections)
            self._build(sections[: self._made])
        self._fill()

    def _drop_typed(self) -> None:
        at = self.focusWidget()
        if isinstance(at, LineEditor | FieldValueEditor) and at.hasFocus() and at.isModified():
            at.forget()
        for row in self._rows.values():
            if isinstance(row.editor, ItemsEditor):
                row.editor.forget()

    def take_editor(self) -> None:
        """Take what stands in an editor that has the keyboard, as Enter in it does."""
        if isinstance(at := self.focusWidget(), LineEditor | FieldValueEditor | LinesEditor) and self.isAncestorOf(at):
            at.take()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._made < len(self._sections):
            self._later.start(0)

    @property
    def rows(self) -> Mapping[str, FieldRow]:
        """The rows of all fields, by their names."""
        self._finish()
        return self._rows

    def _finish(self) -> None:
        """Make what was left for later, where something was."""
        while self._made < len(self._sections):
            self._go_on()

    def _go_on(self) -> None:
        """Make the next section; the window can be used between two of them."""
        if self._made < len(self._sections):
            self._made += 1
            self._build(self._sections[: self._made])
            self._fill()
            self._later.start(0)

    def _fill(self) -> None:
        """Show values and problems in the rows that are made."""
        values, problems, can_change = self._shown
        for field in (f for s in self._sections for f in s.fields if f.name in self._rows):
            row = self._rows[field.name]
            if hasattr(row.editor, "fill"):
                row.editor.fill(field)
            row.editor.setEnabled(can_change)
            if field.name in values and not self._is_being_typed(field.name, row.editor, problems):
                row.editor.show_value(values[field.name])
            row.show_told(field.help, problems.get(field.name, ""))
            if isinstance(row.editor, TYPING):
                row.editor.insists = bool(problems.get(field.name))
            elif isinstance(row.editor, ItemsEditor) and problems.get(field.name):
                row.editor.refuse()

    def _build(self, sections: tuple[Section, ...]) -> None:
        """Bring cards and rows to other ones; a row that stays keeps its widgets, so that who types there goes on."""
        gone, cards = dict(self._rows), {card.title: card for card in self._cards}
        self._rows, self._cards = {}, []
        for section in sections:
            card = cards.pop(section.title, None) or Card(section.title)
            card.show_told(section.help)
            self._cards.append(card)
            kept = {f.name: gone.pop(f.name) for f in section.fields if card.holds(gone.get(f.name), f)}
            rows = [kept.get(f.name) or self._make(f) for f in section.fields]
            self._rows |= {f.name: row for f, row in zip(section.fields, rows, strict=True)}
            card.lay(rows)
        for widget in (*cards.values(), *gone.values()):
            widget.hide()
            widget.deleteLater()
        for card in cards.values():
            self._column.removeWidget(card)
        for place, card in enumerate(self._cards):
            if self._column.indexOf(card) != place:
                self._column.insertWidget(place, card)

    def _make(self, field: FormField) -> FieldRow:
        row = FieldRow(field)
        row.editor.taken.connect(lambda value, name=field.name: self.edited.emit(name, value))
        if isinstance(row.editor, TYPING):
            row.editor.typed.connect(lambda text, name=field.name: self.typed.emit(name, text))
        if isinstance(row.editor, LineEditor | FieldValueEditor):
            row.editor.has_typed = partial(self._is_typed, field.name)
            row.editor.let_go.connect(lambda name=field.name: self._let_go(name))
        if isinstance(row.editor, FieldValueEditor):
            row.editor.asked.connect(lambda text, name=field.name: self.asked.emit(name, text))
        if hasattr(row.editor, "make_asked"):
            row.editor.make_asked.connect(lambda name=field.name: self.make_asked.emit(name))
        if isinstance(row.editor, KeptToEditor):
            row.editor.sheet_made.connect(lambda sheet, name=field.name: self.sheet_made.emit(name, sheet))
        return row

    def _is_typed(self, name: str) -> bool:
        return self.is_typed(name)

    def _is_being_typed(self, name: str, editor: QWidget, problems: Mapping[str, str]) -> bool:
        """Whether somebody types there just now: what the editor shows is newer than anything."""
        if not isinstance(editor, TYPING) or name in problems or not self.is_typed(name):
            return False
        return editor.hasFocus() and (isinstance(editor, LinesEditor) or editor.isModified())

    def _let_go(self, name: str) -> None:
        editor = self._rows[name].editor
        editor.forget()
        self.let_go.emit(name)

    def offer(self, name: str, typed: str, found: Found) -> None:
        """Show a type-ahead list at a field, if what it was asked for still stands there."""
        editor = self.rows[name].editor if name in self.rows else None
        if isinstance(editor, FieldValueEditor):
            editor.offer(typed, found)

    def focus(self, name: str) -> None:
        """Give a field the focus; a line is ready to be typed over."""
        if name in self.rows:
            editor = self.rows[name].editor
            editor.setFocus()
            if isinstance(editor, LineEditor):
                editor.selectAll()


def _shape(field: FormField) -> tuple[Any, ...]:
    return field.name, field.kind, field.label, field.low, field.high, field.offers


def _first_of(sections: tuple[Section, ...]) -> int:
    """Return how many sections are in sight before anybody scrolls."""
    rows = accumulate(len(s.fields) for s in sections)
    return sum(upto - len(s.fields) < ROWS_IN_SIGHT for s, upto in zip(sections, rows, strict=True))
