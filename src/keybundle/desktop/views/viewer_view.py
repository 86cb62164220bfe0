"""A filed document large: its pages, and at the side, one at a time, its values, its text and its story.

``PagePane`` is the page with a slim bar, as it stands beside lists; ``Viewer`` adds the strip of pages and the side.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QHBoxLayout,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.base.boxes import Box
from keybundle.core.reading.text import Word
from keybundle.core.rights.model import Right
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import hang, make_menu
from keybundle.desktop.actions.registry import find_command
from keybundle.desktop.presenters.asking import Asked
from keybundle.desktop.presenters.cabinet_changes import Standing
from keybundle.desktop.presenters.viewer import ViewerPresenter, ViewerState
from keybundle.desktop.presenters.viewer_values import ValueLine
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import ORIGIN_SIGN, icon, value_font
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.cell_editor import CellDelegate
from keybundle.desktop.views.drafts_sheet import NOTHING
from keybundle.desktop.views.follow_sheet import make_follow_sheet
from keybundle.desktop.views.page_rail import PageRail
from keybundle.desktop.views.page_view import ZOOM_STEP, PageView, words_inside
from keybundle.desktop.views.text_view import TextView
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr

SIDE_PX = 330
SIDES = ("values", "text", "story")


class PagePane(QWidget):
    """One page and a slim bar that says which, and where the words of a search stand."""

    def __init__(self, presenter: ViewerPresenter, empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.page = PageView()
        self.page.empty_text = empty
        self.page.turned_page.connect(presenter.step)
        self.page.sharper_wanted.connect(presenter.sharpen)
        self.told, self.marks = Told(), Told()
        self.told.setProperty("role", "quiet")
        self.marks.setProperty("role", "quiet")
        said, self._commands = QHBoxLayout(), QHBoxLayout()
        said.addWidget(self.told)
        said.addWidget(self.marks)
        said.addStretch(1)
        self._commands.setSpacing(6)
        self.bar = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.bar.setContentsMargins(0, 4, 0, 0)
        self.bar.setSpacing(6)
        self.bar.addLayout(said, 1)
        self.bar.addLayout(self._commands)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.page, 1)
        layout.addLayout(self.bar)
        presenter.page_changed.connect(self.page.render_page)
        presenter.changed.connect(self.render_state)

    def add_command(self, handlers: Handlers, command_id: str, *, text: str = "") -> None:
        """Put a command at the right of the bar, with its key on it."""
        command = find_command(command_id)
        button = Button(f"{text or command.title}   {command.shortcut.replace('Return', 'Enter')}")
        button.setToolTip(command.words)
        button.setProperty("role", "link")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: handlers.trigger(command_id))
        self._commands.addWidget(button)
        is_place = command_id.endswith("next place")
        # What somebody may not is not offered; a role may be given while the window stands.
        offers = lambda state: handlers.may_run(command_id) and (state.has_marks or not is_place)  # noqa: E731
        self.presenter.changed.connect(lambda state: button.setVisible(offers(state)))
        button.setVisible(offers(self.presenter.state))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_bar()

    def _lay_bar(self) -> None:
        """Let the bar stand in two lines where one is too short for it."""
        wanted = self.told.sizeHint().width() + self.marks.sizeHint().width() + self._commands.sizeHint().width()
        fits = wanted + 4 * self.bar.spacing() <= self.width()
        self.bar.setDirection(QBoxLayout.Direction.LeftToRight if fits else QBoxLayout.Direction.TopToBottom)

    def render_state(self, state: ViewerState) -> None:
        """Say which page it is."""
        self.told.setText(
            tr("Page {position} of {pages}", position=state.position + 1, pages=state.pages) if state.pages else ""
        )
        self.marks.setText(f"·  {state.marks}" if state.marks else "")
        self._lay_bar()


class Viewer(QWidget):
    """The whole viewer. ``left`` asks to be closed, ``sending`` to send what is shown."""

    left = Signal()
    sending = Signal(object, bool)
    printing = Signal(object)
    sheet_asked = Signal(object)

    def __init__(self, presenter: ViewerPresenter, may: Callable[[Right], bool], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.handlers = Handlers(may, presenter.failed.emit)
        self.caption, self.place = Elided(), Elided()
        self.caption.setProperty("role", "head")
        self.place.setProperty("role", "quiet")
        self.rail = PageRail(presenter.thumbnail)
        self.rail.page_chosen.connect(presenter.go_to)
        presenter.thumbnail_made.connect(lambda position, _: self.rail.pages.tell_made(position))
        self.gone, self.bring_back = Told(), Button(tr("Bring it back"))
        self.gone.setWordWrap(True)
        self.gone.setProperty("role", "problem")
        self.bring_back.setProperty("role", "main")
        self.bring_back.clicked.connect(presenter.bring_back)
        self.pane = PagePane(presenter, tr("Loading the document..."))
        self.page = self.pane.page
        self.page.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._document = ""
        self._build()
        self._register()
        presenter.changed.connect(self.render_state)
        presenter.page_changed.connect(self._render_text)

    def _build(self) -> None:
        self.values = QTableWidget(0, 3)
        self.values.setTabKeyNavigation(False)
        self.values.horizontalHeader().hide()
        self.values.verticalHeader().hide()
        self.values.setShowGrid(False)
        self.values.setWordWrap(True)
        self.values.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.values.setAccessibleName(tr("Values"))
        self.values.setEditTriggers(QTableWidget.EditTrigger.DoubleClicked | QTableWidget.EditTrigger.EditKeyPressed)
        delegate = CellDelegate(self.values, self._asked, self.presenter.changes.help)
        delegate.begun.connect(self._note_begun)
        self.values.setItemDelegate(delegate)
        self._begun: tuple[str, str, Standing] | None = None
        self.values.itemChanged.connect(self._corrected)
        self._is_filling = False
        self.presenter.changes.follow_asked.connect(
            lambda asked: self.sheet_asked.emit(make_follow_sheet(asked, self.presenter.changes))
        )
        self.values.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.values.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.values.horizontalHeader().setSectionResizeMode(2, QHeaderView.ResizeMode.Fixed)
        self.values.setColumnWidth(2, 34)
        self.text = TextView(may_type=False)
        self.story = QListWidget()
        self.story.setWordWrap(True)
        self.story.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.story.setAccessibleName(tr("Story of the document"))
        self.side = QStackedWidget()
        self.side.setFixedWidth(SIDE_PX)
        self._sides: dict[str, Button] = {}
        heads = QHBoxLayout()
        heads.setSpacing(0)
        for name, widget in zip(SIDES, (self.values, self.text, self.story), strict=True):
            self.side.addWidget(widget)
            command = find_command(f"viewer.{name}")
            button = Button(f"{command.title}   {command.shortcut}")
            button.setProperty("role", "place")
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, n=name: self.show_side(n))
            self._sides[name] = button
            heads.addWidget(button)
        heads.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addLayout(heads)
        right.addWidget(self.side, 1)
        head = QHBoxLayout()
        titles = QVBoxLayout()
        titles.setSpacing(0)
        titles.addWidget(self.caption)
        titles.addWidget(self.place)
        head.addLayout(titles, 1)
        send = Button(tr("Send   Ctrl+E"))
        send.setProperty("role", "main")
        send.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        send.clicked.connect(lambda: self.handlers.trigger("viewer.send"))
        send.setVisible(self.handlers.may_run("viewer.send"))
        head.addWidget(send)
        below = QHBoxLayout()
        below.setSpacing(12)
        below.addWidget(self.rail)
        below.addWidget(self.pane, 1)
        below.addLayout(right)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 10)
        layout.setSpacing(8)
        gone = QHBoxLayout()
        gone.addWidget(self.gone, 1)
        gone.addWidget(self.bring_back)
        layout.addLayout(head)
        layout.addLayout(gone)
        layout.addLayout(below, 1)
        self.show_side("values")

    def _register(self) -> None:
        p, on = self.presenter, self.handlers.on
        on("viewer.next", lambda: p.step(1))
        on("viewer.previous", lambda: p.step(-1))
        on("viewer.first", lambda: p.go_to(0))
        on("viewer.last", lambda: p.go_to(p.state.pages))
        on("viewer.down", lambda: self.page.move_on(1))
        on("viewer.up", lambda: self.page.move_on(-1))
        on("viewer.go to", self._ask_page)
        on("viewer.zoom in", lambda: self.page.zoom(ZOOM_STEP))
        on("viewer.zoom out", lambda: self.page.zoom(1 / ZOOM_STEP))
        on("viewer.fit", lambda: self.page.zoom(0))
        on("viewer.turn", lambda: self.page.turn(1))
        on("viewer.turn back", lambda: self.page.turn(-1))
        on("viewer.next place", lambda: p.next_mark(1))
        on("viewer.previous place", lambda: p.next_mark(-1))
        for name in SIDES:
            on(f"viewer.{name}", functools.partial(self.show_side, name))
        on("viewer.copy text", self._copy_text)
        on("viewer.copy words", self.page.begin_lift)
        self.page.words_taken.connect(self._copy_words)
        self.page.area_framed.connect(self._copy_area)
        on("viewer.send", lambda: self.sending.emit((p.state.document,), False))
        on("viewer.print", lambda: self.printing.emit((p.state.document,)))
        on("viewer.send again", lambda: self.sending.emit((p.state.document,), True))
        on("viewer.own program", p.open_received)
        on("viewer.correct", self._correct)
        on("viewer.keep", p.keep)
        on("viewer.discard", p.let_go)
        on("viewer.undo", p.changes.undo)
        on("viewer.close", self.left.emit)
        given = self.handlers.provide
        given("shown", lambda: bool(p.state.document))
        given("places", lambda: p.state.has_marks)
        given("text", lambda: p.text is not None and bool(p.text.plain))
        given("corrections", lambda: any(v.typed is not None for v in p.state.values))
        given("corrected", lambda: p.changes.can_undo)
        bind_place(self, "viewer", self.handlers)
        hang(make_menu(tr("Viewer"), "viewer", self.handlers, self), self.page, self.values)
        for command_id in ("viewer.next place", "viewer.zoom out", "viewer.zoom in", "viewer.fit", "viewer.turn"):
            self.pane.add_command(self.handlers, command_id)

    def show_side(self, name: str) -> None:
        """Show the values, the text or the story at the side."""
        self.side.setCurrentIndex(SIDES.index(name))
        for other, button in self._sides.items():
            button.setChecked(other == name)

    def _correct(self) -> None:
        """Open the editor of the current value, of the first where none is current."""
        self.show_side("values")
        self.values.setFocus()
        row = max(0, self.values.currentRow())
        item = self.values.item(row, 1)
        if item is not None:
            self.values.setCurrentItem(item)
            self.values.editItem(item)

    def _asked(self, index: QModelIndex | QPersistentModelIndex) -> Asked | None:
        return self.presenter.asked(str(index.sibling(index.row(), 0).data() or ""))

    def _note_begun(self, index: QModelIndex) -> None:
        """Hold fast which value of which document somebody begins to type over, and what stood there then."""
        field = str(index.sibling(index.row(), 0).data() or "")
        standing = self.presenter.standing(field)
        self._begun = (self.presenter.state.document, field, standing) if standing is not None else None

    def _corrected(self, item: QTableWidgetItem) -> None:
        if not self._is_filling and item.column() == 1 and self._begun is not None:
            document, field, standing = self._begun
            self.presenter.correct(document, field, item.text(), standing)

    def _ask_page(self) -> None:
        pages, of = max(1, self.presenter.state.pages), self.presenter.state.caption
        page = tr("Page, 1 to {pages}:", pages=pages)

        def go(said: list[str]) -> None:
            if not said[0].isdecimal() or not 1 <= int(said[0]) <= pages:
                sheet.refuse(tr("“{typed}” is no page of this document; it has {pages}.", typed=said[0], pages=pages))
                return
            self.presenter.go_to(int(said[0]) - 1)
            sheet.end()

        sheet = AskSheet(tr("Go to page"), "", {page: ()}, tr("Go there"), of=of, stays=True)
        sheet.fill(page, str(self.presenter.state.position + 1))
        sheet.answered.connect(go)
        self.sheet_asked.emit(sheet)

    def _copy_text(self) -> None:
        text = self.presenter.text
        if text is not None:
            QGuiApplication.clipboard().setText(text.plain)
            self.presenter.said.emit(tr("The text of the page is copied"))

    def _copy_words(self, words: Sequence[Word]) -> None:
        said = " ".join(w.text for w in words)
        if said:
            QGuiApplication.clipboard().setText(said)
            self.presenter.said.emit(tr("Copied: {said}", said=said))

    def _copy_area(self, box: Box) -> None:
        shown = self.presenter.shown
        self._copy_words(words_inside(shown.words, box) if shown is not None else ())

    def _render_text(self, _: object) -> None:
        if self.presenter.shown is not None:
            self.text.render_text(self.presenter.shown, self.presenter.text)

    def render_state(self, state: ViewerState) -> None:
        """Show a state."""
        self.gone.setText(state.gone)
        self.gone.setVisible(bool(state.gone))
        self.bring_back.setVisible(state.can_bring_back)
        self.page.empty_text = state.gone or tr("Loading the document...")
        self.page.update()
        self.caption.setText(state.caption)
        self.place.setText(state.place + (f"   ·   {', '.join(state.tags)}" if state.tags else ""))
        if state.document != self._document:
            self._document = state.document
            self.rail.pages.render_count(state.pages)
        self.rail.render_pages(state.pages, state.position)
        self.rail.setVisible(state.pages > 1)
        self._render_values(state)
        self.story.clear()
        for line in state.story:
            self.story.addItem(QListWidgetItem(f"{line.when}, {line.who}\n{line.what}"))

    def _render_values(self, state: ViewerState) -> None:
        self._is_filling = True
        rows = [(line, told) for line in state.values for told in (("", line.problem) if line.problem else ("",))]
        self.values.clearSpans()
        self.values.setRowCount(len(rows))
        for i, (line, problem) in enumerate(rows):
            if problem:
                self._render_problem(i, problem)
            else:
                self._render_value(i, line)
        self._is_filling = False
        self.values.resizeRowsToContents()

    def _render_value(self, row: int, line: ValueLine) -> None:
        name = QTableWidgetItem(line.field)
        value = QTableWidgetItem(line.text if line.typed is None else line.typed)
        value.setFont(value_font(14))
        told = "; ".join(x for x in (tr(line.origin), line.told) if x)
        if line.typed is not None:
            value.setForeground(QColor(c.MADDER if line.problem else c.BRASS))
            told = tr("{stands} stands here; what was typed over it is not kept.", stands=line.text or NOTHING)
        value.setToolTip(told)
        sign = QTableWidgetItem(
            icon("seal-check" if line.told else ORIGIN_SIGN.get(line.origin, "file-text"), c.QUIET), ""
        )
        sign.setToolTip(told)
        sign.setData(Qt.ItemDataRole.AccessibleTextRole, told)
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        for item in (name, sign):
            item.setFlags(plain)
        value.setFlags(plain | Qt.ItemFlag.ItemIsEditable if line.can_correct else plain)
        for column, item in enumerate((name, value, sign)):
            self.values.setItem(row, column, item)

    def _render_problem(self, row: int, problem: str) -> None:
        """Say below a value why what was typed there is not kept."""
        for column in range(self.values.columnCount()):
            self.values.takeItem(row, column)
        item = QTableWidgetItem(problem)
        item.setForeground(QColor(c.MADDER))
        item.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self.values.setItem(row, 0, item)
        self.values.setSpan(row, 0, 1, self.values.columnCount())
