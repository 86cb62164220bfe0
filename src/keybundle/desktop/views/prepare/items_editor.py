"""Named things in an order, known by ids: added, renamed in place, moved, taken away."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from PySide6.QtCore import QEvent, QObject, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.theme.style import icon
from keybundle.desktop.views.calm import Button, Line, put_back
from keybundle.desktop.views.checks import ID, ROW_PX
from keybundle.desktop.words import tr

FEWEST, MOST = 2, 6
MOVES = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


class ItemsEditor(QWidget):
    """``taken`` carries all of them as (id, name) in their order; a new one has an empty id."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self._items: tuple[tuple[str, str], ...] = ()
        self._added = ""
        self.list = QListWidget()
        self.list.setAccessibleName(field.label)
        self.list.itemChanged.connect(self._renamed)
        self.list.installEventFilter(self)
        self.list.setEditTriggers(QListWidget.EditTrigger.DoubleClicked | QListWidget.EditTrigger.EditKeyPressed)
        self.new = Line()
        self.new.setPlaceholderText(field.hint)
        self.new.setAccessibleName(field.hint)
        self.new.returnPressed.connect(self._add)
        self.earlier, self.later = Button(icon("caret-up"), ""), Button(icon("caret-down"), "")
        self.remove = Button(tr("Remove"))
        self.earlier.setAccessibleName(tr("Earlier"))
        self.later.setAccessibleName(tr("Later"))
        self.earlier.setToolTip(tr("Earlier   Alt+Up"))
        self.later.setToolTip(tr("Later   Alt+Down"))
        self.earlier.clicked.connect(lambda: self._move(-1))
        self.later.clicked.connect(lambda: self._move(1))
        self.remove.clicked.connect(self._remove)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in (self.earlier, self.later, self.remove):
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.list)
        layout.addWidget(self.new)
        layout.addLayout(row)
        self.setFocusProxy(self.new)

    def show_value(self, value: Iterable[Any]) -> None:
        """Show things that have an id and a name; the marked one stays marked."""
        items = tuple((_of(x, "id"), _of(x, "name")) for x in value)
        if items == self._items and self.list.count() == len(items):
            return
        row = self.list.currentRow()
        grown = len(items) > len(self._items) > 0
        self._items = items
        with QSignalBlocker(self.list):
            self.list.clear()
            for key, name in items:
                item = QListWidgetItem(name)
                item.setData(ID, key)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                self.list.addItem(item)
            self.list.setCurrentRow(len(items) - 1 if grown else max(0, min(row, len(items) - 1)))
        self.list.setFixedHeight(ROW_PX * max(FEWEST, min(MOST, len(items))) + 6)

    def refuse(self) -> None:
        """Hear that they are refused as they were given last: a new name stands in its line again."""
        if self._added:
            put_back(self.new, self._added)
        self._added = ""

    def forget(self) -> None:
        """Hear that the things of something else are shown now."""
        self._added = ""

    def _emit(self, items: Iterable[tuple[str, str]]) -> None:
        self.taken.emit([{"id": key, "name": name} for key, name in items])

    def _add(self) -> None:
        if name := self.new.text().strip():
            self._added = name
            self.new.clear()
            self._emit((*self._items, ("", name)))

    def _renamed(self, item: QListWidgetItem) -> None:
        row, name = self.list.row(item), item.text().strip()
        items = list(self._items)
        if name and 0 <= row < len(items) and items[row][1] != name:
            items[row] = (items[row][0], name)
            self._emit(items)

    def _remove(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._items):
            self._emit(x for i, x in enumerate(self._items) if i != row)

    def _move(self, by: int) -> None:
        row = self.list.currentRow()
        to = row + by
        if 0 <= row < len(self._items) and 0 <= to < len(self._items):
            items = list(self._items)
            items.insert(to, items.pop(row))
            self.list.setCurrentRow(to)
            self._emit(items)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Take the keys that move or remove a line, before the list, and the page around it, do."""
        if not isinstance(event, QKeyEvent):
            return False
        moves = MOVES.get(Qt.Key(event.key())) if event.modifiers() == Qt.KeyboardModifier.AltModifier else None
        if moves is None and event.key() != Qt.Key.Key_Delete:
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
        elif event.type() == QEvent.Type.KeyPress:
            self._move(moves) if moves is not None else self._remove()
        return True


def _of(item: Any, name: str) -> str:
    return str(item.get(name, "") if isinstance(item, dict) else getattr(item, name))
