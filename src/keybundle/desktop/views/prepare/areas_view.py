"""Storage areas: a card for each, the cabinets with the area of each, and one button that brings files where they belong."""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.areas import AreasPresenter, AreasState
from keybundle.desktop.views.calm import Button, Choice, Line
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

CHOICE_PX = 220


class AreasView(QWidget):
    """Shows areas and cabinets; a cabinet's area is chosen in place."""

    def __init__(self, presenter: AreasPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        head = Told(tr("Storage areas"))
        head.setProperty("role", "head")
        said = Told(
            tr(
                "Where the files of what is filed lie, beside the data directory. Filers never meet the question: the cabinet "
                "decides it, and an area that is away lets its documents wait."
            )
        )
        said.setProperty("role", "quiet")
        said.setWordWrap(True)
        self.cards = QVBoxLayout()
        self.cards.setSpacing(8)
        self.name, self.add = Line(), Button(tr("Choose its folder"))
        self.name.setPlaceholderText(tr("Name of a further area"))
        self.name.setAccessibleName(tr("Name of a further area"))
        self.name.setFixedWidth(CHOICE_PX)
        self.name.textChanged.connect(lambda _: self.render_state(presenter.state))
        self.add.clicked.connect(self._add)
        further = QHBoxLayout()
        further.addWidget(self.name)
        further.addWidget(self.add)
        further.addStretch(1)
        of_cabinets = Told(tr("Cabinets"))
        of_cabinets.setProperty("role", "head")
        self.grid = QGridLayout()
        self.grid.setColumnStretch(2, 1)
        self.grid.setHorizontalSpacing(14)
        self.choices: dict[str, Choice] = {}
        self._shown: list[Told] = []
        self._lines: list[QWidget] = []
        self.told, self.doing = Told(), Told()
        self.doing.setProperty("role", "quiet")
        self.bring, self.stop = Button(tr("Bring files where they belong")), Button(tr("Stop"))
        self.bring.setProperty("role", "main")
        self.bring.clicked.connect(presenter.relocate)
        self.stop.clicked.connect(presenter.stop)
        work = QHBoxLayout()
        for part in (self.bring, self.stop, self.doing):
            work.addWidget(part)
        work.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(head)
        layout.addWidget(said)
        layout.addLayout(self.cards)
        layout.addLayout(further)
        layout.addSpacing(12)
        layout.addWidget(of_cabinets)
        layout.addLayout(self.grid)
        layout.addSpacing(12)
        layout.addWidget(self.told)
        layout.addLayout(work)
        layout.addStretch(1)
        presenter.changed.connect(self.render_state)
        self.render_state(presenter.state)

    def render_state(self, state: AreasState) -> None:
        """Show a state."""
        self._render_cards(state)
        self._render_cabinets(state)
        self.told.setText(state.told)
        self.name.setEnabled(state.may_change)
        self.add.setEnabled(state.may_change and bool(self.name.text().strip()))
        self.bring.setEnabled(bool(state.astray) and state.may_change and not state.doing)
        self.stop.setVisible(bool(state.doing))
        self.doing.setText(state.doing)

    def _render_cards(self, state: AreasState) -> None:
        for card in self._shown[len(state.rows) :]:
            card.deleteLater()
        del self._shown[len(state.rows) :]
        while len(self._shown) < len(state.rows):
            card = Told()
            card.setWordWrap(True)
            card.setMargin(8)
            self.cards.addWidget(card)
            self._shown.append(card)
        for card, row in zip(self._shown, state.rows, strict=True):
            card.setText(f"{row.name}:  {row.told}\n{row.place}")
            card.setProperty("role", "problem" if row.is_away else "")
            card.style().polish(card)

    def _render_cabinets(self, state: AreasState) -> None:
        names = [row.name for row in state.rows]
        if list(self.choices) != [cabinet for cabinet, *_ in state.cabinets]:
            for old in self._lines:
                old.deleteLater()
            self._lines, self.choices = [], {}
            for number, (cabinet, name, _) in enumerate(state.cabinets):
                choice = Choice()
                choice.setFixedWidth(CHOICE_PX)
                choice.setAccessibleName(tr("Storage area of {cabinet}", cabinet=name))
                choice.textActivated.connect(functools.partial(self.presenter.put, cabinet))
                label = Told(name)
                self.grid.addWidget(label, number, 0)
                self.grid.addWidget(choice, number, 1)
                self._lines += [label, choice]
                self.choices[cabinet] = choice
        for cabinet, _, area in state.cabinets:
            choice = self.choices[cabinet]
            choice.setEnabled(state.may_change)
            if [choice.itemText(i) for i in range(choice.count())] != names:
                choice.clear()
                choice.addItems(names)
            choice.setCurrentText(area)

    def _add(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Folder of the new storage area"))
        if folder:
            self.presenter.add(self.name.text(), Path(folder))
            self.name.clear()

    def focus_first(self) -> None:
        """Give the line for a further area the focus."""
        self.name.setFocus()

    def show_part(self, part_id: str, at: str = "") -> None:
        """Show the areas: each has its card."""

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {"prepare.new": self.name.setFocus, "prepare.editor": self.focus_first}
