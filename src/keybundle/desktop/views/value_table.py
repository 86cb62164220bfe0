"""A table of values as somebody works in it: columns chosen, moved and sorted by keys, blocks copied and pasted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QGuiApplication, QResizeEvent
from PySide6.QtWidgets import QLineEdit, QMenu, QStyledItemDelegate, QTableView, QWidget

from keybundle.desktop.actions.binding import bind_commands
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import make_menu
from keybundle.desktop.actions.registry import COMMANDS
from keybundle.desktop.models.table import TableModel
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.texts import join_words
from keybundle.desktop.views.blocks import read_block, write_block
from keybundle.desktop.views.remember import RememberedColumns
from keybundle.desktop.words import tr, trn

LEAST_PX, MOST_PX, PAD_PX, LOOKED_AT = 72, 260, 14, 40
TAKEN = "taken"
ASCENDING, DESCENDING = Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder


class ValueTable(QTableView):
    """``sort_asked`` carries a column (empty: the list's own order) and whether the greatest comes first.

    ``pasted`` carries (id, column, text) of each cell that a pasted block falls on and that can be typed over (none where no
    cell is current); ``refused`` why a command could not be run. Where
    columns stand, which are shown and how wide is remembered for each thing the table shows (``show_columns_of``).
    """

    sort_asked = Signal(str, bool)
    refused = Signal(str)
    pasted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.handlers = Handlers(refuse=self.refused.emit)
        self.make_menu: Callable[[QWidget], QMenu] | None = None  # what else can be done to its rows
        self.load_all: Callable[[Callable[[], None]], None] = lambda then: then()  # before all rows are chosen
        self.setTabKeyNavigation(False)  # Tab goes on to what comes after the table
        self._left: RememberedColumns | None = None
        self._sort = ("", False)
        self._sized: tuple[object, ...] = ()
        self._is_fitted = False
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setWordWrap(False)
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionsClickable(True)
        header.setSectionsMovable(True)
        header.sectionClicked.connect(self._head_clicked)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(lambda at: self._choose_columns(header.mapToGlobal(at)))

    def set_up(
        self, model: TableModel[Any], remembered: Remembered | None, setting: str, *, can_sort: bool = True
    ) -> None:
        """Show a model, with columns remembered under a setting; ``can_sort`` where who shows it answers ``sort_asked``."""
        model.modelAboutToBeReset.connect(self.take_editor)
        self.setModel(model)
        model.dataChanged.connect(lambda *_: self._fit_first())
        model.layoutChanged.connect(self._keep_in_sight)
        if remembered is not None:
            self._left = RememberedColumns(self.horizontalHeader(), remembered, setting)
        on = self.handlers.on
        if can_sort:
            on("table.sort up", lambda: self.sort_by(self._here(), descending=False))
            on("table.sort down", lambda: self.sort_by(self._here(), descending=True))
        on("table.column earlier", lambda: self._move_column(-1))
        on("table.column later", lambda: self._move_column(1))
        on("table.columns", lambda: self._choose_columns(None))
        on("table.copy", self.copy_chosen)
        on("table.paste", self._paste)
        self.handlers.provide("cell", lambda: self.currentIndex().isValid())
        self.handlers.provide("cell to paste at", lambda: self.currentIndex().isValid())
        self.handlers.provide("copied", lambda: bool(QGuiApplication.clipboard().text()))
        bind_commands(self, [c.id for c in COMMANDS if c.place == "table" and c.id in self.handlers.run], self.handlers)

    @property
    def table(self) -> TableModel[Any]:
        """The model that is shown."""
        model = self.model()
        assert isinstance(model, TableModel)
        return model

    # -- columns -------------------------------------------------------------------------------------------------------

    def show_columns_of(self, of: str) -> None:
        """Bring the columns to how they were left for what is shown now; where nobody has, let them fit what is in sight."""
        if self._left is not None:
            self._left.show_of(of)
        shown = (of, self.table.heads)
        if shown != self._sized:
            self._sized, self._is_fitted = shown, False
        self._fit_first()

    @property
    def _is_own(self) -> bool:
        """Whether somebody has set the columns by hand: then they stay."""
        return self._left is not None and self._left.is_own

    def _fit_first(self) -> None:
        """Fit the columns once, as soon as there is a row to fit them to: rows come some time after their ids."""
        is_due = bool(self._sized) and not self._is_fitted and not self._is_own
        if is_due and self.table.rowCount() > 0 and self.table.row_of(0) is not None:
            self._is_fitted = True
            self.fit_columns()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._is_fitted and not self._is_own and event.size().width() != event.oldSize().width():
            self.fit_columns()

    def _keep_in_sight(self) -> None:
        """Follow the current row to its new place."""
        if self.currentIndex().isValid():
            self.scrollTo(self.currentIndex())

    def fit_columns(self) -> None:
        """Let columns be as wide as what they hold, and share the room that is left."""
        header = self.horizontalHeader()
        header.setResizeContentsPrecision(LOOKED_AT)
        columns = [i for i in range(self.table.columnCount()) if not self.isColumnHidden(i)]
        if not columns:
            return
        wanted = {
            i: min(MOST_PX, max(LEAST_PX, self.sizeHintForColumn(i), header.sectionSizeHint(i)) + PAD_PX)
            for i in columns
        }
        spare = max(0, self.viewport().width() - sum(wanted.values())) // len(columns)
        for column, width in wanted.items():
            self.setColumnWidth(column, width + spare)

    def _move_column(self, offset: int) -> None:
        """Put the current column one place earlier or later among those that are shown."""
        header, column = self.horizontalHeader(), self.currentIndex().column()
        if column < 0:
            return
        here = header.visualIndex(column)
        there = here + offset
        while 0 <= there < header.count() and header.isSectionHidden(header.logicalIndex(there)):
            there += offset
        if 0 <= there < header.count():
            header.moveSection(here, there)
            self._columns_changed()
            self.scrollTo(self.currentIndex())

    def _choose_columns(self, at: QPoint | None) -> None:
        """Offer the columns to be shown or not; the first one, which says what a row is, stays."""
        menu = QMenu(tr("Columns"), self)
        for column in range(1, self.table.columnCount()):
            told = str(self.table.head_told(column)).split("\n")[0]
            action = menu.addAction(told)
            action.setCheckable(True)
            action.setChecked(not self.isColumnHidden(column))
            action.toggled.connect(lambda shown, c=column: self._show_column(c, shown=shown))
        menu.addSeparator()
        menu.addAction(tr("All columns, as wide as they need")).triggered.connect(self._show_all)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at or self.mapToGlobal(self.horizontalHeader().geometry().bottomLeft()))
        if menu.actions():
            menu.setActiveAction(menu.actions()[0])

    def _show_column(self, column: int, *, shown: bool) -> None:
        self.setColumnHidden(column, not shown)
        self._columns_changed()

    def _show_all(self) -> None:
        for column in range(self.table.columnCount()):
            self.setColumnHidden(column, False)
        self.fit_columns()
        self._columns_changed()

    def _columns_changed(self) -> None:
        if self._left is not None:
            self._left.keep()

    # -- order ---------------------------------------------------------------------------------------------------------

    def _here(self) -> int:
        return self.currentIndex().column() if self.currentIndex().isValid() else 0

    def _head_clicked(self, column: int) -> None:
        if "table.sort up" in self.handlers.run:
            head, descending = self._sort
            self.sort_by(column, descending=head == self.table.heads[column] and not descending)

    def sort_by(self, column: int, *, descending: bool) -> None:
        """Ask for another order; the same once more asks for the list's own."""
        head = self.table.heads[column] if 0 <= column < len(self.table.heads) else ""
        asked = ("", False) if (head, descending) == self._sort else (head, descending)
        self.sort_asked.emit(*asked)

    def show_sort(self, head: str, *, descending: bool) -> None:
        """Say by a sign over the column what the rows are sorted by."""
        self._sort, header = (head, descending), self.horizontalHeader()
        is_there = head in self.table.heads
        header.setSortIndicatorShown(is_there)
        if is_there:
            header.setSortIndicator(self.table.heads.index(head), DESCENDING if descending else ASCENDING)

    # -- blocks --------------------------------------------------------------------------------------------------------

    def _columns_in_sight(self) -> list[int]:
        header = self.horizontalHeader()
        order = (header.logicalIndex(i) for i in range(header.count()))
        return [column for column in order if not self.isColumnHidden(column)]

    @property
    def _by_rows(self) -> bool:
        return self.selectionBehavior() is QTableView.SelectionBehavior.SelectRows

    def copy_chosen(self) -> None:
        """Copy the chosen cells, as a block that other tables take; of one row that is chosen whole, the current cell."""
        chosen, here = self.selectionModel().selectedIndexes(), self.currentIndex()
        rows = sorted({i.row() for i in chosen})
        if self._by_rows and len(rows) < 2 and here.isValid():
            chosen, rows = [here], [here.row()]
        columns = [c for c in self._columns_in_sight() if any(i.column() == c for i in chosen)]
        picked = {(i.row(), i.column()) for i in chosen}
        block = [
            [
                str(self.table.index(r, c).data(Qt.ItemDataRole.EditRole) or "") if (r, c) in picked else ""
                for c in columns
            ]
            for r in rows
        ]
        if text := write_block(block):
            QGuiApplication.clipboard().setText(text)

    def selectAll(self) -> None:
        """Choose all that there is, also what was not loaded yet."""
        self.load_all(super().selectAll)

    def rows_chosen(self) -> list[int]:
        """Return the rows that are chosen, in their order."""
        ranges = self.selectionModel().selection()
        return sorted({row for r in map(ranges.at, range(ranges.count())) for row in range(r.top(), r.bottom() + 1)})

    def commitData(self, editor: QWidget) -> None:
        if not editor.property(TAKEN):
            super().commitData(editor)

    def closeEditor(self, editor: QWidget, hint: QStyledItemDelegate.EndEditHint) -> None:
        if not editor.property(TAKEN):
            super().closeEditor(editor, hint)

    def rowsAboutToBeRemoved(self, parent: QModelIndex | QPersistentModelIndex, start: int, end: int) -> None:
        self.take_editor()  # what is typed for a row that goes is typed all the same
        super().rowsAboutToBeRemoved(parent, start, end)

    @property
    def is_typed_in(self) -> bool:
        """Whether an editor is open in which something was typed."""
        return any(e.isVisible() and e.isModified() for e in self.viewport().findChildren(QLineEdit))

    def take_editor(self) -> None:
        """Take what stands in an open editor, as Enter in it does."""
        for editor in self.viewport().findChildren(QLineEdit):
            if editor.isVisible():
                if editor.isModified():
                    self.commitData(editor)
                editor.setProperty(TAKEN, True)  # Enter in it may have been heard and not be done yet
                super().closeEditor(editor, QStyledItemDelegate.EndEditHint.NoHint)
                editor.hide()  # it goes a moment later

    def _paste(self) -> None:
        block = read_block(QGuiApplication.clipboard().text())
        if not block:
            return
        if not self.currentIndex().isValid():
            self.pasted.emit([])
            return
        places, size = self._places_under(block), sum(map(len, block))
        total = size if size > 1 else len(places)
        self.table.fetch(dict.fromkeys(key for key, _, _ in places), lambda: self._put_in(places, total))

    def _places_under(self, block: Sequence[Sequence[str]]) -> list[tuple[str, str, str]]:
        """Return (id, column, text) of the cells that a block falls on from the current one.

        A single text falls on all chosen cells; where rows are chosen whole, on the current column of each.
        """
        here, columns = self.currentIndex(), self._columns_in_sight()
        if len(block) == 1 and len(block[0]) == 1:
            chosen = self.selectionModel().selectedIndexes() or [here]
            cells = [(i.row(), here.column() if self._by_rows else i.column(), block[0][0]) for i in chosen]
        else:
            under = columns[columns.index(here.column()) :] if here.column() in columns else []
            cells = [
                (here.row() + i, column, text)
                for i, line in enumerate(block)
                for column, text in zip(under, line, strict=False)
            ]
        found = ((self.table.id_at(row), self.table.heads[column], text) for row, column, text in cells)
        return list(dict.fromkeys((key, head, text.strip()) for key, head, text in found if key is not None))

    def _put_in(self, places: Sequence[tuple[str, str, str]], total: int) -> None:
        """Give on what can be typed over, now that its rows are read; say how many of a block have no such cell."""
        found = [(key, head, text) for key, head, text in places if self.table.can_type(key, head)]
        self.pasted.emit(found)
        if left := total - len(found):
            fixed = len(places) - len(found)
            whys = []
            if outside := left - fixed:
                whys.append(trn("{n:,} falls outside of the table", "{n:,} fall outside of the table", outside))
            if fixed:
                whys.append(
                    trn("{n:,} falls on a cell that takes no text", "{n:,} fall on cells that take no text", fixed)
                )
            told = {"left": f"{left:,}", "total": f"{total:,}", "whys": join_words(whys)}
            self.refused.emit(tr("{left} of {total} did not go in: {whys}.", **told))

    # -- the pointer ---------------------------------------------------------------------------------------------------

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        own = make_menu(tr("Table"), "table", self.handlers, self)
        menu = self.make_menu(self) if self.make_menu is not None else own
        if menu is not own:
            menu.aboutToShow.connect(lambda: menu.addMenu(own))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(event.globalPos())
