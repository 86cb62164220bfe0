"""The prepare place: routines with their rehearsal, and the set-up's other lists, read-only."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.areas import AreasPresenter
from keybundle.desktop.presenters.learned import LearnedPresenter
from keybundle.desktop.presenters.people import PeoplePresenter
from keybundle.desktop.presenters.prepare import REGISTER, PartTable
from keybundle.desktop.presenters.routines import RoutinesPresenter
from keybundle.desktop.presenters.types import TypesPresenter
from keybundle.desktop.views.areas_view import AreasView
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.learned_view import LearnedView
from keybundle.desktop.views.people_view import PeopleView
from keybundle.desktop.views.routine_view import RoutineView
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.types_view import TypesView
from keybundle.desktop.words import tr

LIST_PX = 150


class PrepareView(QWidget):
    """Lists at the left, the chosen one as a table; routines as step cards."""

    register_asked = Signal(str)

    def __init__(
        self,
        routines: RoutinesPresenter,
        learned: LearnedPresenter,
        types: TypesPresenter,
        people: PeoplePresenter,
        areas: AreasPresenter,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self._parts: list[PartTable] = []
        self.list = QListWidget()
        self.list.setFixedWidth(LIST_PX)
        self.list.setAccessibleName(tr("Parts of the set-up"))
        self.list.currentRowChanged.connect(self._show)
        self.head = Told()
        self.head.setProperty("role", "head")
        self.table = QTableWidget()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        self.table.setWordWrap(True)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        told = Told(
            tr("These lists can only be read here; who prepares the repository changes them in its set-up file.")
        )
        told.setProperty("role", "quiet")
        self.bring_register = Button(tr("Bring in a CSV file"))
        self.bring_register.setToolTip(
            tr("Its entries take the place of these; faults are told by line and change nothing")
        )
        self.bring_register.clicked.connect(self._ask_register)
        right = QVBoxLayout()
        for part in (self.head, told, self.table):
            right.addWidget(part)
        right.addWidget(self.bring_register, alignment=Qt.AlignmentFlag.AlignLeft)
        right.setContentsMargins(0, 0, 0, 0)
        table = QWidget()
        table.setLayout(right)
        self.routines = RoutineView(routines)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.routines)
        self.stack.addWidget(table)
        self.learned = LearnedView(learned)
        self.stack.addWidget(self.learned)
        self.types = TypesView(types)
        self.stack.addWidget(self.types)
        self.people = PeopleView(people)
        self.stack.addWidget(self.people)
        self.areas = AreasView(areas)
        self.stack.addWidget(self.areas)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(14)
        layout.addWidget(self.list)
        layout.addWidget(self.stack, 1)

    def render_parts(self, parts: list[PartTable]) -> None:
        """Show the lists."""
        self._parts = parts
        row = max(0, self.list.currentRow())
        self.list.clear()
        self.list.addItems([*(p.name for p in parts), tr("Learned")])
        self.list.setFixedWidth(max(LIST_PX, self.list.sizeHintForColumn(0) + 2 * self.list.frameWidth()))
        self.list.setCurrentRow(row)

    def _show(self, row: int) -> None:
        if row == len(self._parts) and row:
            self.stack.setCurrentIndex(2)
            self.learned.presenter.refresh()
            return
        if not 0 <= row < len(self._parts):
            return
        part = self._parts[row]
        if part.kind == "routines":
            self.stack.setCurrentIndex(0)
            self.routines.presenter.refresh()
            return
        if part.kind == "types":
            self.stack.setCurrentIndex(3)
            self.types.presenter.refresh()
            return
        if part.kind == "people":
            self.stack.setCurrentIndex(4)
            self.people.presenter.refresh()
            return
        if part.kind == "areas" and self.areas.presenter.may_prepare:
            self.stack.setCurrentIndex(5)
            self.areas.presenter.refresh()
            return
        self.stack.setCurrentIndex(1)
        self.bring_register.setVisible(part.kind.startswith(REGISTER))
        self.head.setText(f"{part.name} ({len(part.rows)})")
        self.table.clear()
        self.table.setColumnCount(len(part.heads))
        self.table.setHorizontalHeaderLabels(list(part.heads))
        self.table.setRowCount(len(part.rows))
        for i, values in enumerate(part.rows):
            for j, value in enumerate(values):
                self.table.setItem(i, j, QTableWidgetItem(value))
        self.table.resizeColumnsToContents()
        for j in range(len(part.heads)):
            self.table.setColumnWidth(j, min(420, self.table.columnWidth(j) + 16))
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.resizeRowsToContents()

    def _ask_register(self) -> None:
        self.register_asked.emit(self._parts[self.list.currentRow()].kind.removeprefix(REGISTER))
