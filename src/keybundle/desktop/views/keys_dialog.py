"""The shortcut sheet and command search: everything that can be done, where, and by which key."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.actions.own_keys import OwnKeys
from keybundle.desktop.actions.registry import MOVED, PLACES, find_command, search_commands
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import value_font
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn

TOLD, KEYS_OF = "keys told", "2026-12"
BARE = {
    Qt.Key.Key_Control, Qt.Key.Key_Shift, Qt.Key.Key_Alt, Qt.Key.Key_Meta, Qt.Key.Key_AltGr, Qt.Key.Key_Tab, Qt.Key.Key_Backtab,
}  # fmt: skip


def say_moved(command_id: str, before: str) -> str:
    """Return which key a command has now in place of another one."""
    command = find_command(command_id)
    place = tr(PLACES[command.place])
    return tr(
        "{title} ({place}) {key}, was {before}", title=command.title, place=place, key=command.shortcut, before=before
    )


def say_elsewhere(command_id: str) -> str:
    """Return where a command acts that nobody runs here."""
    command = find_command(command_id)
    return tr("“{title}” acts in {place}; go there first.", title=command.title, place=tr(PLACES[command.place]))


class KeyLine(QLineEdit):
    """Shows the key that is pressed in it; Tab goes on."""

    def __init__(self) -> None:
        super().__init__()
        self.setReadOnly(True)
        self.setPlaceholderText(tr("press the key"))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.key() not in BARE:
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                self.setText(QKeySequence(event.keyCombination()).toString())
                return True
        return super().event(event)


class KeysDialog(QDialog):
    """Shows all commands with their keys; typing searches them, Enter runs the marked one (``command_chosen``)."""

    command_chosen = Signal(str)

    def __init__(self, own: OwnKeys, why_not: Callable[[str], str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._own, self._why_not = own, why_not
        self.setWindowTitle(tr("Keys and commands"))
        self.resize(720, 560)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Search: what do you want to do?"))
        self.line.setAccessibleName(tr("Search commands"))
        self.line.textChanged.connect(self._fill)
        self.line.returnPressed.connect(self._choose)
        self.line.installEventFilter(self)
        self._ids: list[str] = []
        self._found = ""
        self.table = QTableWidget(0, 4)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels([tr("Key"), tr("Command"), tr("What it does"), tr("Where")])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.itemActivated.connect(lambda _: self._choose())
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in ((0, 160), (1, 160), (3, 110)):
            self.table.setColumnWidth(column, width)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.told = Told()
        self.told.setProperty("role", "quiet")
        self.own_told, self.own = Told(), KeyLine()
        self.own.setAccessibleName(tr("A key of your own"))
        self.keep, self.drop = Button(tr("Give it this key")), Button(tr("Take it away"))
        self.keep.clicked.connect(lambda: self._give(self.own.text()))
        self.drop.clicked.connect(lambda: self._give(""))
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        own_row = QHBoxLayout()
        own_row.addWidget(self.own_told, 1)
        for widget in (self.own, self.keep, self.drop):
            own_row.addWidget(widget)
        self.table.itemSelectionChanged.connect(self._show_own)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        if not own.remembered.get(TOLD):
            own.remembered.put(TOLD, KEYS_OF)
            moved = "; ".join(say_moved(command_id, before) for command_id, before in MOVED.items())
            self.moved = Told(tr("Other keys than before: {moved}", moved=moved))
            self.moved.setWordWrap(True)
            self.moved.setProperty("role", "quiet")
            layout.addWidget(self.moved)
        layout.addWidget(self.table)
        layout.addLayout(own_row)
        layout.addWidget(self.problem)
        layout.addWidget(self.told)
        self._fill("")

    def _marked(self) -> str:
        row = self.table.currentRow()
        return self._ids[row] if 0 <= row < len(self._ids) else ""

    def _show_own(self) -> None:
        """Say which key of one's own the marked command has."""
        marked = self._marked()
        kept = self._own.keys.get(marked, "")
        self.own_told.setText(tr("A key of your own for “{title}”", title=find_command(marked).title) if marked else "")
        self.own.setText(kept)
        self.own.setEnabled(bool(marked))
        self.keep.setEnabled(bool(marked))
        self.drop.setVisible(bool(kept))
        why = self._why_not(marked) if marked else ""
        self.told.setText(f"{self._found}. {why}" if why else self._found + tr("; Enter runs the marked one"))
        self._say_problem("")

    def _give(self, key: str) -> None:
        marked = self._marked()
        if not marked:
            return
        problem = self._own.give(marked, key)
        row = self.table.currentRow()
        self._fill(self.line.text())
        self.table.selectRow(row)
        self._show_own()
        if problem:
            self.own.setText(key)
        self._say_problem(problem)

    def _say_problem(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    def _fill(self, text: str) -> None:
        # What can be run here and now stands first, the others in the order of their places.
        hindrances = {command.id: self._why_not(command.id) for command in search_commands(text)}
        found = sorted(map(find_command, hindrances), key=lambda command: bool(hindrances[command.id]))
        self.table.setRowCount(len(found))
        for i, command in enumerate(found):
            cells = (
                "   ".join((*command.keys, *filter(None, [self._own.keys.get(command.id)]))).replace("Return", "Enter"),
                command.title,
                command.words,
                tr(PLACES[command.place]),
            )
            why = hindrances[command.id]
            for j, cell in enumerate(cells):
                item = QTableWidgetItem(cell)
                if why:
                    item.setForeground(QColor(c.QUIET))
                    item.setToolTip(why)
                if j == 0:
                    item.setFont(value_font(13))
                self.table.setItem(i, j, item)
        self.table.resizeRowsToContents()
        self._ids = [command.id for command in found]
        self.table.selectRow(0)
        self._found = trn("{n:,} command", "{n:,} commands", len(found))
        self._show_own()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let the arrows mark another command while somebody types."""
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() in steps:
            row = self.table.currentRow() + steps[Qt.Key(event.key())]
            self.table.selectRow(max(0, min(self.table.rowCount() - 1, row)))
            return True
        return False

    def _choose(self) -> None:
        if marked := self._marked():
            self.accept()
            self.command_chosen.emit(marked)
