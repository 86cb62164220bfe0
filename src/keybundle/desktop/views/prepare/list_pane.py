"""The list of an editor: filtered as you type, with what can be done to a part, and a line to add one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keybundle.desktop.presenters.prepare.parts import PartRow, PartsPresenter, PartsState
from keybundle.desktop.theme.style import icon
from keybundle.desktop.views.calm import Button, Line, put_back
from keybundle.desktop.views.free_line import remember_typed
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr

ID = Qt.ItemDataRole.UserRole
LIST_PX = 216
MOST_WITHOUT_FILTER = 8
ROWS_AT_ONCE = 32


class ListPane(QWidget):
    """Shows the parts of a kind and runs what is done to the chosen one; a part is known by its id."""

    entered = Signal()

    def __init__(self, title: str, presenter: PartsPresenter, *, may_move: bool = True, remove: str = "") -> None:
        super().__init__()
        self.presenter = presenter
        self._rows: Sequence[PartRow] = ()
        self.setFixedWidth(LIST_PX)
        self.filter = Line()
        self.filter.setPlaceholderText(tr("Filter   /"))
        self.filter.setAccessibleName(tr("Filter of {title}", title=title))
        self.filter.textChanged.connect(lambda _: self._show_rows())
        self.shown = Told()
        self.shown.setProperty("role", "quiet")
        self.names = QListWidget()
        # Thousands of people are not all laid out before the first of them is seen.
        self.names.setLayoutMode(QListWidget.LayoutMode.Batched)
        self.names.setBatchSize(ROWS_AT_ONCE)
        self.names.setAccessibleName(title)
        self.names.setWordWrap(True)
        self.names.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.names.currentItemChanged.connect(self._choose)
        self.names.itemActivated.connect(lambda _: self.entered.emit())
        self.new = Line()
        self.new.setAccessibleName(tr("Name of a new one"))
        self.new.setPlaceholderText(tr("Name of a new one, Enter"))
        self.new.returnPressed.connect(self._add)
        remember_typed(self.new, presenter.lines, presenter.kind)
        presenter.not_added.connect(partial(put_back, self.new))
        column = self.column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for part in (self.filter, self.names, self.shown, self.new):
            column.addWidget(part)
        self.copy = self._button(tr("Copy"), presenter.copy, tr("Make a copy   Ctrl+Alt+N"))
        self.remove = self._button(
            remove or tr("Remove"), presenter.remove, tr("Remove it; what hangs on it is said first")
        )
        self.earlier = self._button(icon("caret-up"), lambda: presenter.move(-1), tr("Earlier in the list   Alt+Up"))
        self.later = self._button(icon("caret-down"), lambda: presenter.move(1), tr("Later in the list   Alt+Down"))
        self.earlier.setAccessibleName(tr("Earlier"))
        self.later.setAccessibleName(tr("Later"))
        self.history = self._button(
            tr("History"), presenter.ask_history, tr("Who changed it, and back to before   Ctrl+H")
        )
        for button in (self.earlier, self.later):
            if not may_move:
                button.hide()
        for buttons in ((self.copy, self.history), (self.remove, self.earlier, self.later)):
            row = QHBoxLayout()
            row.setSpacing(4)
            for button in buttons:
                row.addWidget(button, 1)
            column.addLayout(row)
        self.undo = Button(tr("Undo"))
        self.undo.setToolTip(tr("Put back what you changed last here   Ctrl+Z"))
        self.undo.clicked.connect(presenter.undo)
        self.undo_told = Elided()
        self.undo_told.setProperty("role", "quiet")
        column.addWidget(self.undo)
        column.addWidget(self.undo_told)

    def _button(self, title: str | QIcon, run: Callable[[], None], tip: str) -> Button:
        button = Button(title, "") if isinstance(title, QIcon) else Button(title)
        button.setToolTip(tip)
        button.setStyleSheet("padding: 4px 6px;")
        button.clicked.connect(lambda: run())
        return button

    def render_list(self, state: PartsState) -> None:
        """Show the parts, and what can be done."""
        if state.rows != self._rows:
            self._rows = state.rows
            self._show_rows(state.chosen)
        elif self.chosen() != state.chosen:
            self._mark(state.chosen)
        for widget in (self.copy, self.remove, self.earlier, self.later):
            widget.setEnabled(state.can_change and state.part is not None)
        self.new.setEnabled(state.can_change)
        self.history.setEnabled(state.part is not None)
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)

    def _show_rows(self, chosen: str = "") -> None:
        chosen = chosen or self.chosen()
        wanted = self.filter.text().casefold().split()
        rows = [r for r in self._rows if all(w in f"{r.name} {r.note}".casefold() for w in wanted)]
        with QSignalBlocker(self.names):
            self.names.clear()
            for row in rows:
                item = QListWidgetItem(f"{row.name}\n{row.note}" if row.note else row.name)
                item.setData(ID, row.id)
                self.names.addItem(item)
            self._mark(chosen)
        many = len(self._rows) > MOST_WITHOUT_FILTER
        self.filter.setVisible(many or bool(wanted))
        self.shown.setText(tr("{shown} of {all} shown", shown=len(rows), all=len(self._rows)))
        self.shown.setVisible(len(rows) != len(self._rows))

    def _mark(self, chosen: str) -> None:
        with QSignalBlocker(self.names):
            for i in range(self.names.count()):
                if self.names.item(i).data(ID) == chosen:
                    self.names.setCurrentRow(i)
                    return
            self.names.setCurrentRow(-1)

    def chosen(self) -> str:
        """Return the id of the part that is marked in the list."""
        item = self.names.currentItem()
        return str(item.data(ID)) if item is not None else ""

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.presenter.choose(str(item.data(ID)))

    def _add(self) -> None:
        self.presenter.add(self.new.text())
        self.new.clear()
