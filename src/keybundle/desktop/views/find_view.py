"""The find place: one line, its meaning, the hits, counts, and the open hit's page."""

from __future__ import annotations

import re

from PySide6.QtCore import QItemSelectionModel, QRectF, QSize, QStringListModel, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import (
    QCompleter,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QStackedWidget,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import hang, make_menu
from keybundle.desktop.models.documents import FIXED
from keybundle.desktop.presenters.find import FindPresenter, FindState, HitRow
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font
from keybundle.desktop.views.bar import TimeChart
from keybundle.desktop.views.batch_rows import Index
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.document_table import DocumentTable
from keybundle.desktop.views.drag_out import DragList
from keybundle.desktop.views.find_ways import FindWays
from keybundle.desktop.views.large import Large
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.viewer_view import PagePane
from keybundle.desktop.views.work_view import empty_layout, section
from keybundle.desktop.words import tr

HIT_HEIGHT = 76


FILED_IN = re.compile(r"\bfiled\s*[=<]\s*\d{4}(-\d{2})?(?![-/\d])", re.IGNORECASE)


class HitDelegate(QStyledItemDelegate):
    """Paints a hit: caption, place, and the sentence with the words marked."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(200, HIT_HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        hit: HitRow = index.data(Qt.ItemDataRole.UserRole)
        rect = QRectF(option.rect).adjusted(0, 0, -1, -1)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.fillRect(rect, QColor(c.SLATE_WASH if chosen else c.CARD))
        painter.setPen(QPen(QColor(c.HAIRLINE), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        if chosen:
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), QColor(c.SLATE))
        inner = rect.adjusted(14, 8, -12, -6)
        painter.setFont(interface_font(15, bold=True))
        painter.setPen(QColor(c.INK))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop, hit.caption)
        painter.setFont(interface_font(13))
        painter.setPen(QColor(c.QUIET if hit.is_filed else c.BRASS))
        painter.drawText(inner.adjusted(0, 21, 0, 0), Qt.AlignmentFlag.AlignTop, hit.place)
        x, y = inner.left(), inner.top() + 42
        metrics = painter.fontMetrics()
        for text, marked in hit.snippet:
            width = metrics.horizontalAdvance(text)
            if marked:
                painter.fillRect(QRectF(x - 1, y, width + 2, 19), QColor(c.BRASS_WASH))
            painter.setPen(QColor(c.INK))
            painter.drawText(QRectF(x, y, max(0.0, inner.right() - x), 19), Qt.AlignmentFlag.AlignVCenter, text)
            x += width
            if x > inner.right():
                break
        painter.restore()


class FindView(Place):
    """The find place."""

    batch_opened = Signal(str)
    opened = Signal(str)
    sending = Signal(object, bool)
    printing = Signal(object)
    sheet_asked = Signal(object)

    def __init__(self, presenter: FindPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.handlers = Handlers(presenter.may, presenter.failed.emit)
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Words, Bill number = R-2041, Total > 500, Bill date = 2026-01/2026-03"))
        self.line.setAccessibleName(tr("Search line"))
        self.line.setStyleSheet("font-size: 17px; padding: 8px 10px;")
        self.line.returnPressed.connect(lambda: presenter.search(self.line.text()))
        self._names = QStringListModel(self)
        completer = QCompleter(self._names, self)
        self._complete_names(presenter.field_names())
        presenter.names_changed.connect(self._complete_names)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.line.setCompleter(completer)
        self.said = Told()
        self.told = Told()
        self.told.setProperty("role", "quiet")
        self.hits = DragList()
        self.hits.out.chosen = self._chosen
        self.hits.load_all = presenter.load_all
        self.hits.setItemDelegate(HitDelegate(self.hits))
        self.hits.setAccessibleName(tr("Hits"))
        self.hits.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.hits.itemActivated.connect(self._open)
        self.hits.currentItemChanged.connect(lambda item: self._show(item))
        self._shown: tuple[HitRow, ...] = ()
        self._line, self._as_table = "", False
        self.documents = DocumentTable(presenter, "find", self._chosen, columns="find columns")
        self.documents.sheet_asked.connect(self.sheet_asked)
        self.documents.opened.connect(lambda document, _: self.opened.emit(document) if document else None)
        self.documents.table.selectionModel().currentRowChanged.connect(lambda *_: self._show_current())
        self.middle = QStackedWidget()
        self.middle.addWidget(self.hits)
        self.middle.addWidget(self.documents)
        self.ways = FindWays()
        self.ways.chosen.connect(self._look_for)
        self.middle.addWidget(self.ways)
        self.hits.verticalScrollBar().valueChanged.connect(self._scrolled)
        self.pane = PagePane(presenter.pages, tr("The page of a hit opens here, with the words marked"))
        self.page = self.pane.page
        self.chart = TimeChart()
        self.chart.time_chosen.connect(self._set_time)
        self._build()
        self._register()
        presenter.changed.connect(self.render_state)
        presenter.ways_found.connect(self.ways.render_ways)

    def _complete_names(self, names: list[str]) -> None:
        self._names.setStringList([f"{n} = " for n in names])

    def _build(self) -> None:
        self._counts = QVBoxLayout()
        self._counts.setSpacing(2)
        side = self._side = QWidget()
        side.setFixedWidth(210)
        side_layout = QVBoxLayout(side)
        side_layout.setContentsMargins(0, 0, 0, 0)
        side_layout.addLayout(self._counts)
        self._chart_head = section(tr("When they were filed"))
        side_layout.addWidget(self._chart_head)
        side_layout.addWidget(self.chart)
        side_layout.addStretch(1)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self.middle)
        split.addWidget(self.pane)
        split.setSizes([520, 440])
        self.large = Large(split, [520, 440], [340, 900])
        self.large.remember(self.presenter.remembered, "find splitter")
        split.setChildrenCollapsible(False)
        below = QHBoxLayout()
        below.setSpacing(14)
        below.addWidget(side)
        below.addWidget(split, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(6)
        layout.addWidget(self.line)
        said = QHBoxLayout()
        said.addWidget(self.said, 1)
        said.addWidget(self.told)
        layout.addLayout(said)
        layout.addLayout(below, 1)

    def _register(self) -> None:
        on = self.handlers.on
        on("find.clear", self._clear)
        on("find.open", self._open_current)
        on("find.table", self._toggle_table)
        self.documents.register(self.handlers)
        pages = self.presenter.pages
        on("find.next page", lambda: pages.step(1))
        on("find.previous page", lambda: pages.step(-1))
        on("find.next place", lambda: pages.next_mark(1))
        on("find.previous place", lambda: pages.next_mark(-1))
        on("find.send", self._send)
        on("find.print", lambda: self.printing.emit(self._chosen()))
        on("find.send again", lambda: self._send(again=True))
        on("find.large", lambda: self._side.setHidden(self.large.toggle()))
        given = self.handlers.provide
        given("hit", lambda: self.hits.currentItem() is not None or bool(self._chosen()))
        given("filed hits", lambda: bool(self._chosen()))
        given("shown", lambda: bool(pages.state.document))
        given("places", lambda: pages.state.has_marks)
        bind_place(self, "find", self.handlers, but=("find.open",))
        bind_place(self.hits, "find hits", self.handlers)
        hang(make_menu(tr("Find"), "find", self.handlers, self), self.hits)
        bind_place(self.documents.table, "find hits", self.handlers)
        for command_id in ("find.next place", "find.open", "find.send"):
            self.pane.add_command(self.handlers, command_id, text=tr("Open") if command_id == "find.open" else "")

    def _chosen(self) -> tuple[str, ...]:
        if self.is_table:
            return self.documents.chosen_rows()
        chosen = [i.data(Qt.ItemDataRole.UserRole) for i in self.hits.selectedItems()]
        return tuple(hit.id for hit in chosen if hit.is_filed)

    def _send(self, *, again: bool = False) -> None:
        self.sending.emit(self._chosen(), again)

    @property
    def is_table(self) -> bool:
        """Whether the hits are shown as a table."""
        return self._as_table

    def _toggle_table(self) -> None:
        """Show the filed hits as a table, at the field that was asked for; or as a list again."""
        self._as_table = not self._as_table
        self.middle.setCurrentWidget(self.documents if self.is_table else self.hits)
        if not self.is_table:
            self.hits.setFocus()
            return
        self._render_table(self.presenter.state)
        self.documents.table.setFocus()
        if self.documents.model.rowCount() and not self.documents.table.currentIndex().isValid():
            self.documents.table.setCurrentIndex(
                self.documents.model.index(0, min(FIXED, self.documents.model.columnCount() - 1))
            )

    def _render_table(self, state: FindState) -> None:
        model = self.documents.model
        model.tag_colours = self.presenter.tag_colours
        heads = (tr("Caption"), tr("Type"), tr("Tags"), *self.presenter.field_heads())
        model.render_ids([hit.id for hit in state.hits if hit.is_filed], heads)
        self.documents.render_drafts()

    def _show_current(self) -> None:
        document = self.documents.current()
        if document is not None:
            self.presenter.open(document)

    def _open_current(self) -> None:
        if self.is_table:
            if document := self.documents.current():
                self.opened.emit(document)
        else:
            self._open(self.hits.currentItem())

    def rest(self) -> None:
        """Draft what stands in an open editor."""
        self.flush()

    def flush(self) -> None:
        """Draft what stands in an open editor."""
        self.documents.flush()

    @property
    def undo_told(self) -> str:
        """What was changed last here."""
        return self.presenter.changes.undo_told

    @property
    def can_undo(self) -> bool:
        """Whether something was changed here, or is being changed."""
        return self.presenter.changes.can_undo

    def undo(self) -> None:
        """Put back what was changed last here."""
        self.presenter.changes.undo()

    def _clear(self) -> None:
        self.line.clear()
        self.line.setFocus()
        self.presenter.search("")

    def _look_for(self, line: str) -> None:
        self.line.setText(line)
        self.line.setFocus()
        self.presenter.search(line)

    def _scrolled(self, value: int) -> None:
        """Ask for more hits before the last ones come into sight."""
        bar = self.hits.verticalScrollBar()
        if value + bar.pageStep() >= bar.maximum():
            self.presenter.load_more()

    def _add(self, condition: str) -> None:
        self.line.setText(f"{self.line.text()} {condition}".strip())
        self.presenter.search(self.line.text())

    def _set_time(self, condition: str) -> None:
        """Look in a month or year, in place of the one that was looked in before."""
        self.line.setText(" ".join(FILED_IN.sub("", self.line.text()).split()))
        self._add(condition)

    def _open(self, item: QListWidgetItem | None) -> None:
        hit: HitRow | None = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if hit is not None and hit.is_filed:
            self.opened.emit(hit.id)
        elif hit is not None:
            self.batch_opened.emit(hit.batch)

    def _show(self, item: QListWidgetItem | None) -> None:
        hit: HitRow | None = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if hit is not None and hit.is_filed:
            self.presenter.open(hit.id)

    def _marked(self) -> tuple[str, set[str]]:
        """Return the current hit and those that are chosen."""
        item = self.hits.currentItem()
        chosen = {i.data(Qt.ItemDataRole.UserRole).id for i in self.hits.selectedItems()}
        return (item.data(Qt.ItemDataRole.UserRole).id if item is not None else ""), chosen

    def _mark(self, current: str, chosen: set[str]) -> None:
        """Mark the hits that were marked before they were looked for again; one that is gone leaves nothing chosen."""
        for row in range(self.hits.count()):
            hit: HitRow = self.hits.item(row).data(Qt.ItemDataRole.UserRole)
            if hit.id == current:
                self.hits.setCurrentRow(row, QItemSelectionModel.SelectionFlag.NoUpdate)
            self.hits.item(row).setSelected(hit.id in chosen)

    def _show_ways(self) -> None:
        """Show hits; where there are none, what can be asked."""
        has_hits = bool(self.presenter.state.hits)
        if not has_hits:
            self.presenter.ask_ways()
        wanted = self.ways if not has_hits else self.documents if self.is_table else self.hits
        self.middle.setCurrentWidget(wanted)
        self._chart_head.setVisible(bool(self.presenter.state.bars))

    def focus_first(self) -> None:
        """Let another search be typed."""
        if not self.presenter.state.hits:
            self._show_ways()
        self.line.setFocus()
        self.line.selectAll()

    def render_state(self, state: FindState) -> None:
        """Show a state."""
        is_wanted = self.line.text() == state.line
        if self.is_table:
            self._render_table(state)
        else:
            self.documents.render_drafts()
        shown, self._shown = self._shown, state.hits
        if state.hits == shown and shown:
            self.said.setText(state.said)
            self.told.setText(state.told)
            return
        is_same_line, self._line = state.line == self._line and bool(shown), state.line
        goes_on = bool(shown) and len(state.hits) > len(shown) and state.hits[: len(shown)] == shown
        self.said.setText(state.said)
        self.told.setText(state.told)
        marked, chosen = self._marked() if is_same_line else ("", set[str]())
        if not goes_on:
            self.hits.clear()
        for hit in state.hits[len(shown) if goes_on else 0 :]:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, hit)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{hit.caption}, {hit.place}")
            self.hits.addItem(item)
        if goes_on:
            return
        empty_layout(self._counts)
        for name, pairs in (("type", state.types), ("cabinet", state.cabinets), ("tag", state.tags)):
            if pairs:
                self._counts.addWidget(section(tr(name).capitalize()))
            for value, number in pairs:
                button = Button(f"{value}   {number}")
                button.setProperty("role", "link")
                said = f'{name} = "{value}"' if " " in value else f"{name} = {value}"
                button.clicked.connect(lambda _=False, s=said: self._add(s))
                self._counts.addWidget(button)
        self.chart.render_bars(state.bars)
        self._chart_head.setVisible(bool(state.bars))
        if is_same_line:
            self._mark(marked, chosen)
        elif state.hits:
            self.hits.setCurrentRow(0)
            if state.line and is_wanted and self.line.hasFocus():
                (self.documents.table if self.is_table else self.hits).setFocus()
        else:
            self.page.render_page(None)
        self._show_ways()
