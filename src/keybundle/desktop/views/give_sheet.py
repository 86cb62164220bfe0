"""Whom a batch was given to: people and groups with a check before each."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidgetItem, QWidget

from keybundle.desktop.presenters.giving import GivingPresenter, GivingState
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
        given = [key for key, _, given in state.others if given]
        self.others.render_items([(k, name) for k, name, _ in state.others], given, can_change=state.may_give)
        if self.others.currentRow() < 0:
            self.others.setCurrentRow(0)
