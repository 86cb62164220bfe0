"""The slip: the document's type and index values, with origin signs, snippets, checks, and the destination."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keybundle.core.base.boxes import Box
from keybundle.desktop.presenters.bench_state import SlipState
from keybundle.desktop.presenters.drafts import TAGS
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import SIGN, icon_pixmap
from keybundle.desktop.views.calm import Button, Choice, Line
from keybundle.desktop.views.slip_field import SlipField
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr, worded

MODIFIED = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier
Snippet = Callable[[str, Box], QPixmap]


LEAST_PX = 40  # of the fields, so that what stands below them is never cut


class TypeChoice(Choice):
    """The box of types: Enter confirms the one that stands there."""

    confirmed = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers() & MODIFIED:
            self.confirmed.emit()
        else:
            super().keyPressEvent(event)


class SlipView(QWidget):
    """The whole slip; says what was typed and chosen, and decides nothing.

    What is typed, left, confirmed, chosen or asked for carries the document that the slip showed then.
    """

    field_focused = Signal(str)
    typed = Signal(str, str, str)
    left = Signal(str, str)
    field_asked = Signal(str, str, str)
    field_confirmed = Signal(str, str, str)
    type_chosen = Signal(str, str)
    type_confirmed = Signal(str)
    other_type_asked = Signal()
    file_asked = Signal()
    aside_asked = Signal()
    keep_asked = Signal()
    take_back_asked = Signal(str)
    filed_opened = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state: SlipState | None = None
        self._snippet: Snippet = lambda page, box: QPixmap()
        self.fields: dict[str, SlipField] = {}
        self.setAccessibleName(tr("Slip"))
        self.type = TypeChoice()
        self.type.confirmed.connect(lambda: self.type_confirmed.emit(self.document))
        self.type.setAccessibleName(tr("Document type"))
        self.type.textActivated.connect(lambda name: self.type_chosen.emit(self.document, name))
        self.sign = Told()
        self.state_label = Told()
        head = QHBoxLayout()
        head.setContentsMargins(12, 10, 12, 6)
        head.setSpacing(8)
        caption = Told(tr("Type"))
        caption.setFixedWidth(156)
        head.addWidget(caption)
        head.addWidget(self.type, 1)
        head.addWidget(self.sign)
        head.addWidget(self.state_label)
        self.because = Elided()
        self.because.setProperty("role", "quiet")
        self.rival = Button()
        self.rival.setProperty("role", "link")
        self.rival.clicked.connect(self.other_type_asked.emit)
        told = QHBoxLayout()
        told.setContentsMargins(176, 0, 12, 4)
        told.setSpacing(8)
        told.addWidget(self.because, 1)
        told.addWidget(self.rival)
        self.received = Told()
        self.received.setProperty("role", "quiet")
        self.tags = Line()
        self.tags.setPlaceholderText(tr("tags, told apart by commas"))
        self.tags.setAccessibleName(tr("Tags"))
        self.tags.textEdited.connect(lambda text: self.typed.emit(self.document, TAGS, text))
        self.tags.editingFinished.connect(self._leave_tags)
        below = QHBoxLayout()
        below.setContentsMargins(12, 0, 12, 6)
        below.setSpacing(8)
        self.received.setMinimumWidth(156)
        below.addWidget(self.received)
        below.addWidget(self.tags, 1)
        self.same = Button()
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
        scroll.setMinimumHeight(LEAST_PX)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addLayout(told)
        layout.addLayout(below)
        layout.addWidget(self.same)
        layout.addWidget(scroll, 1)
        layout.addWidget(self._make_foot())

    def _make_foot(self) -> QWidget:
        foot = QFrame()
        foot.setProperty("role", "card")
        self.path = Told()
        self.path.setWordWrap(True)
        self.path.setTextFormat(Qt.TextFormat.RichText)
        self.why = Told()
        self.why.setWordWrap(True)
        self.file = Button(tr("File and go on   Ctrl+Enter"))
        self.file.setProperty("role", "main")
        self.file.clicked.connect(self.file_asked.emit)
        self.aside = Button(tr("Set aside"))
        self.aside.clicked.connect(self.aside_asked.emit)
        self.back = Button(tr("Take back"))
        self.back.clicked.connect(lambda: self.take_back_asked.emit(self.document))
        buttons = QHBoxLayout()
        buttons.addWidget(self.aside)
        buttons.addStretch(1)
        buttons.addWidget(self.back)
        buttons.addWidget(self.file)
        layout = QVBoxLayout(foot)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(4)
        heading = Told(tr("Goes to"))
        heading.setProperty("role", "section")
        self.kept = Button()
        self.kept.setProperty("role", "link")
        self.kept.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.kept.clicked.connect(self.keep_asked)
        head = QHBoxLayout()
        head.addWidget(heading)
        head.addStretch(1)
        head.addWidget(self.kept)
        layout.addLayout(head)
        for part in (self.path, self.why):
            layout.addWidget(part)
        layout.addLayout(buttons)
        return foot

    def _leave_tags(self) -> None:
        self.tags.setModified(False)
        self.left.emit(self.document, TAGS)

    def render_slip(self, state: SlipState | None, snippet: Snippet) -> None:
        """Show a slip, or that no document is chosen."""
        self._snippet = snippet
        before, self._state = self._state, state
        self.setEnabled(state is not None)
        if state is None:
            self._build([])
            self.path.setText("")
            self.why.setText(tr("Choose a page that belongs to a document."))
            return
        if [self.type.itemText(i) for i in range(self.type.count())] != list(state.types):
            self.type.clear()
            self.type.addItems(list(state.types))
        self.type.setCurrentIndex(state.types.index(state.type) if state.type in state.types else -1)
        self.type.setPlaceholderText(tr("Choose a type"))
        because = worded(state.type_because)
        told = (
            tr("Unsure, by {because}", because=because)
            if state.type_unsure
            else tr("Proposed by {because}", because=because)
        )
        self.because.setText(told if state.type_because else "")
        self.because.setStyleSheet(f"color: {c.BRASS};" if state.type_unsure else "")
        self.because.setVisible(bool(state.type_because))
        self.rival.setText(tr("{type_rival} instead   Alt+T", type_rival=state.type_rival))
        self.rival.setVisible(bool(state.type_rival) and not state.is_locked)
        self.received.setText(tr("Received {received}", received=state.received))
        if self.tags.text() != state.tags:
            self.tags.setText(state.tags)
        self.tags.setReadOnly(state.is_locked)
        self.type.setEnabled(not state.is_locked)
        self.same.setVisible(bool(state.same))
        self.same.setText(say_same(state.same))
        names = [r.name for r in state.rows]
        is_other = before is None or before.document != state.document
        if is_other:
            for field in self.fields.values():
                field.forget()
        if list(self.fields) != names:
            self._build(names, is_other=is_other)
        for row in state.rows:
            picture = snippet(*row.place) if row.unsure and row.place and not state.is_locked else QPixmap()
            self.fields[row.name].render_row(row, picture, locked=state.is_locked)
        self._render_foot(state)

    @property
    def document(self) -> str:
        """The document that is shown; empty for none."""
        return self._state.document if self._state is not None else ""

    def _open_same(self) -> None:
        if self._state is not None and self._state.same:
            self.filed_opened.emit(self._state.same[0][0])

    def _build(self, names: list[str], *, is_other: bool = True) -> None:
        """Show fields of these names in this order; one that stays keeps its caret and its focus.

        Where the one with the focus goes, the first one of an other document has it; in the same document none: what is
        being typed was meant for the one that is gone.
        """
        held = self.focused_field()
        if held is not None and held not in names:
            # Before it goes: Qt would hand the focus to what comes next, and what is typed would end there.
            self._scroll.setFocus()
        for name in [n for n in self.fields if n not in names]:
            gone = self.fields.pop(name)
            self._rows.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for i, name in enumerate(names):
            made = self.fields.get(name) or self._make_field(name)
            self._rows.removeWidget(made)
            self._rows.insertWidget(i, made)
            self.fields[name] = made
        self.fields = {name: self.fields[name] for name in names}
        before: QWidget = self.type
        for made in self.fields.values():
            QWidget.setTabOrder(before, made.value)
            before = made.value
        if held is not None and held not in names and names and is_other:
            self.fields[names[0]].value.setFocus()

    def _make_field(self, name: str) -> SlipField:
        made = SlipField(name)
        made.focused.connect(self.field_focused.emit)
        made.typed.connect(lambda n, text: self.typed.emit(self.document, n, text))
        made.left.connect(lambda n: self.left.emit(self.document, n))
        made.asked.connect(lambda n, text: self.field_asked.emit(self.document, n, text))
        made.confirmed.connect(lambda n, text: self.field_confirmed.emit(self.document, n, text))
        return made

    def _render_foot(self, state: SlipState) -> None:
        self.sign.setPixmap(icon_pixmap(SIGN[state.state], c.STATE[state.state], 16))
        self.state_label.setText(tr(state.state))
        self.state_label.setStyleSheet(f"color: {c.STATE[state.state]}; font-weight: 600;")
        parts = [
            f"<b>{escape(value)}</b>" if value else f"<span style='color:{c.BRASS}'>({escape(level)}?)</span>"
            for level, value in state.path
        ]
        self.path.setText(
            f" <span style='color:{c.QUIET}'>&#8250;</span> ".join(parts) or tr("Known once the type is chosen")
        )
        self.kept.setText(tr("{kept}   Ctrl+K", kept=state.kept or tr("kept to nobody in particular")))
        self.kept.setVisible(bool(state.path) and not state.is_filed)
        self.why.setText(
            tr("It is in the repository.") if state.is_filed else state.why_not or tr("Nothing stands in the way.")
        )
        ok = state.is_filed or not state.why_not
        self.why.setStyleSheet(f"color: {c.MOSS if ok else c.BRASS};")
        if self.file.hasFocus() and not state.can_file:
            self.type.setFocus()
        self.file.setEnabled(state.can_file)
        self.file.setVisible(not state.is_filed)
        self.back.setVisible(state.is_filed)
        self.aside.setVisible(not state.is_filed)
        self.aside.setEnabled(not state.is_locked)
        self.aside.setText(tr("Bring back") if state.parked else tr("Set aside"))

    def focus(self, name: str) -> None:
        """Give a field the focus; an empty name means the file button."""
        if name in self.fields:
            field = self.fields[name]
            field.value.setFocus(Qt.FocusReason.ShortcutFocusReason)
            field.value.selectAll()
            self._scroll.ensureWidgetVisible(field, 0, 40)
        elif self.file.isVisible() and self.file.isEnabled():
            self.file.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif self._state is not None and (self._state.type_unsure or not self._state.type):
            self.type.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def focused_field(self) -> str | None:
        """Return the field that has the focus, or had it when a menu or window came before this one."""
        here = self.window().focusWidget()
        return next((n for n, f in self.fields.items() if f.value is here), None)

    def offer(self, document: str, name: str, typed: str, found: Sequence[tuple[str, str]]) -> None:
        """Show a type-ahead list at the field of the document it was asked for."""
        if name in self.fields and document == self.document:
            self.fields[name].value.offer(typed, found)


def say_same(same: Sequence[tuple[str, str]]) -> str:
    """Return how often a document with the same key values is filed already, and what the last one is called."""
    if not same:
        return ""
    return tr(
        "Filed already{more} {same}. Look at it",
        more=tr(" {n} times, last as", n=len(same)) if len(same) > 1 else ":",
        same=same[0][1],
    )
