"""Tags as a table: name, documents, folders, colour; a name is typed over, a colour is chosen."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from keybundle.desktop.actions.conditions import CONDITIONS
from keybundle.desktop.presenters.prepare.tags import TAG_COLOURS, TagsPresenter, TagsState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr

NAME_PX, COLOUR_PX = 320, 180


class TagsView(QWidget):
    """Shows and changes tags."""

    def __init__(self, presenter: TagsPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._shown: tuple[object, ...] = ()
        head, said = Told(tr("Tags")), Told()
        head.setProperty("role", "head")
        said.setProperty("role", "quiet")
        said.setText(tr("A name is typed over; that of another tag makes the two one."))
        self.problem, self.doing = Told(), Told()
        self.problem.setProperty("role", "problem")
        self.table = QTableWidget(0, 4)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName(tr("Tags"))
        self.table.setHorizontalHeaderLabels([tr("Tag"), tr("Documents"), tr("Folders"), tr("Colour")])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.setColumnWidth(0, NAME_PX)
        self.table.setColumnWidth(3, COLOUR_PX)
        self.table.itemChanged.connect(self._edited)
        self.fewer, self.stop = Button(tr("Take it away everywhere")), Button(tr("Stop"))
        self.fewer.clicked.connect(self._take_away)
        self.stop.clicked.connect(presenter.doing.stop)
        self.undo, self.undo_told = Button(tr("Undo")), Elided()
        self.undo.clicked.connect(presenter.undo)
        self.undo_told.setProperty("role", "quiet")
        foot = QHBoxLayout()
        for part in (self.fewer, self.doing, self.stop):
            foot.addWidget(part)
        foot.addStretch(1)
        foot.addWidget(self.undo_told)
        foot.addWidget(self.undo)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for widget in (head, said, self.problem, self.table):
            layout.addWidget(widget)
        layout.addLayout(foot)
        presenter.changed.connect(self.render_state)

    def render_state(self, state: TagsState) -> None:
        """Show a state."""
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)
        self.fewer.setEnabled(state.can_change and bool(state.rows))
        shown = (state.rows, state.can_change)
        if shown != self._shown:
            self._shown = shown
            self._fill(state)

    def _fill(self, state: TagsState) -> None:
        row = self.table.currentRow()
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(state.rows))
            for i, tag in enumerate(state.rows):
                for j, text in enumerate((tag.name, f"{tag.documents:,}", f"{tag.folders:,}")):
                    item = QTableWidgetItem(text)
                    item.setData(Qt.ItemDataRole.UserRole, tag.name)
                    item.setFlags(plain | Qt.ItemFlag.ItemIsEditable if j == 0 and state.can_change else plain)
                    if j == 0 and tag.colour:
                        item.setForeground(QColor(c.TAG[tag.colour][0]))
                    self.table.setItem(i, j, item)
                choice = Choice()
                choice.setAccessibleName(tr("Colour of {tag}", tag=tag.name))
                choice.addItem(tr("none"), "")
                for colour in TAG_COLOURS:
                    choice.addItem(f"{c.TAG[colour][1]}   {tr(colour)}", colour)
                    choice.setItemData(choice.count() - 1, QColor(c.TAG[colour][0]), Qt.ItemDataRole.ForegroundRole)
                choice.setCurrentIndex(max(0, choice.findData(tag.colour)))
                choice.setEnabled(state.can_change)
                choice.activated.connect(
                    lambda _, name=tag.name, box=choice: self.presenter.colour(name, str(box.currentData()))
                )
                self.table.setCellWidget(i, 3, choice)
            if 0 <= row < len(state.rows):
                self.table.setCurrentCell(row, 0)

    def _edited(self, item: QTableWidgetItem) -> None:
        old = str(item.data(Qt.ItemDataRole.UserRole))
        if item.column() == 0 and item.text().strip():
            self.presenter.rename(old, item.text().strip())

    def _take_away(self) -> None:
        item = self.table.item(self.table.currentRow(), 0)
        if item is not None:
            self.presenter.rename(str(item.data(Qt.ItemDataRole.UserRole)), "")

    def refresh(self) -> None:
        """Look again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the table the focus."""
        self.table.setFocus()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""

    def lack(self, command_id: str) -> str:
        """Return why a command cannot be run now."""
        if command_id == "prepare.undo":
            return "" if self.presenter.undoing.can_undo else tr(CONDITIONS["undo"])
        nothing = command_id == "prepare.remove" and self.table.currentRow() < 0
        return tr("Choose one in the list first.") if nothing else ""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {
            "prepare.remove": self._take_away,
            "prepare.undo": self.presenter.undo,
            "prepare.editor": self.focus_first,
        }
