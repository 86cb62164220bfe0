"""Filed documents as a table that is corrected in place: what is typed is drafted for all that are chosen, and kept together."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QTableView, QVBoxLayout, QWidget

from keybundle.core.repository.model import FiledDocument
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import make_menu
from keybundle.desktop.actions.registry import PLACES
from keybundle.desktop.models.documents import DocumentsModel
from keybundle.desktop.presenters.asking import Asked
from keybundle.desktop.presenters.cabinet_changes import CabinetChanges, Standing
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.cell_editor import CellDelegate
from keybundle.desktop.views.drafts_sheet import DraftsSheet
from keybundle.desktop.views.drag_out import DragTable
from keybundle.desktop.views.follow_sheet import make_follow_sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

ROW_PX, DRAFT_ROW_PX = 28, 46

# A cell that somebody types over (its document and column), the documents that are meant, and what stood in them then.
Begun = tuple[tuple[str, str], tuple[str, ...], Mapping[str, Standing]]
NOT_BEGUN: Begun = (("", ""), (), {})


class Shown(Protocol):
    """Whose documents are shown."""

    changes: CabinetChanges

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how the place was left."""

    def load_rows(self, ids: list[str], came: Callable[[Mapping[str, FiledDocument]], None]) -> None:
        """Read documents for the table."""

    def load_more(self) -> None:
        """Ask for the documents that follow."""

    def load_all(self, then: Callable[[], None]) -> None:
        """Have all documents of the list, and go on."""

    def editable(self) -> Mapping[str, frozenset[str]]:
        """Return the fields that can be corrected, by the name of their type."""


class DocumentTable(QWidget):
    """The table with the line of what is typed and not kept above it. ``chosen`` says which documents a place acts on."""

    sheet_asked = Signal(object)
    opened = Signal(str, int)

    def __init__(self, presenter: Shown, name: str, chosen: Callable[[], tuple[str, ...]], *, columns: str) -> None:
        super().__init__()
        self._p, self._chosen, self._name = presenter, chosen, name
        changes = presenter.changes
        self.model = DocumentsModel(presenter.load_rows, presenter.load_more, self)
        self.table = DragTable()
        self.table.out.chosen = chosen
        self.table.set_up(self.model, presenter.remembered, columns)
        self.table.pasted.connect(self._pasted)
        self.table.refused.connect(changes.failed)
        self.table.setAccessibleName(tr("Documents"))
        self.table.load_all = presenter.load_all
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.table.verticalHeader().setDefaultSectionSize(ROW_PX)
        self.table.setAlternatingRowColors(True)
        self.table.setEditTriggers(QTableView.EditTrigger.EditKeyPressed)
        delegate = CellDelegate(self.table, self._asked, changes.help)
        delegate.begun.connect(self._note_begun)
        self.table.setItemDelegate(delegate)
        self.table.doubleClicked.connect(lambda index: self.opened.emit(self.model.id_at(index.row()) or "", 0))
        self._begun: Begun = NOT_BEGUN
        self.model.edited.connect(self._edited)
        self.drafts_told = Told()
        self.drafts_told.setStyleSheet(f"color: {c.BRASS}; font-weight: 600;")
        self.keep_drafts, self.drop_drafts = Button(tr("Keep   Ctrl+S")), Button(tr("Let go   Ctrl+Shift+U"))
        self.list_drafts = Button(tr("List   Ctrl+U"))
        self.keep_drafts.setProperty("role", "main")
        self.keep_drafts.clicked.connect(self._keep)
        self.drop_drafts.clicked.connect(lambda: changes.discard())
        self.list_drafts.clicked.connect(self._list_drafts)
        changes.follow_asked.connect(lambda asked: self.sheet_asked.emit(make_follow_sheet(asked, changes)))
        drafts = QHBoxLayout()
        drafts.addWidget(self.drafts_told, 1)
        for button in (self.list_drafts, self.drop_drafts, self.keep_drafts):
            drafts.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(drafts)
        layout.addWidget(self.table, 1)

    def register(self, handlers: Handlers) -> None:
        """Let the commands of a place on corrections run here."""
        on, changes = handlers.on, self._p.changes
        self.table.make_menu = lambda parent: make_menu(tr(PLACES[self._name]), self._name, handlers, parent)
        on(f"{self._name}.correct", self._correct)
        on(f"{self._name}.keep", self._keep)
        on(f"{self._name}.discard", lambda: changes.discard())
        on(f"{self._name}.not kept", self._list_drafts)
        handlers.provide("row", lambda: self.table.currentIndex().isValid())
        handlers.provide("corrections", lambda: bool(changes.told) or self.table.is_typed_in)

    def current(self) -> str | None:
        """Return the current document."""
        return self.model.id_at(self.table.currentIndex().row())

    def chosen_rows(self) -> tuple[str, ...]:
        """Return the documents whose rows are chosen."""
        rows = map(self.model.id_at, self.table.rows_chosen())
        return tuple(i for i in rows if i is not None)

    def flush(self) -> None:
        """Draft what stands in an open editor."""
        self.table.take_editor()

    def _correct(self) -> None:
        """Open the editor of the current cell, of the first one that can be corrected where it cannot."""
        index = self.table.currentIndex()
        columns = (index.column(), *range(self.model.columnCount()))
        found = next(
            (i for c_ in columns if (i := index.siblingAtColumn(c_)).flags() & Qt.ItemFlag.ItemIsEditable), None
        )
        if found is None:
            self._p.changes.said.emit(tr("Choose a document in the table to correct its values."))
            return
        # What is chosen stays chosen: all of it is meant.
        self.table.selectionModel().setCurrentIndex(found, QItemSelectionModel.SelectionFlag.NoUpdate)
        self.table.edit(found)

    def _keep(self) -> None:
        """Keep what is typed: what stands in an open editor too."""
        self.table.take_editor()
        self._p.changes.keep()

    def _list_drafts(self) -> None:
        sheet = DraftsSheet(self._p.changes)
        sheet.opened.connect(lambda document: self.opened.emit(document, 0))
        self.sheet_asked.emit(sheet)

    def _asked(self, index: QModelIndex | QPersistentModelIndex) -> Asked | None:
        kind, head = self.model.place_of(index)
        return self._p.changes.asked(kind, head)

    def _edited(self, document: str, head: str, text: str) -> None:
        """Draft what was typed, for all chosen documents where the cell's is one of them."""
        key, meant, seen = self._begun
        if key != (document, head):
            meant, seen = self._meant(document), {}

        def draft() -> None:
            now = self.model.values_of(meant, head)
            self._p.changes.edit({**now, **seen}, head, text)  # also where the row is just going

        self._begun = NOT_BEGUN
        self.model.fetch(meant, draft)

    def _meant(self, document: str) -> tuple[str, ...]:
        chosen = self._chosen()
        return chosen if document in chosen else (document,)

    def _note_begun(self, index: QModelIndex) -> None:
        """Hold fast whose values somebody begins to type over, and what stood there then."""
        document, head = self.model.id_at(index.row()), self.model.heads[index.column()]
        if document is not None:
            meant = self._meant(document)
            self._begun = (document, head), meant, self.model.values_of(meant, head)

    def _pasted(self, cells: list[tuple[str, str, str]]) -> None:
        """Draft what was pasted, each value for its own document."""
        changes = self._p.changes
        wanted = list(dict.fromkeys(document for document, _, _ in cells))

        def draft() -> None:
            standing = {
                head: self.model.values_of(wanted, head) for head in dict.fromkeys(head for _, head, _ in cells)
            }
            there = [(d, head, text) for d, head, text in cells if d in standing[head]]
            changes.edit_many([({d: standing[head][d]}, head, text) for d, head, text in there])

        if cells:
            self.model.fetch(wanted, draft)

    def render_drafts(self) -> None:
        """Show what is typed and not kept."""
        changes = self._p.changes
        for part in (self.drafts_told, self.list_drafts, self.keep_drafts, self.drop_drafts):
            part.setVisible(bool(changes.told))
        self.drafts_told.setText(changes.told)
        drafts = changes.drafts
        for row in self.model.render_drafts(drafts, self._p.editable(), changes.problems):
            self.table.setRowHeight(row, DRAFT_ROW_PX if self.model.id_at(row) in drafts else ROW_PX)
