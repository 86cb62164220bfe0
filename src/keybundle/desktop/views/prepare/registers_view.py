"""Registers: a sheet about the register, and its entries as a table that is typed in, pasted into, or filled from a CSV file."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QFormLayout, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.core.setup.model import Register
from keybundle.desktop.models.entries import EntriesModel
from keybundle.desktop.presenters.asking import Asked
from keybundle.desktop.presenters.prepare.registers import CsvLook, RegistersPresenter, RegistersState
from keybundle.desktop.views.calm import Button, Choice, Line, put_back
from keybundle.desktop.views.cell_editor import CellDelegate
from keybundle.desktop.views.free_line import remember_typed
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.value_table import ValueTable
from keybundle.desktop.words import tr

ENTRIES = 1


class RegistersView(PartView):
    """Shows and changes registers and their entries."""

    def __init__(self, presenter: RegistersPresenter) -> None:
        self.registers = presenter
        self.model = EntriesModel(presenter.load)
        self.model.edited.connect(self._edited)
        self._shown: tuple[object, ...] = ()
        super().__init__(
            tr("Registers"), presenter, form_title=tr("The register"), tabs={tr("Its entries"): self._make_entries()},
            empty=tr("A register is a list to choose values from, such as suppliers or boats. "
                     "Type the name of the first one at the left and press Enter."),
        )  # fmt: skip
        presenter.looked_at.connect(self._show_look)
        presenter.refused.connect(self._show_refused)

    def _make_entries(self) -> QWidget:
        self.filter = Line()
        self.filter.setPlaceholderText(tr("Filter the entries"))
        self.filter.setAccessibleName(tr("Filter the entries"))
        self.filter.textChanged.connect(self.registers.filter)
        self.count = Told()
        self.count.setProperty("role", "quiet")
        self.table = ValueTable()
        self.table.set_up(self.model, self.registers.remembered, "register columns")
        self.table.setItemDelegate(CellDelegate(self.table, self._asked, self.registers))
        self.table.sort_asked.connect(lambda column, down: self.registers.sort(column, descending=down))
        self.table.pasted.connect(self._pasted)
        self.table.refused.connect(self.registers.failed)
        # A table without entries takes a block as its first ones.
        here = self.table.currentIndex
        self.table.handlers.provide("cell to paste at", lambda: here().isValid() or not self.model.rowCount())
        self.table.setAccessibleName(tr("Entries"))
        self.table.setAlternatingRowColors(True)
        self.new = Line()
        self.new.setAccessibleName(tr("A new entry"))
        self.new.returnPressed.connect(self._add)
        remember_typed(self.new, self.registers.lines, "entries")
        self.registers.row_not_added.connect(partial(put_back, self.new))
        self.paste, self.bring, self.fewer = (
            Button(tr("Paste rows")),
            Button(tr("Bring in a CSV file")),
            Button(tr("Remove entries")),
        )
        self.paste.clicked.connect(self._paste)
        self.paste.setToolTip(tr("Rows of a table that was copied, columns in this order"))
        self.bring.clicked.connect(self._ask_file)
        self.fewer.clicked.connect(self._remove)
        remove = QShortcut(QKeySequence(QKeySequence.StandardKey.Delete), self.table)
        remove.setContext(Qt.ShortcutContext.WidgetShortcut)
        remove.activated.connect(self._remove)
        top, foot = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.filter, 1)
        top.addWidget(self.count)
        foot.addWidget(self.new, 1)
        self.read = Button(tr("Read it now"))
        self.read.clicked.connect(self.registers.read_now)
        for button in (self.paste, self.bring, self.fewer, self.read):
            foot.addWidget(button)
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setContentsMargins(0, 0, 0, 0)
        self.waiting = QVBoxLayout()
        self.waiting.setSpacing(4)
        self._waiting: tuple[object, ...] = ()
        column.addLayout(top)
        column.addLayout(self.waiting)
        column.addWidget(self.table, 1)
        column.addLayout(foot)
        return sheet

    def render_state(self, state: RegistersState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        shown = (state.chosen, state.keys, state.columns, state.can_change, state.version)
        if shown != self._shown:
            self._shown = shown
            self.model.render_keys(state.keys, state.columns, can_change=state.can_change)
            self.table.show_columns_of(state.chosen)
            self.table.show_sort(state.sort[0], descending=state.sort[1])
        if not self.filter.hasFocus() and self.filter.text() != state.words:
            self.filter.setText(state.words)
        self.count.setText(tr("{shown:,} of {all:,} entries", shown=len(state.keys), all=state.total))
        self.new.setPlaceholderText(tr("A new entry: {columns}, Enter", columns="; ".join(state.columns)))
        self._show_waiting(state)
        is_read = bool(state.values.get("source.url"))
        for widget in (self.new, self.paste, self.bring, self.fewer):
            widget.setEnabled(state.can_change and state.part is not None and not is_read)
        self.read.setVisible(is_read)
        self.model.can_change = state.can_change and not is_read

    def _show_waiting(self, state: RegistersState) -> None:
        """Show the entries that wait for a yes."""
        shown = (state.proposed, state.can_add)
        if shown == self._waiting:
            return
        self._waiting = shown
        while (item := self.waiting.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for proposal, told in state.proposed:
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(Told(told), 1)
            for title, take in ((tr("Take it"), True), (tr("Do not"), False)):
                button = Button(title)
                button.setEnabled(state.can_add)
                button.setAccessibleDescription(told)
                button.clicked.connect(lambda _=False, p=proposal, t=take: self.registers.decide(p, take=t))
                row.addWidget(button)
            self.waiting.addWidget(line)

    def show_part(self, part_id: str, at: str = "") -> None:
        """Show a register; at its entries where these are meant."""
        super().show_part(part_id)
        if at == "entries":
            self.show_tab(ENTRIES)
            self.new.setFocus()

    def _add(self) -> None:
        if text := self.new.text().strip():
            self.new.clear()
            self.registers.add_rows([[cell.strip() for cell in text.split(";")]])

    def _edited(self, key: str, column: str, text: str) -> None:
        """Give what was typed to all chosen entries, where the cell's is one of them; a key is one entry's own."""
        rows = {i.row() for i in self.table.selectionModel().selectedIndexes() if i.column() == self._column(column)}
        chosen = [k for row in rows if (k := self.model.id_at(row)) is not None]
        is_key = isinstance(part := self.registers.state.part, Register) and column == part.key
        meant = chosen if key in chosen and not is_key else [key]
        self.registers.change_entries({k: {column: text} for k in meant})

    def _column(self, name: str) -> int:
        return self.model.heads.index(name) if name in self.model.heads else -1

    def _asked(self, index: QModelIndex | QPersistentModelIndex) -> Asked | None:
        return self.registers.asked(self.model.heads[index.column()])

    def _pasted(self, cells: list[tuple[str, str, str]]) -> None:
        """Type over the cells that a block falls on; a table without entries gets it as its first ones."""
        if not self.model.rowCount() and self.paste.isEnabled():
            self._paste()
            return
        changes: dict[str, dict[str, str]] = {}
        for key, column, text in cells:
            changes.setdefault(key, {})[column] = text
        self.registers.change_entries(changes)

    def _paste(self) -> None:
        text = QGuiApplication.clipboard().text()
        rows = [line.split("\t") for line in text.splitlines() if line.strip()]
        if rows:
            self.registers.add_rows(rows)

    def _remove(self) -> None:
        rows = sorted({index.row() for index in self.table.selectionModel().selectedIndexes()})
        if rows:
            self.registers.remove_entries([key for row in rows if (key := self.model.id_at(row)) is not None])

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Entries of a register"), "", tr("CSV (*.csv *.txt *.tsv);;All files (*)")
        )
        if name:
            self.registers.look_at(Path(name))

    def _show_look(self, look: CsvLook) -> None:
        sheet = MappingSheet(look, self.registers.state.columns)
        sheet.mapped.connect(lambda mapping: self.registers.bring_in(look, mapping))
        self.sheet_asked.emit(sheet)

    def _show_refused(self, told: str) -> None:
        head, *lines = told.split("\n")
        self.sheet_asked.emit(ListSheet(tr("Not taken"), head, tuple(lines)))


class MappingSheet(Sheet):
    """Which column of a CSV file is which column of the register; ``mapped`` carries that."""

    mapped = Signal(object)

    def __init__(self, look: CsvLook, columns: tuple[str, ...]) -> None:
        super().__init__(
            tr("Bring in a CSV file"), tr("Its entries take the place of those that are there."), of=look.path.name
        )
        self.choices: dict[str, Choice] = {}
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        for column in columns:
            choice = self.choices[column] = Choice()
            choice.setAccessibleName(column)
            choice.addItem(tr("stays empty"), "")
            for place, head in enumerate(look.heads):
                like = next((row[place] for row in look.rows if place < len(row) and row[place]), "")
                choice.addItem(tr("{head}, such as {like}", head=head, like=like) if like else head, head)
            choice.setCurrentIndex(max(0, choice.findData(look.guesses.get(column, ""))))
            form.addRow(column, choice)
        self.take = Button(tr("Bring them in"))
        self.take.setProperty("role", "main")
        self.take.clicked.connect(self._take)
        self.body.addLayout(form)
        self.body.addWidget(self.take, alignment=Qt.AlignmentFlag.AlignRight)
        self.body.addStretch(1)

    def first(self) -> QWidget:
        return next(iter(self.choices.values()))

    def _take(self) -> None:
        self.mapped.emit({column: str(choice.currentData() or "") for column, choice in self.choices.items()})
        self.end()
