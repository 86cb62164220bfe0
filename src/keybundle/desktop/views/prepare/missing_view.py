"""What is not ready yet: a line for each thing missing with what makes it, and ready-made beginnings."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.missing import MissingPresenter, MissingRow, MissingState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import icon_pixmap
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn

SIGN_PX, MOST_ROWS = 18, 24


class MissingView(QWidget):
    """Shows the list; its buttons do things in place and come back here."""

    def __init__(self, presenter: MissingPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._shown: tuple[object, ...] = ()
        self.head, self.told = Told(tr("What is not ready yet")), Told()
        self.head.setProperty("role", "head")
        self.told.setWordWrap(True)
        self.told.setProperty("role", "quiet")
        self.buttons: list[Button] = []
        self.column = QVBoxLayout()
        self.column.setSpacing(6)
        self.column.setContentsMargins(0, 0, 8, 0)
        inner = QWidget()
        inner.setObjectName("place")
        inner.setLayout(self.column)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setWidget(inner)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for part in (self.head, self.told):
            layout.addWidget(part)
        layout.addWidget(self.area, 1)
        presenter.changed.connect(self.render_state)

    def render_state(self, state: MissingState) -> None:
        """Show a state; a line that stays keeps its widgets, so that the focus stays too."""
        stopping = trn("{n:,} thing holds work up.", "{n:,} things hold work up.", state.stopping)
        ready = tr("All is ready for work.") if state.is_known else tr("Looking...")
        self.told.setText(stopping if state.stopping else ready)
        shown = (state.rows, state.beginnings, state.can_change)
        if shown == self._shown:
            return
        had_focus = any(b.hasFocus() for b in self.buttons)
        self._shown, self.buttons = shown, []
        while (item := self.column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for row in state.rows[:MOST_ROWS]:
            self.column.addWidget(self._row(row))
        if more := len(state.rows) - MOST_ROWS if len(state.rows) > MOST_ROWS else 0:
            self.column.addWidget(Told(trn("And {n:,} more.", "And {n:,} more.", more)))
        if state.beginnings:
            head = Told(tr("Or begin with something ready-made, and change it afterwards"))
            head.setProperty("role", "section")
            self.column.addWidget(head)
            for code, name, said in state.beginnings:
                self.column.addWidget(self._beginning(code, name, said))
        self.column.addStretch(1)
        if had_focus:
            self.focus_first()

    def _card(self) -> tuple[QFrame, QHBoxLayout]:
        card = QFrame()
        card.setProperty("role", "card")
        row = QHBoxLayout(card)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(10)
        return card, row

    def _row(self, missing: MissingRow) -> QFrame:
        card, row = self._card()
        sign, told = Told(), Told(missing.said)
        stops = missing.gap.stops
        sign.setPixmap(icon_pixmap("warning" if stops else "note", c.MADDER if stops else c.BRASS, SIGN_PX))
        sign.setAccessibleName(tr("holds work up") if stops else tr("worth a look"))
        told.setWordWrap(True)
        row.addWidget(sign)
        row.addWidget(told, 1)
        if missing.remedy:
            make = self._button(missing.remedy, missing.said, lambda: self.presenter.make(missing.gap))
            if len(self.buttons) == 1:
                make.setProperty("role", "main")
            row.addWidget(make)
        if missing.gap.proposal:
            for title, take in ((tr("Take it"), True), (tr("Do not"), False)):
                row.addWidget(self._button(title, missing.said, partial(self.presenter.decide, missing.gap, take=take)))
        if missing.gap.id:
            row.addWidget(self._button(tr("Look there"), missing.said, lambda: self.presenter.look(missing.gap)))
        if not stops and not missing.gap.proposal:
            row.addWidget(self._button(tr("Seen"), missing.said, lambda: self.presenter.note_seen(missing.gap)))
        return card

    def _beginning(self, code: str, name: str, said: str) -> QFrame:
        card, row = self._card()
        title, told = Told(name), Told(said)
        title.setStyleSheet("font-weight: 600;")
        title.setFixedWidth(130)
        told.setWordWrap(True)
        row.addWidget(title)
        row.addWidget(told, 1)
        row.addWidget(self._button(tr("Begin with it"), name, lambda: self.presenter.take(code)))
        return card

    def _button(self, title: str, about: str, run: Callable[[], None]) -> Button:
        button = Button(title)
        button.setAccessibleDescription(about)
        button.clicked.connect(lambda: run())
        self.buttons.append(button)
        return button

    def refresh(self) -> None:
        """Look again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the first thing that can be done the focus."""
        (self.buttons[0] if self.buttons else self).setFocus()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {"prepare.editor": self.focus_first}
