"""The slip: the document's type and index values, with origin signs, snippets, checks, and the destination."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QStringListModel, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keybundle.core.base.boxes import Box
from keybundle.desktop.presenters.bench_state import SlipRow, SlipState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import ORIGIN_SIGN, SIGN, icon_pixmap

TOLD = "   ·   "
BESIDE_LETTERS = 18
Snippet = Callable[[str, Box], QPixmap]


class SlipField(QFrame):
    """One row: label, origin sign, value, the snippet above it and the check below it."""

    focused = Signal(str)
    edited = Signal(str, str)
    confirmed = Signal(str, str)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._row: SlipRow | None = None
        self.label = QLabel(name)
        self.label.setFixedWidth(128)
        self.label.setWordWrap(True)
        self.sign = QLabel()
        self.sign.setFixedWidth(20)
        self.value = QLineEdit()
        self.value.setProperty("role", "value")
        self.value.setAccessibleName(name)
        self.label.setBuddy(self.value)
        self.snippet = QLabel()
        self.beside = QLabel()
        self.beside.setProperty("role", "value")
        self.beside.setStyleSheet(f"color: {c.QUIET}; font-size: 13px;")
        self.beside.setToolTip("As read on the page; the value is as it will be stored")
        self.problem = QLabel()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.note = QLabel()
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
        self.model = QStringListModel(self)
        self.completer = QCompleter(self.model, self)
        self.completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self.completer.activated[str].connect(self._take_completion)  # type: ignore[index]
        self.value.setCompleter(self.completer)
        self.value.installEventFilter(self)
        self.value.textEdited.connect(lambda text: self.edited.emit(self.name, text))

    def _take_completion(self, line: str) -> None:
        self.value.setText(line.split(TOLD)[0])

    def render_row(self, row: SlipRow, snippet: QPixmap, *, locked: bool) -> None:
        """Show a row; a value being typed right now is left alone."""
        changed = self._row is None or self._row.text != row.text
        if changed or not self.value.hasFocus():
            self.value.setText(row.text)
            self.value.setCursorPosition(0)
        self._row = row
        self.label.setText(row.name + ("" if row.is_required else " "))
        self.label.setStyleSheet("" if row.is_required else f"color: {c.QUIET}")
        self.label.setToolTip("Required" if row.is_required else "May be empty")
        self.value.setReadOnly(locked)
        self.value.setProperty("unsure", "true" if row.unsure and not locked else "false")
        self.value.style().unpolish(self.value)
        self.value.style().polish(self.value)
        sign = ORIGIN_SIGN.get(row.origin)
        self.sign.setPixmap(icon_pixmap(sign, c.BRASS if row.unsure else c.QUIET, 16) if sign else QPixmap())
        self.sign.setToolTip(f"Origin: {row.origin}" if row.origin else "")
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
        self._close_list()

    def _say_more(self, row: SlipRow) -> str:
        """Return what else is known of a value: a long text as read, what could stand instead, what is worth knowing."""
        parts = [f"As read: {row.as_read}"] if len(row.as_read) > BESIDE_LETTERS and row.unsure else []
        if row.alternatives and (row.unsure or row.note):
            parts.append("Instead: " + "   ".join(f"Alt+{i} {x}" for i, x in enumerate(row.alternatives[:5], 1)))
        if row.note:
            parts.append(row.note)
        if row.has_register and self.value.hasFocus():
            parts.append("F4 looks into the register")
        return "\n".join(parts)

    def _close_list(self) -> None:
        popup = self.completer.popup()
        if popup is not None:
            popup.hide()

    def offer(self, lines: list[str]) -> None:
        """Show a type-ahead list."""
        self.model.setStringList(lines)
        if lines and self.value.hasFocus():
            self.completer.complete()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusIn:
            self.focused.emit(self.name)
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
                self._close_list()
                self.confirmed.emit(self.name, self.value.text())
                return True
            popup = self.completer.popup()
            is_open = popup is not None and popup.isVisible()
            if event.key() == Qt.Key.Key_Down and plain and not is_open:
                self.edited.emit(
                    self.name, "" if self._row and self.value.text() == self._row.text else self.value.text()
                )
                return True
        return False


class SlipView(QWidget):
    """The whole slip; says what was typed and chosen, and decides nothing."""

    field_focused = Signal(str)
    field_edited = Signal(str, str)
    field_confirmed = Signal(str, str)
    type_chosen = Signal(str)
    file_asked = Signal()
    aside_asked = Signal()
    take_back_asked = Signal()
    tags_set = Signal(str)
    filed_opened = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state: SlipState | None = None
        self._snippet: Snippet = lambda page, box: QPixmap()
        self.fields: dict[str, SlipField] = {}
        self.setAccessibleName("Slip")
        self.type = QComboBox()
        self.type.setAccessibleName("Document type")
        self.type.textActivated.connect(self.type_chosen.emit)
        self.sign = QLabel()
        self.state_label = QLabel()
        head = QHBoxLayout()
        head.setContentsMargins(12, 10, 12, 6)
        head.setSpacing(8)
        caption = QLabel("Type")
        caption.setFixedWidth(156)
        head.addWidget(caption)
        head.addWidget(self.type, 1)
        head.addWidget(self.sign)
        head.addWidget(self.state_label)
        self.received = QLabel()
        self.received.setProperty("role", "quiet")
        self.tags = QLineEdit()
        self.tags.setPlaceholderText("tags, told apart by commas")
        self.tags.setAccessibleName("Tags")
        self.tags.editingFinished.connect(self._keep_tags)
        below = QHBoxLayout()
        below.setContentsMargins(12, 0, 12, 6)
        below.setSpacing(8)
        self.received.setFixedWidth(156)
        below.addWidget(self.received)
        below.addWidget(self.tags, 1)
        self.same = QPushButton()
        self.same.setProperty("role", "link")
        self.same.setStyleSheet(f"color: {c.MADDER}; font-weight: 600; padding-left: 12px;")
        self.same.clicked.connect(self._open_same)
        self.same.hide()
        self._body = QWidget()
        self._rows = QVBoxLayout(self._body)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(0)
        self._rows.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._body)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll = scroll
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addLayout(below)
        layout.addWidget(self.same)
        layout.addWidget(scroll, 1)
        layout.addWidget(self._make_foot())

    def _make_foot(self) -> QWidget:
        foot = QFrame()
        foot.setProperty("role", "card")
        self.path = QLabel()
        self.path.setWordWrap(True)
        self.path.setTextFormat(Qt.TextFormat.RichText)
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.file = QPushButton("File and go on   Ctrl+Enter")
        self.file.setProperty("role", "main")
        self.file.clicked.connect(self.file_asked.emit)
        self.aside = QPushButton("Set aside")
        self.aside.clicked.connect(self.aside_asked.emit)
        self.back = QPushButton("Take back")
        self.back.clicked.connect(self.take_back_asked.emit)
        buttons = QHBoxLayout()
        buttons.addWidget(self.aside)
        buttons.addStretch(1)
        buttons.addWidget(self.back)
        buttons.addWidget(self.file)
        layout = QVBoxLayout(foot)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(4)
        heading = QLabel("Goes to")
        heading.setProperty("role", "section")
        for part in (heading, self.path, self.why):
            layout.addWidget(part)
        layout.addLayout(buttons)
        return foot

    def render_slip(self, state: SlipState | None, snippet: Snippet) -> None:
        """Show a slip, or that no document is chosen."""
        self._snippet = snippet
        before, self._state = self._state, state
        self.setEnabled(state is not None)
        if state is None:
            self._build([])
            self.path.setText("")
            self.why.setText("Choose a page that belongs to a document.")
            return
        if [self.type.itemText(i) for i in range(self.type.count())] != list(state.types):
            self.type.clear()
            self.type.addItems(list(state.types))
        self.type.setCurrentIndex(state.types.index(state.type) if state.type in state.types else -1)
        self.type.setPlaceholderText("Choose a type")
        self.received.setText(f"Received {state.received}")
        if not self.tags.hasFocus() or before is None or before.document != state.document:
            self.tags.setText(state.tags)
        self.tags.setReadOnly(state.is_filed)
        self.same.setVisible(bool(state.same))
        self.same.setText(f"Filed already: {state.same[0][1]}. Look at it" if state.same else "")
        names = [r.name for r in state.rows]
        if list(self.fields) != names:
            self._build(names)
        elif before is None or before.document != state.document:
            for field in self.fields.values():
                field.forget()
        for row in state.rows:
            picture = snippet(*row.place) if row.unsure and row.place and not state.is_filed else QPixmap()
            self.fields[row.name].render_row(row, picture, locked=state.is_filed)
        self._render_foot(state)

    def _keep_tags(self) -> None:
        if self._state is not None and self.tags.text() != self._state.tags and not self._state.is_filed:
            self.tags_set.emit(self.tags.text())

    def _open_same(self) -> None:
        if self._state is not None and self._state.same:
            self.filed_opened.emit(self._state.same[0][0])

    def _build(self, names: list[str]) -> None:
        held = next((n for n, f in self.fields.items() if f.value.hasFocus()), None)
        for old in self.fields.values():
            self._rows.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.fields = {}
        for i, name in enumerate(names):
            made = SlipField(name)
            made.focused.connect(self.field_focused.emit)
            made.edited.connect(self.field_edited.emit)
            made.confirmed.connect(self.field_confirmed.emit)
            self._rows.insertWidget(i, made)
            self.fields[name] = made
        before: QWidget = self.type
        for made in self.fields.values():
            QWidget.setTabOrder(before, made.value)
            before = made.value
        if held and self.fields:
            # Qt would hand the focus to what comes next, the tags, and what is typed would end there.
            self.fields[held if held in self.fields else names[0]].value.setFocus()

    def _render_foot(self, state: SlipState) -> None:
        self.sign.setPixmap(icon_pixmap(SIGN[state.state], c.STATE[state.state], 16))
        self.state_label.setText(state.state)
        self.state_label.setStyleSheet(f"color: {c.STATE[state.state]}; font-weight: 600;")
        parts = [
            f"<b>{value}</b>" if value else f"<span style='color:{c.BRASS}'>({level}?)</span>"
            for level, value in state.path
        ]
        self.path.setText(
            f" <span style='color:{c.QUIET}'>&#8250;</span> ".join(parts) or "Known once the type is chosen"
        )
        self.why.setText(
            "It is in the repository." if state.is_filed else state.why_not or "Nothing stands in the way."
        )
        ok = state.is_filed or not state.why_not
        self.why.setStyleSheet(f"color: {c.MOSS if ok else c.BRASS};")
        if self.file.hasFocus() and not state.can_file:
            self.type.setFocus()
        self.file.setEnabled(state.can_file)
        self.file.setVisible(not state.is_filed)
        self.back.setVisible(state.is_filed)
        self.aside.setVisible(not state.is_filed)
        self.aside.setText("Bring back" if state.parked else "Set aside")

    def focus(self, name: str) -> None:
        """Give a field the focus; an empty name means the file button."""
        if name in self.fields:
            field = self.fields[name]
            field.value.setFocus(Qt.FocusReason.ShortcutFocusReason)
            field.value.selectAll()
            self._scroll.ensureWidgetVisible(field, 0, 40)
        elif self.file.isVisible() and self.file.isEnabled():
            self.file.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif self._state is not None and not self._state.type:
            self.type.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def focused_field(self) -> str | None:
        """Return the field that has the focus."""
        return next((n for n, f in self.fields.items() if f.value.hasFocus()), None)

    def offer(self, name: str, lines: list[str]) -> None:
        """Show a type-ahead list at a field."""
        if name in self.fields:
            self.fields[name].offer(lines)
