"""The trash: what lies in it with who, when and why; brought back, or erased for good after a second press."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from keybundle.desktop.presenters.trash import PutAway, PutAwayState
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

ID = Qt.ItemDataRole.UserRole


class TrashSheet(Sheet):
    """Nothing is erased by one press: the button asks first, by its own words."""

    def __init__(self, presenter: PutAway, title: str, told: str, named: str) -> None:
        super().__init__(title, told, of=" ", width_px=WIDE_PX)
        self.presenter = presenter
        presenter.setParent(self)
        self.list = QListWidget()
        self.list.setAccessibleName(named)
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._chosen)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.back, self.erase = Button(tr("Bring back")), Button()
        self.back.setProperty("role", "main")
        self.back.clicked.connect(lambda: presenter.restore(self._ids()))
        self.erase.clicked.connect(self._erase)
        self._is_asked = False
        buttons = QHBoxLayout()
        buttons.addWidget(self.back)
        buttons.addStretch(1)
        buttons.addWidget(self.erase)
        self.body.addWidget(self.list, 1)
        self.body.addWidget(self.problem)
        self.body.addLayout(buttons)
        presenter.changed.connect(self.render_state)
        self.render_state(presenter.state)

    def first(self) -> QWidget:
        return self.list

    def _ids(self) -> list[str]:
        return [str(item.data(ID)) for item in self.list.selectedItems()]

    def _chosen(self) -> None:
        self._is_asked = False
        self._label()

    def _erase(self) -> None:
        if not self._is_asked:
            self._is_asked = True
            self._label()
            return
        self._is_asked = False
        self.presenter.empty(self._ids())

    def _label(self) -> None:
        chosen = len(self._ids())
        self.back.setEnabled(bool(chosen))
        self.erase.setEnabled(bool(chosen) and self.presenter.state.may_empty)
        self.erase.setText(
            tr("Yes, erase {n:,} for good", n=chosen) if self._is_asked else tr("Erase the chosen for good")
        )

    def render_state(self, state: PutAwayState) -> None:
        """Show a state."""
        self.of.setText(state.told)
        self.of.setHidden(False)
        self.list.clear()
        for key, what, why in state.rows:
            item = QListWidgetItem(f"{what}\n{why}")
            item.setData(ID, key)
            item.setToolTip(why)
            self.list.addItem(item)
        if state.rows:
            self.list.setCurrentRow(0)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self._chosen()
