"""Whom a batch was given to: people and groups with a check before each."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFormLayout, QListWidgetItem, QWidget

from keybundle.desktop.presenters.giving import GivingPresenter, GivingState
from keybundle.desktop.views.calm import Choice
from keybundle.desktop.views.checks import ID, Checks
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class GiveSheet(Sheet):
    """Changes are kept at once."""

    def __init__(self, presenter: GivingPresenter) -> None:
        super().__init__(tr("Give to"), of=" ")
        self.presenter = presenter
        presenter.setParent(self)
        self.told, self.problem = Told(), Told()
        self.told.setWordWrap(True)
        self.problem.setWordWrap(True)
        self.problem.setProperty("role", "problem")
        self.others = Checks(tr("Whom the batch was given to"), most=14)
        self.others.itemChanged.connect(self._checked)
        self.owner = Choice()
        self.owner.setAccessibleName(tr("Owner of the batch"))
        self.owner.activated.connect(lambda _: presenter.hand_over(self.owner.currentData()))
        owning = QFormLayout()
        owning.addRow(tr("Owner"), self.owner)
        self.body.addLayout(owning)
        self.body.addWidget(self.told)
        self.body.addWidget(self.others)
        self.body.addWidget(self.problem)
        self.body.addStretch(1)
        presenter.changed.connect(self.render_state)
        self.render_state(presenter.state)

    def first(self) -> QWidget:
        return self.others

    def _checked(self, item: QListWidgetItem) -> None:
        self.presenter.give(item.data(ID), item.checkState() is Qt.CheckState.Checked)

    def render_state(self, state: GivingState) -> None:
        """Show a state."""
        self.of.setText(state.title)
        self.told.setText(state.told)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        if [self.owner.itemData(i) for i in range(self.owner.count())] != [key for key, _ in state.owners]:
            self.owner.clear()
            for key, name in state.owners:
                self.owner.addItem(name, key)
        self.owner.setCurrentIndex(self.owner.findData(state.owner))
        self.owner.setEnabled(state.may_give)
        given = [key for key, _, given in state.others if given]
        self.others.render_items([(k, name) for k, name, _ in state.others], given, can_change=state.may_give)
        if self.others.currentRow() < 0:
            self.others.setCurrentRow(0)
