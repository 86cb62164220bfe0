"""Sums and orders of days, made by choosing fields."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from keybundle.core.setup.formulas import map_order, map_sum
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.checks import ROW_PX
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

MOST = 4


class RelationsEditor(QWidget):
    """``taken`` carries all sums (``A + B = C``) or all orders (``A < B``), by the ids of the fields."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self._is_sum = field.kind == "sums"
        self._relations: tuple[str, ...] = ()
        self._names: dict[str, str] = {}
        self.list = QListWidget()
        self.list.setAccessibleName(field.label)
        self.fields = [Choice() for _ in range(4 if self._is_sum else 2)]
        signs = ("+", "+", "=") if self._is_sum else ("<",)
        self.add, self.remove = Button(tr("Add")), Button(tr("Remove"))
        self.add.clicked.connect(self._add)
        self.remove.clicked.connect(self._remove)
        row = QHBoxLayout()
        row.setSpacing(4)
        for i, choice in enumerate(self.fields):
            choice.setAccessibleName(tr("{label}, field {number}", label=field.label, number=i + 1))
            row.addWidget(choice, 1)
            if i < len(signs):
                row.addWidget(Told(signs[i]))
        row.addWidget(self.add)
        row.addWidget(self.remove)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.list)
        layout.addLayout(row)
        self.setFocusProxy(self.fields[0])
        self.fill(field)

    def fill(self, field: FormField) -> None:
        """Offer the fields that can stand here."""
        names = dict(field.choices)
        if names == self._names:
            return
        self._names = names
        for i, choice in enumerate(self.fields):
            choice.clear()
            if self._is_sum and i == 2:
                choice.addItem(tr("nothing more"), "")
            for key, name in names.items():
                choice.addItem(name, key)
        self.show_value(self._relations)

    def show_value(self, value: Sequence[str]) -> None:
        """Show what is there, in the names of the fields."""
        self._relations = tuple(value)
        to_names = map_sum if self._is_sum else map_order
        with QSignalBlocker(self.list):
            row = self.list.currentRow()
            self.list.clear()
            self.list.addItems([to_names(x, self._names) for x in self._relations])
            self.list.setCurrentRow(min(max(row, 0), len(self._relations) - 1))
        self.list.setVisible(bool(self._relations))
        self.list.setFixedHeight(ROW_PX * max(1, min(MOST, len(self._relations))) + 6)

    def _add(self) -> None:
        chosen = [str(choice.currentData() or "") for choice in self.fields]
        added = [x for x in chosen[:-1] if x]
        made = f"{' + '.join(added)} = {chosen[-1]}" if self._is_sum else " < ".join(chosen)
        if made not in self._relations and chosen[-1] not in added:
            self.taken.emit((*self._relations, made))

    def _remove(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._relations):
            self.taken.emit(tuple(x for i, x in enumerate(self._relations) if i != row))
