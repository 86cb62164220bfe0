"""The text of the shown page as text: searched, copied, and typed by hand where the page could not be read."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QTextCharFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.reading.text import PageText
from keybundle.desktop.presenters.bench_state import UNSURE_WORD, PageShown
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn


class TextView(QWidget):
    """``typed`` carries the page and the words that a person typed for it so far, ``done`` that they are all."""

    typed = Signal(str, str)
    done = Signal(str)

    def __init__(self, parent: QWidget | None = None, *, may_type: bool = True) -> None:
        super().__init__(parent)
        self._page = ""
        self.told = Told()
        self.told.setProperty("role", "quiet")
        self.told.setWordWrap(True)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search this page; Enter goes on"))
        self.line.setAccessibleName(tr("Search this page"))
        self.line.textChanged.connect(self._mark)
        self.line.returnPressed.connect(self._next)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName(tr("Text of the page"))
        self.text.setTabChangesFocus(True)
        self.text.textChanged.connect(self._on_changed)
        self.type = Button(tr("Type the words"))
        self.type.clicked.connect(self._toggle)
        if not may_type:  # to show it here would make it a window of its own
            self.type.hide()
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.type)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.addWidget(self.told)
        layout.addLayout(row)
        layout.addWidget(self.text, 1)

    def render_text(self, shown: PageShown, text: PageText | None) -> None:
        """Show a page's text; words that are being typed for it are left alone."""
        if not self.text.isReadOnly():
            if shown.page == self._page:
                return
            self.done.emit(self._page)
        self._page = shown.page
        self.text.setReadOnly(True)
        self.type.setText(tr("Type the words"))
        plain = text.plain if text is not None else ""
        if self.text.toPlainText() != plain:
            self.text.setPlainText(plain)
        unsure = sum(w.confidence < UNSURE_WORD for w in text.words) if text else 0
        words = len(text.words) if text else 0
        nothing = shown.told or tr("No words were found on this page")
        said = (
            tr("{words}, {unsure} of them unsure", words=trn("{n:,} word", "{n:,} words", words), unsure=unsure)
            if words
            else nothing
        )
        quality = (
            tr("; read with {quality:.0%} confidence", quality=text.quality)
            if text is not None and text.quality is not None
            else ""
        )
        self.told.setText(said + quality)
        self._mark(self.line.text())

    def _toggle(self) -> None:
        """Begin typing, or keep what was typed."""
        if self.text.isReadOnly():
            self.text.setReadOnly(False)
            self.type.setText(tr("Keep these words"))
            self.text.setFocus()
        else:
            self.text.setReadOnly(True)
            self.type.setText(tr("Type the words"))
            self.done.emit(self._page)

    def _on_changed(self) -> None:
        if not self.text.isReadOnly():
            self.typed.emit(self._page, self.text.toPlainText())

    def _mark(self, wanted: str) -> None:
        found, cursor = [], QTextCursor(self.text.document())
        look = QTextCharFormat()
        look.setBackground(QColor(c.BRASS_WASH))
        look.setForeground(QColor(c.BRASS))
        while wanted and not (cursor := self.text.document().find(wanted, cursor)).isNull():
            selection = QTextEdit.ExtraSelection()
            selection.cursor, selection.format = cursor, look
            found.append(selection)
        self.text.setExtraSelections(found)

    def _next(self) -> None:
        if not self.text.find(self.line.text()):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(self.line.text(), QTextDocument.FindFlag(0))
