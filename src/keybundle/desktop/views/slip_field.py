"""One field on the slip: label, origin sign, value with its type-ahead, the snippet above it, the check below it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QWidget

from keybundle.desktop.presenters.bench_state import SlipRow
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import ORIGIN_SIGN, icon_pixmap
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.value_editor import ValueEditor
from keybundle.desktop.words import tr

BESIDE_LETTERS = 18


class SlipField(QFrame):
    """One row. ``typed`` carries the text after each key, ``asked`` what a type-ahead list is wanted for.

    ``left`` tells that the focus went elsewhere. What is typed stands until it was left, whatever is rendered.
    """

    focused = Signal(str)
    typed = Signal(str, str)
    asked = Signal(str, str)
    confirmed = Signal(str, str)
    left = Signal(str)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._row: SlipRow | None = None
        self.label = Told(name)
        self.label.setFixedWidth(128)
        self.label.setWordWrap(True)
        self.sign = Told()
        self.sign.setFixedWidth(20)
        self.value = ValueEditor()
        self.value.setAccessibleName(name)
        self.label.setBuddy(self.value)
        self.snippet = Told()
        self.beside = Told()
        self.beside.setProperty("role", "value")
        self.beside.setStyleSheet(f"color: {c.QUIET}; font-size: 13px;")
        self.beside.setToolTip(tr("As read on the page; the value is as it will be stored"))
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.note = Told()
        self.note.setProperty("role", "quiet")
        self.note.setWordWrap(True)
        self.note.setStyleSheet("font-size: 12px;")
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 3, 12, 3)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.addWidget(self.snippet, 0, 2)
        grid.addWidget(self.label, 1, 0)
        grid.addWidget(self.sign, 1, 1)
        values = QHBoxLayout()
        values.setSpacing(8)
        values.addWidget(self.value, 1)
        values.addWidget(self.beside)
        grid.addLayout(values, 1, 2)
        grid.addWidget(self.problem, 2, 2)
        grid.addWidget(self.note, 3, 2)
        grid.setColumnStretch(2, 1)
        self.value.installEventFilter(self)
        self.value.typed.connect(lambda text: self.typed.emit(self.name, text))
        self.value.asked.connect(lambda text: self.asked.emit(self.name, text))

    def render_row(self, row: SlipRow, snippet: QPixmap, *, locked: bool) -> None:
        """Show a row; a value being typed right now is left alone."""
        is_being_typed = self.value.hasFocus() and (self.value.isModified() or self.value.is_composing)
        if self.value.text() != row.text and not is_being_typed:
            self.value.setText(row.text)
            if self.value.hasFocus():
                self.value.selectAll()
            else:
                self.value.setCursorPosition(0)
        self._row, self.value.stands = row, row.text
        self.value.fill(row.asked)
        self.label.setText(row.label + ("" if row.is_required else " "))
        self.value.setAccessibleName(row.label)
        self.label.setStyleSheet("" if row.is_required else f"color: {c.QUIET}")
        self.label.setToolTip(tr("Required") if row.is_required else tr("May be empty"))
        self.value.setReadOnly(locked)
        self.value.setProperty("unsure", "true" if row.unsure and not locked else "false")
        self.value.style().unpolish(self.value)
        self.value.style().polish(self.value)
        sign = ORIGIN_SIGN.get(row.origin)
        self.sign.setPixmap(icon_pixmap(sign, c.BRASS if row.unsure else c.QUIET, 16) if sign else QPixmap())
        self.sign.setToolTip(tr("Origin: {origin}", origin=row.origin) if row.origin else "")
        self.problem.setText(row.problem if row.unsure and not locked else "")
        self.problem.setStyleSheet(f"color: {c.BRASS}; font-size: 12px;")
        self.problem.setVisible(bool(self.problem.text()))
        is_short = 0 < len(row.as_read) <= BESIDE_LETTERS
        self.beside.setText(row.as_read if is_short else "")
        self.beside.setVisible(is_short)
        self.note.setText("" if locked else self._say_more(row))
        self.note.setVisible(bool(self.note.text()))
        self.snippet.setPixmap(snippet)
        self.snippet.setVisible(not snippet.isNull())

    def forget(self) -> None:
        """Let the next row be shown whatever was typed: it is another document's."""
        self._row = None
        self.value.forget()

    def _say_more(self, row: SlipRow) -> str:
        """Return what else is known of a value: a long text as read, what could stand instead, what is worth knowing."""
        parts = (
            [tr("As read: {as_read}", as_read=row.as_read)] if len(row.as_read) > BESIDE_LETTERS and row.unsure else []
        )
        if row.alternatives and (row.unsure or row.note):
            parts.append(
                tr("Instead: ") + "   ".join(tr("Alt+{i} {x}", i=i, x=x) for i, x in enumerate(row.alternatives[:5], 1))
            )
        if row.note:
            parts.append(row.note)
        if row.asked is not None and row.asked.help and self.value.hasFocus():
            parts.append(row.asked.help)
        if row.has_register and self.value.hasFocus():
            parts.append(tr("Alt+R looks into the register"))
        return "\n".join(parts)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.FocusIn:
            self.focused.emit(self.name)
        elif kind == QEvent.Type.FocusOut and not self.value.is_list_open:
            self.value.setModified(False)
            self.left.emit(self.name)
        if isinstance(event, QKeyEvent) and kind == QEvent.Type.KeyPress:
            return self._on_key(event)
        return False

    def _on_key(self, event: QKeyEvent) -> bool:
        plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
            self.value.close_list()
            if not event.isAutoRepeat():
                self.value.setModified(False)
                self.confirmed.emit(self.name, self.value.text())
            return True
        return False
