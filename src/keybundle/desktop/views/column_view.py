"""A path column of a cabinet: the values of a level, with how many documents lie below each."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keybundle.desktop.presenters.cabinets import CabinetsPresenter, ColumnState
from keybundle.desktop.views.drops import FileDrop
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

GIVES = "="  # a folder that gives values


class ColumnView(QWidget):
    """One path column: the field's name, a filter, the values with their counts; takes files for a value."""

    files_dropped = Signal(object, object)

    def __init__(self, field: str, label: str, presenter: CabinetsPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.field = field
        self._presenter = presenter
        self._shown: ColumnState | None = None
        self.head = Told(label)
        self.head.setProperty("role", "section")
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Type to filter"))
        self.filter.setAccessibleName(tr("Filter {label}", label=label))
        self.filter.textEdited.connect(lambda text: presenter.type_into(field, text))
        self.list = QListWidget()
        self.list.setAccessibleName(label)
        self.list.itemClicked.connect(self._choose)
        self.list.itemActivated.connect(self._choose)
        FileDrop(self.list.viewport(), self._dropped)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for part in (self.head, self.filter, self.list):
            layout.addWidget(part)
        self.setMinimumWidth(150)

    def _dropped(self, files: list[Path], event: QDropEvent) -> None:
        item = self.list.itemAt(event.position().toPoint())
        value = str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""
        self.files_dropped.emit(files, self._presenter.values_at(self.field, value))

    def _choose(self, item: QListWidgetItem) -> None:
        value = item.data(Qt.ItemDataRole.UserRole)
        again = self._shown is not None and self._shown.chosen == value
        self._presenter.choose(self.field, None if again else value)

    def render_column(self, state: ColumnState) -> None:
        """Show a column."""
        if state == self._shown:
            return
        self._shown = state
        self.head.setText(f"{state.label}   {state.told}")
        if self.filter.text() != state.typed:
            self.filter.setText(state.typed)
        self.list.clear()
        tags, gives = dict(state.tags), dict(state.gives)
        for value, number in state.entries:
            own = ", ".join(tags.get(value, ()))
            sign = f"   {GIVES}" if value in gives else ""
            item = QListWidgetItem(f"{value}   ({number})" + (f"   [{own}]" if own else "") + sign)
            if value in gives:
                item.setToolTip(tr("Proposed for what comes to lie here: {values}", values="; ".join(gives[value])))
            item.setData(Qt.ItemDataRole.UserRole, value)
            self.list.addItem(item)
            if value == state.chosen:
                item.setSelected(True)
                self.list.setCurrentItem(item)
