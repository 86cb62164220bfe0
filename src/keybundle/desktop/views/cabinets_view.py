"""The cabinets place: cabinets, path columns, the documents below, and a page preview."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keybundle.desktop.actions.binding import bind_commands, bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.models.documents import FIXED
from keybundle.desktop.presenters.cabinets import CabinetsPresenter, CabinetsState
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.column_view import ColumnView
from keybundle.desktop.views.document_table import DocumentTable
from keybundle.desktop.views.large import Large
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.remember import remember_splitter
from keybundle.desktop.views.tags_line import TagsLine
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.views.viewer_view import PagePane
from keybundle.desktop.words import tr

SORTED_BY = ("caption", "type", "tag")


class CabinetsView(Place):
    """The cabinets place. Files and scans brought in from here take over the values chosen here."""

    files_dropped = Signal(object, object)
    scan_asked = Signal(object, str)
    opened = Signal(str, int)
    sending = Signal(object, bool)
    printing = Signal(object)
    keeping = Signal(object)
    sheet_asked = Signal(object)
    trash_asked = Signal()
    prepare_asked = Signal(str, str, str)

    def __init__(self, presenter: CabinetsPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.handlers = Handlers(presenter.may, presenter.failed.emit)
        self._columns: dict[str, ColumnView] = {}
        self.cabinets = QListWidget()
        self.cabinets.setAccessibleName(tr("Cabinets"))
        self.cabinets.currentItemChanged.connect(self._cabinet_chosen)
        self.cabinets.setFixedWidth(196)
        self.conditions = Elided()
        self.clear = Button(tr("Clear   Esc"))
        self.clear.clicked.connect(presenter.clear)
        self.keep = Button(tr("Kept to   Ctrl+K"))
        self.keep.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.keep.clicked.connect(lambda: self.handlers.trigger("cabinets.keep to"))
        self.documents = DocumentTable(presenter, "cabinets", lambda: presenter.state.chosen, columns="cabinet columns")
        self.documents.sheet_asked.connect(self.sheet_asked)
        self.documents.opened.connect(self._open_document)
        self.model, self.table, self.drafts_told = (
            self.documents.model,
            self.documents.table,
            self.documents.drafts_told,
        )
        self.table.sort_asked.connect(self._sort)
        self.table.selectionModel().currentRowChanged.connect(self._document_chosen)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._documents_chosen())
        self.model.modelReset.connect(lambda: presenter.choose_documents(()))
        # Not before the views have heard of it: what is shown anew in the midst of a removal confuses them.
        self.model.rowsRemoved.connect(lambda *_: self._documents_chosen(), Qt.ConnectionType.QueuedConnection)
        self.tags_line = TagsLine(presenter, lambda: self.handlers.may_run("cabinets.tags"))
        self.tags = self.tags_line.line
        self.pane = PagePane(presenter.pages, tr("Choose a document to see its pages"))
        self.page = self.pane.page
        presenter.changed.connect(self.render_state)
        self._build()
        self._register()

    def _build(self) -> None:
        self._column_row = QHBoxLayout()
        self._column_row.setSpacing(10)
        bar = QHBoxLayout()
        bar.addWidget(self.conditions, 1)
        bar.addWidget(self.keep)
        bar.addWidget(self.clear)
        lower = QWidget()
        lower_layout = QVBoxLayout(lower)
        lower_layout.setContentsMargins(0, 4, 0, 0)
        lower_layout.addLayout(bar)
        lower_layout.addWidget(self.documents, 1)
        lower_layout.addWidget(self.tags_line)
        upper = QWidget()
        upper.setLayout(self._column_row)
        self._column_row.setContentsMargins(0, 0, 0, 0)
        self._upper = upper
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(upper)
        middle.addWidget(lower)
        middle.setSizes([240, 340])
        middle.setChildrenCollapsible(False)
        outer = QSplitter(Qt.Orientation.Horizontal)
        outer.addWidget(middle)
        outer.addWidget(self.pane)
        outer.setSizes([640, 400])
        outer.setHandleWidth(10)
        self.large = Large(outer, [640, 400], [340, 900])
        self.large.remember(self.presenter.remembered, "cabinets splitter")
        remember_splitter(middle, self.presenter.remembered, "cabinets columns splitter")
        outer.setStyleSheet("QSplitter::handle { background: transparent; }")
        self._left = QWidget()
        left = QVBoxLayout(self._left)
        left.setContentsMargins(0, 0, 0, 0)
        head = Told(tr("Cabinets"))
        head.setProperty("role", "section")
        left.addWidget(head)
        left.addWidget(self.cabinets, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(12)
        layout.addWidget(self._left)
        layout.addWidget(outer, 1)

    def _register(self) -> None:
        p, on = self.presenter, self.handlers.on
        on("cabinets.clear", p.clear)
        on("cabinets.order", p.swap)
        on("cabinets.flat", p.toggle_flat)
        on("cabinets.scan", lambda: self.scan_asked.emit(p.values_at(), p.state.cabinet))
        on("cabinets.filter", self._focus_filter)
        on("cabinets.tags", self.tags.setFocus)
        on("cabinets.next page", lambda: p.pages.step(1))
        on("cabinets.previous page", lambda: p.pages.step(-1))
        on("cabinets.open", lambda: self._open_document(self.documents.current() or ""))
        on("cabinets.send", self._send)
        on("cabinets.print", lambda: self.printing.emit(self.presenter.state.chosen))
        on("cabinets.send again", lambda: self._send(again=True))
        on("cabinets.keep to", self._keep_to)
        on("cabinets.large", self._toggle_large)
        self.documents.register(self.handlers)
        on("cabinets.delete", self._ask_delete)
        on("cabinets.trash", self.trash_asked.emit)
        on("cabinets.prepare", lambda: self.prepare_asked.emit("cabinets", p.state.cabinet, ""))
        given = self.handlers.provide
        given("cabinet", lambda: bool(p.state.cabinet))
        given("choices", lambda: any(col.chosen or col.typed for col in p.state.columns))
        given("documents", lambda: bool(p.state.chosen))
        given("to send", lambda: bool(p.state.chosen or p.pages.state.document))
        given("shown", lambda: bool(p.pages.state.document))
        bind_place(self, "cabinets", self.handlers, but=("cabinets.open", "cabinets.large"))
        bind_commands(self.table, ("cabinets.open", "cabinets.large"), self.handlers)
        self.pane.add_command(self.handlers, "cabinets.large")
        self.pane.add_command(self.handlers, "cabinets.open")
        self.pane.add_command(self.handlers, "cabinets.send")

    def _open_document(self, document_id: str, position: int = 0) -> None:
        if document_id:
            shown = self.presenter.pages.state
            self.opened.emit(document_id, shown.position if shown.document == document_id else position)

    def _keep_to(self) -> None:
        """Ask about what has the focus: the document in the table, else the folder or cabinet that is chosen."""
        chosen = self.presenter.state.chosen
        document = chosen[0] if self.table.hasFocus() and chosen else ""
        self.keeping.emit(self.presenter.spot(document))

    def _send(self, *, again: bool = False) -> None:
        chosen = self.presenter.state.chosen or tuple(filter(None, [self.presenter.pages.state.document]))
        self.sending.emit(chosen, again)

    def _ask_delete(self) -> None:
        chosen = self.presenter.state.chosen
        head = tr("They go to the trash and can be brought back from there; the reason is kept with them.")
        first, more = self.model.caption_of(chosen[0]), len(chosen) - 1
        told = tr("{first} and {n:,} more", first=first, n=more) if more else first
        why = tr("Why")
        sheet = AskSheet(
            tr("Delete"), head, {why: self.presenter.delete_reasons}, tr("Delete"), of=told, free=(why,), stays=True
        )
        sheet.answered.connect(lambda said: self.presenter.changes.delete(chosen, said[0], sheet.done, sheet.refuse))
        self.sheet_asked.emit(sheet)

    def _toggle_large(self) -> None:
        """Give the page nearly all the room, and let it go again; the table keeps the keyboard."""
        is_large = self.large.toggle()
        self._left.setHidden(is_large)
        self._upper.setHidden(is_large or not self._columns)

    def _focus_filter(self) -> None:
        focused = next((v for v in self._columns.values() if v.list.hasFocus()), None)
        target = focused or next(iter(self._columns.values()), None)
        if target is not None:
            target.filter.setFocus()

    def _cabinet_chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(Qt.ItemDataRole.UserRole) != self.presenter.state.cabinet:
            self.presenter.open(item.data(Qt.ItemDataRole.UserRole))

    def _document_chosen(self, current: QModelIndex) -> None:
        document_id = self.model.id_at(current.row())
        if document_id is not None:
            self.presenter.pages.show_document(document_id)

    def _documents_chosen(self) -> None:
        self.presenter.choose_documents(self.documents.chosen_rows())

    def show_document(self, document_id: str) -> None:
        """Show a document's page, wherever it is."""
        self.presenter.pages.show_document(document_id)

    def refresh(self) -> None:
        """Ask for the cabinets again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the cabinets the keyboard."""
        self.cabinets.setFocus()

    def rest(self) -> None:
        """Draft what stands in an open editor."""
        self.flush()

    def flush(self) -> None:
        """Draft what stands in an open editor, and keep the tags that are typed."""
        self.documents.flush()
        self.tags_line.keep()

    @property
    def undo_told(self) -> str:
        """What was changed last here."""
        return self.presenter.undo_told

    @property
    def can_undo(self) -> bool:
        """Whether something was changed here, or is being changed."""
        return self.presenter.changes.can_undo

    def undo(self) -> None:
        """Put back what was changed last here."""
        self.presenter.undo()

    def render_state(self, state: CabinetsState) -> None:
        """Show a state."""
        self.model.tag_colours = self.presenter.tag_colours
        if self.cabinets.count() != len(state.cabinets):
            self.cabinets.clear()
            for _ in state.cabinets:
                self.cabinets.addItem(QListWidgetItem())
        for i, (cabinet, name, told) in enumerate(state.cabinets):
            item = self.cabinets.item(i)
            item.setData(Qt.ItemDataRole.UserRole, cabinet)
            item.setText(f"{name}\n{told}")
            if cabinet == state.cabinet and self.cabinets.currentRow() != i:
                self.cabinets.setCurrentRow(i)
        self._render_columns(state)
        self.conditions.setText(state.conditions)
        narrowed = any(col.chosen or col.typed for col in state.columns)
        self.clear.setEnabled(narrowed)
        self.model.render_ids(state.documents, (tr("Caption"), tr("Type"), tr("Tags"), *state.fields), state.total)
        self.documents.render_drafts()
        self.tags_line.render_state(state)
        self.table.show_columns_of(state.cabinet)
        by, descending = state.sort
        self.table.show_sort(self._sorted_head(by), descending=descending)

    def _sorted_head(self, by: str) -> str:
        code, _, name = by.partition(" ")
        fixed = [head for head, known in zip(self.model.heads, SORTED_BY, strict=False) if known == code]
        return name or next(iter(fixed), "")

    def _sort(self, head: str, descending: bool) -> None:
        place = self.model.heads.index(head) if head else -1
        by = "" if not head else SORTED_BY[place] if place < FIXED else f"field {head}"
        self.presenter.sort(by, descending=descending)

    def _render_columns(self, state: CabinetsState) -> None:
        order = [col.field for col in state.columns]
        self._upper.setVisible(bool(order) and not self.large.is_on)
        if list(self._columns) != order:
            if any(view.isAncestorOf(self.focusWidget() or self) for view in self._columns.values()):
                self.table.setFocus()
            for view in self._columns.values():
                self._column_row.removeWidget(view)
                view.hide()
                view.deleteLater()
            self._columns = {c.field: ColumnView(c.field, c.label, self.presenter) for c in state.columns}
            for view in self._columns.values():
                self._column_row.addWidget(view)
                view.files_dropped.connect(self.files_dropped)
        for column in state.columns:
            self._columns[column.field].render_column(column)
