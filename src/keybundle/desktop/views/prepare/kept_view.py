"""Where things are kept to whom, as a tree: cabinets, and what in them has a list of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.kept import KeptPlace, KeptPresenter, say_entry
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

NAME_PX = 380


class KeptView(QWidget):
    """Shows the tree; ``spot_asked`` carries the thing whose list somebody wants to see or change."""

    spot_asked = Signal(object)

    def __init__(self, presenter: KeptPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._places: tuple[KeptPlace, ...] = ()
        head, said = Told(tr("Kept to")), Told()
        head.setProperty("role", "head")
        said.setProperty("role", "quiet")
        said.setText(
            tr("What has a list of its own is named; all else follows what is above it. Enter changes a list.")
        )
        self.tree = QTreeWidget()
        self.tree.setAccessibleName(tr("Kept to"))
        self.tree.setColumnCount(2)
        self.tree.setHeaderLabels([tr("What"), tr("To whom")])
        self.tree.setColumnWidth(0, NAME_PX)
        self.tree.setUniformRowHeights(True)
        self.tree.itemActivated.connect(self._ask)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for widget in (head, said):
            layout.addWidget(widget)
        layout.addWidget(self.tree, 1)
        presenter.shown.connect(self._show)

    def _show(self, places: tuple[KeptPlace, ...]) -> None:
        if places == self._places:
            return
        self._places = places
        self.tree.clear()
        tops = []
        for place in places:
            top = self._item(place)
            top.addChildren([self._item(x) for x in place.below])
            tops.append(top)
        self.tree.addTopLevelItems(tops)
        self.tree.expandAll()

    def _item(self, place: KeptPlace) -> QTreeWidgetItem:
        told = tr("nobody in particular") if place.entries is None else "; ".join(map(say_entry, place.entries))
        item = QTreeWidgetItem([place.name, told])
        item.setToolTip(1, told)
        item.setData(0, Qt.ItemDataRole.UserRole, place.spot)
        return item

    def _ask(self, item: QTreeWidgetItem) -> None:
        self.spot_asked.emit(item.data(0, Qt.ItemDataRole.UserRole))

    def refresh(self) -> None:
        """Look again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the tree the focus."""
        self.tree.setFocus()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""
        self.presenter.rest()

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {}
