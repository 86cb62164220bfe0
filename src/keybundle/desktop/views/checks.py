"""A list of things with a check before each, known by their ids."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem

ID = Qt.ItemDataRole.UserRole
ROW_PX = 29


class Checks(QListWidget):
    """Things to check, each by its id; ``most`` are in sight at once."""

    def __init__(self, name: str, most: int = 6) -> None:
        super().__init__()
        self._most = most
        self._rendered: tuple[object, ...] = ()
        self.itemChanged.connect(lambda _: self._forget())
        self.setUniformItemSizes(True)
        self.setAccessibleName(name)
        self.setFixedHeight(ROW_PX + 6)

    def _forget(self) -> None:
        """What somebody checked is not what was shown: the next rendering looks at every row again."""
        self._rendered = ()

    def render_items(self, entries: Sequence[tuple[str, str]], checked: Sequence[str], *, can_change: bool) -> None:
        """Show things, some of them checked; hundreds of them are touched only where something differs."""
        wanted = (tuple(entries), tuple(checked), can_change)
        if wanted == self._rendered:
            return
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if can_change:
            flags |= Qt.ItemFlag.ItemIsUserCheckable
        on = set(checked)
        with QSignalBlocker(self):
            if [self.item(i).data(ID) for i in range(self.count())] != [key for key, _ in entries]:
                self.clear()
                for key, name in entries:
                    item = QListWidgetItem(name)
                    item.setData(ID, key)
                    self.addItem(item)
                self.setFixedHeight(ROW_PX * min(self._most, max(1, len(entries))) + 6)
            for i, (key, _) in enumerate(entries):
                item = self.item(i)
                item.setFlags(flags)
                item.setCheckState(Qt.CheckState.Checked if key in on else Qt.CheckState.Unchecked)
        self._rendered = wanted

    def checked(self) -> tuple[str, ...]:
        """Return the ids of what is checked, in their order."""
        items = (self.item(i) for i in range(self.count()))
        return tuple(str(x.data(ID)) for x in items if x.checkState() is Qt.CheckState.Checked)
