"""Storage areas: the list with its editor; beside it the cabinets with the area of each, and what brings files there."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.areas import AreasPresenter, AreasState
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.checks import ID
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class CabinetsPane(QWidget):
    """Some cabinets are put into an area at once; one button brings what is filed where it belongs."""

    def __init__(self, presenter: AreasPresenter) -> None:
        super().__init__()
        self.presenter, self._can_change = presenter, False
        head = Told(tr("Cabinets"))
        head.setProperty("role", "section")
        said = Told(tr("A cabinet decides where its files lie. Choose some, and put them into the area at the left."))
        said.setProperty("role", "quiet")
        said.setWordWrap(True)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Cabinets"))
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._may_put)
        self.put = Button()
        self.put.clicked.connect(lambda: presenter.put(self._chosen()))
        self._shown: tuple[object, ...] = ()
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
        column.addWidget(self.list, 1)
        column.addWidget(self.put)
        column.addWidget(self.told)
        column.addLayout(work)
        column.addWidget(self.doing)

    def render_state(self, state: AreasState) -> None:
        """Show a state."""
        if state.cabinets != self._shown:
            self._render_cabinets(state)
            self._shown = state.cabinets
        name = state.part.name if state.part is not None else ""
        self.put.setText(tr("Let their files lie in {area}", area=name))
        self._can_change = state.can_change
        self._may_put()
        self.told.setText(state.told)
        self.bring.setEnabled(bool(state.astray) and state.can_change and not state.doing)
        self.stop.setVisible(bool(state.doing))
        self.doing.setText(state.doing)

    def _render_cabinets(self, state: AreasState) -> None:
        """List the cabinets with their areas; what is chosen stays chosen."""
        if self.list.count() != len(state.cabinets):
            self.list.clear()
            self.list.addItems([""] * len(state.cabinets))
        for number, (cabinet, name, area) in enumerate(state.cabinets):
            item = self.list.item(number)
            item.setText(f"{name}\n{area}")
            item.setData(ID, cabinet)

    def _chosen(self) -> list[str]:
        return [str(item.data(ID)) for item in self.list.selectedItems()]

    def _may_put(self) -> None:
        self.put.setEnabled(self._can_change and bool(self._chosen()))


class AreasView(PartView):
    """Shows and changes storage areas."""

    def __init__(self, presenter: AreasPresenter) -> None:
        self.cabinets = CabinetsPane(presenter)
        super().__init__(tr("Storage areas"), presenter, beside=self.cabinets, may_move=False)

    def render_state(self, state: AreasState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        self.cabinets.render_state(state)
