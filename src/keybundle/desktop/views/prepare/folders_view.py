"""Folders of a cabinet: the values that they give as one table, and folders made in advance, renamed, merged."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCompleter,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.actions.conditions import CONDITIONS
from keybundle.desktop.presenters.prepare.folders import FoldersPresenter, FoldersState, Joining
from keybundle.desktop.views.calm import Button, Choice, Line, put_back
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.free_line import remember_typed
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr, trn

FOLDER_PX, CHOICE_PX, ROW_PX = 280, 200, 31
FEWEST_ROWS, MOST_ROWS = 2, 7


class FoldersView(QWidget):
    """Shows and changes what the folders of a cabinet give, and the folders themselves."""

    sheet_asked = Signal(object)

    def __init__(self, presenter: FoldersPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._shown: tuple[object, ...] = ()
        self._folders: tuple[object, ...] = ()
        self.cabinet = Choice()
        self.cabinet.setAccessibleName(tr("Cabinet"))
        self.cabinet.activated.connect(lambda i: presenter.choose(str(self.cabinet.itemData(i))))
        self.problem, self.doing = Told(), Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.stop = Button(tr("Stop"))
        self.stop.clicked.connect(presenter.stop)
        self.undo, self.undo_told = Button(tr("Undo")), Elided()
        self.undo.clicked.connect(presenter.undo)
        self.undo_told.setProperty("role", "quiet")
        top = QHBoxLayout()
        top.addWidget(self.cabinet)
        top.addWidget(self.doing)
        top.addWidget(self.stop)
        top.addStretch(1)
        top.addWidget(self.undo_told)
        top.addWidget(self.undo)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(top)
        layout.addWidget(self.problem)
        layout.addWidget(_head(tr("Values that folders give their documents")))
        layout.addLayout(self._make_values())
        layout.addWidget(_head(tr("Folders by hand")))
        layout.addLayout(self._make_folders(), 1)
        presenter.changed.connect(self.render_state)
        presenter.listed.connect(self._show_list)
        presenter.joining_asked.connect(self._ask_joining)

    # -- values -----------------------------------------------------------------------------------------------------------

    def _make_values(self) -> QVBoxLayout:
        self.table = QTableWidget(0, 3)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName(tr("Values that folders give"))
        self.table.setHorizontalHeaderLabels([tr("Folder"), tr("Field"), tr("Value")])
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.setColumnWidth(0, FOLDER_PX)
        self.table.setColumnWidth(1, CHOICE_PX)
        self.table.itemChanged.connect(self._edited)
        self.none_given = Told()
        self.none_given.setProperty("role", "quiet")
        self.none_given.setText(
            tr("No folder gives a value yet. What one gives is proposed for all that comes to lie below it.")
        )
        self.table.verticalHeader().setDefaultSectionSize(ROW_PX)
        self.folder = self._folder_line(tr("Folder; empty: the whole cabinet"))
        self.field, self.value = Choice(), Choice()
        self.field.setAccessibleName(tr("Field that is given"))
        self.field.activated.connect(lambda _: self.presenter.ask_allowed(str(self.field.currentData())))
        self.value.setEditable(True)
        self.value.setAccessibleName(tr("Value that is given"))
        self.give = Button(tr("Give it"))
        self.give.clicked.connect(self._give)
        self.fewer = Button(tr("Give no more"))
        self.fewer.clicked.connect(self._give_no_more)
        self.disagree = Button(tr("Which disagree"))
        self.disagree.clicked.connect(lambda: self.presenter.ask_disagreeing(self._chosen_folder()))
        self.apply = Button(tr("Fill what is empty"))
        self.apply.setToolTip(tr("The documents below that have no such value take it; Undo puts them back"))
        self.apply.clicked.connect(lambda: self.presenter.apply(self._chosen_folder(), over=False))
        self.over = Button(tr("Also in place of others"))
        self.over.clicked.connect(lambda: self.presenter.apply(self._chosen_folder(), over=True))
        row, foot = QHBoxLayout(), QHBoxLayout()
        self.folder.setFixedWidth(FOLDER_PX)
        self.field.setFixedWidth(CHOICE_PX)
        row.addWidget(self.folder)
        row.addWidget(self.field)
        row.addWidget(self.value, 1)
        row.addWidget(self.give)
        for button in (self.disagree, self.apply, self.over, self.fewer):
            foot.addWidget(button)
        foot.addStretch(1)
        column = QVBoxLayout()
        column.addLayout(row)
        column.addWidget(self.table)
        column.addWidget(self.none_given)
        column.addLayout(foot)
        return column

    def _folder_line(self, hint: str) -> Line:
        line = Line()
        line.setPlaceholderText(hint)
        line.setAccessibleName(hint)
        return line

    def _chosen_folder(self) -> str:
        """Return the folder of the marked row, else the one that is typed, else the whole cabinet."""
        row = self.table.currentRow()
        item = self.table.item(row, 0) if row >= 0 else None
        return str(item.data(Qt.ItemDataRole.UserRole)[0]) if item is not None else self.folder.text().strip()

    def _give(self) -> None:
        if self.value.currentText().strip() and self.field.currentData():
            self.presenter.give(self.folder.text().strip(), str(self.field.currentData()), self.value.currentText())

    def _give_no_more(self) -> None:
        item = self.table.item(self.table.currentRow(), 0)
        if item is not None:
            folder, field = item.data(Qt.ItemDataRole.UserRole)
            self.presenter.give(folder, field, "")

    def _edited(self, item: QTableWidgetItem) -> None:
        folder, field = item.data(Qt.ItemDataRole.UserRole)
        self.presenter.give(folder, field, item.text())

    # -- folders ----------------------------------------------------------------------------------------------------------

    def _make_folders(self) -> QVBoxLayout:
        self.new = self._folder_line(tr("A folder to make, its levels apart by slashes, Enter"))
        remember_typed(self.new, self.presenter.lines, "folders")
        self.presenter.not_made.connect(partial(put_back, self.new))
        self.new.returnPressed.connect(self._make)
        self.from_list, self.from_directory = Button(tr("From a list")), Button(tr("From a directory"))
        self.from_list.clicked.connect(self._ask_list)
        self.from_directory.clicked.connect(self._ask_directory)
        self.register_name = Choice()
        self.register_name.setAccessibleName(tr("Register with an entry for each folder"))
        self.from_register = Button(tr("One for each entry"))
        self.from_register.clicked.connect(self._make_from_register)
        self.filter = self._folder_line(tr("Filter the folders"))
        self.filter.textChanged.connect(self.presenter.filter)
        self.has_more = Told()
        self.has_more.setProperty("role", "quiet")
        self.has_more.setText(tr("There are more; filter for them."))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Folders"))
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._marked)
        self.tags, self.tag = self._folder_line(tr("Their tags, told apart by commas")), Button(tr("Tag them"))
        self.tag.clicked.connect(lambda: self.presenter.tag(self._chosen(), self.tags.text()))
        self.area, self.put = Choice(), Button(tr("Put them there"))
        self.area.setAccessibleName(tr("Storage area of the folders"))
        self.put.clicked.connect(lambda: self.presenter.put_area(self._chosen(), str(self.area.currentData() or "")))
        self.name = self._folder_line(tr("Its new name; that of another one makes them one"))
        self.rename, self.let_go = Button(tr("Rename")), Button(tr("Let go"))
        self.rename.clicked.connect(lambda: self.presenter.rename(self._chosen()[0], self.name.text().strip()))
        self.let_go.clicked.connect(lambda: self.presenter.let_go(self._chosen()[0]))
        self.let_go.setToolTip(tr("An empty folder that was made in advance"))
        made, below, left, right = QHBoxLayout(), QHBoxLayout(), QVBoxLayout(), QVBoxLayout()
        made.addWidget(self.new, 1)
        for widget in (self.from_list, self.from_directory, self.register_name, self.from_register):
            made.addWidget(widget)
        left.addWidget(self.filter)
        left.addWidget(self.list, 1)
        left.addWidget(self.has_more)
        for widgets in ((self.name, self.rename, self.let_go), (self.tags, self.tag), (self.area, self.put)):
            row = QHBoxLayout()
            row.addWidget(widgets[0], 1)
            for button in widgets[1:]:
                row.addWidget(button)
            right.addLayout(row)
        right.addStretch(1)
        below.addLayout(left, 1)
        below.addLayout(right, 1)
        column = QVBoxLayout()
        column.addLayout(made)
        column.addLayout(below, 1)
        return column

    def _chosen(self) -> list[str]:
        """Return the folders that are marked."""
        return [str(item.data(Qt.ItemDataRole.UserRole)) for item in self.list.selectedItems()]

    def _marked(self) -> None:
        """Offer for the marked folders what the first of them has."""
        if chosen := self._chosen():
            self.area.setCurrentIndex(max(0, self.area.findData(self.presenter.state.own_areas.get(chosen[0], ""))))
        self.render_state(self.presenter.state)

    def _show_folders(self, state: FoldersState) -> None:
        """Show the folders with their tags; the marked ones stay marked."""
        marked, areas = set(self._chosen()), dict(state.areas)
        with QSignalBlocker(self.list):
            self.list.clear()
            for folder in state.folders:
                own, area = ", ".join(state.tags.get(folder, ())), areas.get(state.own_areas.get(folder, ""), "")
                told = tr("{folder}   [{tags}]", folder=folder, tags=own) if own else folder
                item = QListWidgetItem(tr("{folder}   in {area}", folder=told, area=area) if area else told)
                item.setData(Qt.ItemDataRole.UserRole, folder)
                self.list.addItem(item)
                item.setSelected(folder in marked)

    def _make(self) -> None:
        if self.new.text().strip():
            self.presenter.make(self.new.text())
            self.new.clear()

    def _ask_list(self) -> None:
        sheet = ListOfFolders(" / ".join(self.presenter.state.levels))
        sheet.taken.connect(self.presenter.make)
        self.sheet_asked.emit(sheet)

    def _ask_directory(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Directory whose folders are made here"))
        if chosen:
            self.presenter.make_from_directory(Path(chosen))

    def _make_from_register(self) -> None:
        if self.register_name.currentData():
            self.presenter.make_from_register(str(self.register_name.currentData()))

    # -- showing ----------------------------------------------------------------------------------------------------------

    def render_state(self, state: FoldersState) -> None:
        """Show a state."""
        _fill(self.cabinet, state.cabinets, state.cabinet)
        _fill(self.field, state.fields, str(self.field.currentData() or ""))
        _fill(self.register_name, state.registers, str(self.register_name.currentData() or ""))
        if [self.value.itemText(i) for i in range(self.value.count())] != list(state.allowed):
            self.value.clear()
            self.value.addItems(list(state.allowed))
            self.value.setEditText("")
        shown = (state.cabinet, state.given, state.can_change)
        if shown != self._shown:
            self._shown = shown
            self._fill_table(state)
        _fill(self.area, (("", tr("as the folder above")), *state.areas), str(self.area.currentData() or ""))
        shown_folders = (state.folders, state.tags, state.own_areas, state.areas)
        if shown_folders != self._folders:
            self._folders = shown_folders
            self._show_folders(state)
            completer = QCompleter(list(state.folders), self.folder)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            self.folder.setCompleter(completer)
        self.has_more.setVisible(state.has_more)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)
        has_levels = bool(state.levels)
        for widget in (self.give, self.fewer, self.apply, self.over):
            widget.setEnabled(state.can_change and not state.doing and bool(state.fields))
        self.new.setEnabled(state.can_change and has_levels and not state.doing)
        chosen = len(self.list.selectedItems())
        for button, needed in ((self.rename, 1), (self.let_go, 1), (self.tag, 0), (self.put, 0)):
            is_right = chosen == 1 if needed else chosen > 0
            button.setEnabled(state.can_change and is_right and not state.doing)
        for button in (self.from_list, self.from_directory, self.from_register):
            button.setEnabled(state.can_change and has_levels and not state.doing)

    def _fill_table(self, state: FoldersState) -> None:
        row = self.table.currentRow()
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(state.given))
            for i, given in enumerate(state.given):
                folder = " / ".join(given.path)
                cells = (folder or tr("the whole cabinet"), given.label, given.value)
                for j, text in enumerate(cells):
                    item = QTableWidgetItem(text)
                    item.setData(Qt.ItemDataRole.UserRole, (folder, given.field))
                    item.setFlags(plain | Qt.ItemFlag.ItemIsEditable if j == 2 and state.can_change else plain)
                    self.table.setItem(i, j, item)
            rows = max(FEWEST_ROWS, min(MOST_ROWS, len(state.given)))
            self.table.setFixedHeight(self.table.horizontalHeader().height() + rows * ROW_PX + 4)
            self.none_given.setVisible(not state.given)
            self.table.setCurrentCell(min(row, len(state.given) - 1), 0) if state.given and row >= 0 else None

    def _ask_joining(self, joining: Joining) -> None:
        number = trn("{n:,} document", "{n:,} documents", joining.documents)
        head = tr(
            "{folder} becomes one with {value}, and its {documents} are kept as that is:", folder=joining.folder,
            value=joining.value, documents=number,
        )  # fmt: skip
        sheet = ChooseSheet(tr("Two folders become one"), "\n".join((head, *joining.seen)), of=joining.folder)
        sheet.render_entries([tr("Let them become one"), tr("Leave both as they are")])
        sheet.chosen.connect(lambda row: self.presenter.rename_all(joining.folder, joining.value) if row == 0 else None)
        self.sheet_asked.emit(sheet)

    def _show_list(self, head: str, told: tuple[str, ...]) -> None:
        self.sheet_asked.emit(ListSheet(tr("Folders"), head, told))

    def refresh(self) -> None:
        """Look again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the cabinet the focus."""
        self.cabinet.setFocus()

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
            "prepare.new": self.new.setFocus, "prepare.editor": self.folder.setFocus, "prepare.undo": self.presenter.undo,
            "prepare.remove": self._give_no_more,
        }  # fmt: skip


class ListOfFolders(Sheet):
    """A list to paste: a folder on each line; ``taken`` carries its text."""

    taken = Signal(str)

    def __init__(self, levels: str) -> None:
        super().__init__(
            tr("Folders from a list"),
            tr("One on each line, its levels apart by tabs or slashes: {levels}", levels=levels),
        )
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Folders, one on each line"))
        self.text.setTabChangesFocus(True)
        make = Button(tr("Make them"))
        make.setProperty("role", "main")
        make.clicked.connect(self._take)
        self.body.addWidget(self.text, 1)
        self.body.addWidget(make, alignment=Qt.AlignmentFlag.AlignRight)

    def first(self) -> QWidget:
        return self.text

    def _take(self) -> None:
        self.taken.emit(self.text.toPlainText())
        self.end()


def _head(text: str) -> Told:
    head = Told(text)
    head.setProperty("role", "section")
    return head


def _fill(choice: Choice, entries: tuple[tuple[str, str], ...], chosen: str) -> None:
    if [(choice.itemData(i), choice.itemText(i)) for i in range(choice.count())] != list(entries):
        choice.clear()
        for key, name in entries:
            choice.addItem(name, key)
    choice.setCurrentIndex(max(0, choice.findData(chosen)))
