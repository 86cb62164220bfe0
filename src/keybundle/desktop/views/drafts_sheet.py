"""What is typed for filed documents and not kept yet, one by one: what stood there, what is in the way, whether it is gone."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from keybundle.desktop.presenters.cabinet_changes import CabinetChanges
from keybundle.desktop.presenters.drafts import TAGS, Draft
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.words import tr

NOTHING = "-"


class DraftsSheet(Sheet):
    """Lists the drafts; the chosen ones are copied, let go of or kept. ``opened`` names the document of one."""

    opened = Signal(str)

    def __init__(self, changes: CabinetChanges) -> None:
        head = tr("Typed and not kept yet, in all cabinets. Enter opens the document, Ctrl+C copies what was typed.")
        super().__init__(tr("Not kept yet"), head, width_px=WIDE_PX)
        self._changes = changes
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Not kept yet"))
        self.list.setWordWrap(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemActivated.connect(lambda item: self.opened.emit(item.data(Qt.ItemDataRole.UserRole)[0]))
        copy = QShortcut(QKeySequence.StandardKey.Copy, self.list)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        copy.activated.connect(self._copy)
        keep, drop, copied = Button(tr("Keep these")), Button(tr("Let go of these")), Button(tr("Copy   Ctrl+C"))
        keep.setProperty("role", "main")
        keep.clicked.connect(lambda: changes.keep(self._chosen()))
        drop.clicked.connect(lambda: changes.discard(self._chosen()))
        copied.clicked.connect(self._copy)
        buttons = QHBoxLayout()
        buttons.addWidget(copied)
        buttons.addStretch(1)
        buttons.addWidget(drop)
        buttons.addWidget(keep)
        self.body.addWidget(self.list, 1)
        self.body.addLayout(buttons)
        changes.changed.connect(self._render)
        self._render()

    def first(self) -> QWidget:
        return self.list

    def _chosen(self) -> list[tuple[str, str]]:
        return [item.data(Qt.ItemDataRole.UserRole) for item in self.list.selectedItems()]

    def _copy(self) -> None:
        texts = [d.text for d in (self._changes.find(*key) for key in self._chosen()) if d is not None]
        if texts:
            QGuiApplication.clipboard().setText("\n".join(texts))

    def _render(self) -> None:
        drafts, chosen = self._changes.list_drafts(), set(self._chosen())
        self.list.clear()
        for draft in drafts:
            item = QListWidgetItem(_tell(draft))
            item.setData(Qt.ItemDataRole.UserRole, draft.key)
            if draft.problem:
                item.setForeground(QColor(c.MADDER))
            self.list.addItem(item)
            item.setSelected(draft.key in chosen or (not chosen and self.list.count() == 1))


def _tell(draft: Draft) -> str:
    place, field = f"{draft.within}: " if draft.within else "", tr("Tags") if draft.name == TAGS else draft.name
    told = tr(
        "{place}{caption}\n{field}: {stood} → {typed}", place=place, caption=draft.told or draft.subject, field=field,
        stood=draft.stood or NOTHING, typed=draft.text or NOTHING,
    )  # fmt: skip
    return f"{told}\n{draft.problem}" if draft.problem else told
