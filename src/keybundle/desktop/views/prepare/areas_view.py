"""Storage areas: the list with its editor; beside it the cabinets with the area of each, and what brings files there."""

from __future__ import annotations

import functools

from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.areas import AreasPresenter, AreasState
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class CabinetsPane(QWidget):
    """A cabinet's area is chosen in place; one button brings what is filed where it belongs."""

    def __init__(self, presenter: AreasPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        head = Told(tr("Cabinets"))
        head.setProperty("role", "section")
        said = Told(tr("The cabinet decides where its files lie: filers never meet the question."))
        said.setProperty("role", "quiet")
        said.setWordWrap(True)
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        self.choices: dict[str, Choice] = {}
        self._shown: dict[str, str] = {}
        self.told, self.doing = Told(), Told()
        for told in (self.told, self.doing):
            told.setWordWrap(True)
        self.doing.setProperty("role", "quiet")
        self.bring, self.stop = Button(tr("Bring files where they belong")), Button(tr("Stop"))
        self.bring.setProperty("role", "main")
        self.bring.clicked.connect(presenter.relocate)
        self.stop.clicked.connect(presenter.stop)
        work = QHBoxLayout()
        work.addWidget(self.bring)
        work.addWidget(self.stop)
        work.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addWidget(head)
        column.addWidget(said)
        column.addLayout(self.form)
        column.addWidget(self.told)
        column.addLayout(work)
        column.addWidget(self.doing)
        column.addStretch(1)

    def render_state(self, state: AreasState) -> None:
        """Show a state."""
        if list(self.choices) != [cabinet for cabinet, *_ in state.cabinets]:
            while self.form.rowCount():
                self.form.removeRow(0)
            self.choices, self._shown = {}, {}
            for cabinet, name, _ in state.cabinets:
                choice = self.choices[cabinet] = Choice()
                choice.setAccessibleName(tr("Storage area of {cabinet}", cabinet=name))
                choice.textActivated.connect(functools.partial(self.presenter.put, cabinet))
                self.form.addRow(Told(name), choice)
        names = [row.name for row in state.rows]
        for cabinet, _, area in state.cabinets:
            choice = self.choices[cabinet]
            choice.setEnabled(state.can_change)
            if [choice.itemText(i) for i in range(choice.count())] != names:
                choice.clear()
                choice.addItems(names)
                self._shown.pop(cabinet, None)
            if self._shown.get(cabinet) != area:  # what was just chosen stands while it is being kept
                self._shown[cabinet] = area
                choice.setCurrentText(area)
        self.told.setText(state.told)
        self.bring.setEnabled(bool(state.astray) and state.can_change and not state.doing)
        self.stop.setVisible(bool(state.doing))
        self.doing.setText(state.doing)


class AreasView(PartView):
    """Shows and changes storage areas."""

    def __init__(self, presenter: AreasPresenter) -> None:
        self.cabinets = CabinetsPane(presenter)
        super().__init__(tr("Storage areas"), presenter, beside=self.cabinets, may_move=False)

    def render_state(self, state: AreasState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        self.cabinets.render_state(state)
