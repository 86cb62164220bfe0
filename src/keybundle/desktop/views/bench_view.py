"""The bench: page strip above, page and slip below."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.base.boxes import Box
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.presenters.bench_state import BenchState, PageShown
from keybundle.desktop.presenters.drafts import WORDS
from keybundle.desktop.views.bench_commands import bind_pages, register_commands
from keybundle.desktop.views.bench_sheets import BenchSheets
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.contact_sheet import ContactSheet
from keybundle.desktop.views.drops import FileDrop
from keybundle.desktop.views.lifting import Lifting
from keybundle.desktop.views.page_strip import PageStrip
from keybundle.desktop.views.page_view import PageView
from keybundle.desktop.views.page_window import PageWindow
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.remember import remember_splitter, remember_zoom
from keybundle.desktop.views.slip_table_view import SlipTableView
from keybundle.desktop.views.slip_view import SlipView
from keybundle.desktop.views.text_view import TextView
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr, trn

SNIPPET_PX = 26
OFFERED = (("break", "B"), ("join up", "J"), ("leave out", "X"), ("take back", "T"), ("turn right", "R"))


class BenchView(Place):
    """Arranges strip, page and slip of one batch, and ties them to its presenter."""

    left = Signal()
    filed_opened = Signal(str)
    sending = Signal(object, bool)
    printing = Signal(object)
    keeping = Signal(object)
    giving = Signal(str)
    prepare_asked = Signal(str, str, str)
    files_dropped = Signal(object)
    offered = Signal(str, str, object)
    window_made = Signal(object)

    def __init__(self, presenter: BenchPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.handlers = Handlers(presenter.may, presenter.failed.emit)
        self.strip = PageStrip()
        self.page = PageView()
        self.slip = SlipView()
        self.lifting = Lifting(presenter, self.slip, self.page)
        self.title = Elided()
        self.title.setProperty("role", "head")
        self.balance = Told()
        self.balance.setProperty("role", "quiet")
        self.balance.setAccessibleName(tr("Page balance"))
        self.file_all = Button(tr("File all ready"))
        self.file_all.setToolTip("Ctrl+Shift+Enter")
        self.offered_buttons: list[Button] = []
        self.reading = Told()
        self.reading.setProperty("role", "quiet")
        self.reading.setAccessibleName(tr("Reading"))
        self.doing = Elided(shortest_px=80)
        self.doing.setProperty("role", "quiet")
        self.doing.setAccessibleName(tr("Under way"))
        self.stop = Button(tr("Stop   Ctrl+Shift+K"))
        self.stop.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.stop_reading = Button()
        self.stop_reading.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.text_home, self.of_pages = QWidget(), QMenu()
        self.below = QStackedWidget()
        self.sheets = BenchSheets(presenter, self, self.below)
        self.edge = self.sheets.edge
        self.page_window: PageWindow | None = None
        self._build()
        self._connect()
        register_commands(self)
        for home in (self.strip.viewport(), self.page):
            self._take_drops(home)

    def _build(self) -> None:
        back = Button(tr("Work list"))
        back.setProperty("role", "link")
        back.clicked.connect(self.left.emit)
        top = QHBoxLayout()
        top.setContentsMargins(14, 8, 14, 0)
        top.setSpacing(8)
        top.addWidget(back)
        top.addWidget(self.title, 1)
        top.addWidget(self.doing)
        top.addWidget(self.stop)
        top.addWidget(self.reading)
        top.addWidget(self.stop_reading)
        for name, key in OFFERED:
            button = Button(f"{tr(name).capitalize()}  {key}")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _=False, n=name: self.presenter.pages.act(n))
            self.offered_buttons.append(button)
            top.addWidget(button)
        top.addWidget(self.file_all)
        upper = QHBoxLayout()
        upper.setContentsMargins(0, 0, 14, 0)
        upper.addWidget(self.strip, 1)
        upper.addWidget(self.balance)
        self.splitter.addWidget(self.page)
        self.splitter.addWidget(self.slip)
        self.splitter.setStretchFactor(0, 3)
        self.splitter.setStretchFactor(1, 2)
        self.splitter.setChildrenCollapsible(False)
        self.slip.setMinimumWidth(476)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        layout.addLayout(upper)
        self.below.addWidget(self.splitter)
        self.text_home.hide()
        self.splitter.insertWidget(1, self.text_home)
        remember_splitter(self.splitter, self.presenter.remembered, "bench splitter")
        remember_zoom(self.page, self.presenter.remembered, "bench zoom")
        layout.addWidget(self.below, 1)

    def _connect(self) -> None:
        p = self.presenter
        p.changed.connect(self.render_state)
        p.pictures.changed.connect(self._render_page)
        p.focus_requested.connect(self.slip.focus)
        p.completed.connect(self.slip.offer)
        p.conflicts_found.connect(self._show_conflicts)
        p.closed.connect(self.left.emit)
        self._connect_pages(self.strip)
        self.strip.pages_dropped.connect(lambda pages, target, after: p.pages.move(pages, target, after=after))
        self.page.words_taken.connect(self.lifting.take)
        self.page.lift_ended.connect(self.lifting.end)
        self.slip.field_focused.connect(lambda _: self.lifting.forget())
        self.page.turned_page.connect(p.going.step_page)
        self.page.area_framed.connect(self.lifting.take_area)
        self.page.sharper_wanted.connect(p.pictures.sharpen)
        self.slip.field_focused.connect(p.focus_field)
        self.slip.typed.connect(p.typed)
        self.slip.left.connect(p.leave)
        self.slip.field_asked.connect(p.complete)
        self.slip.field_confirmed.connect(p.confirm)
        self.slip.type_chosen.connect(p.choose_type)
        self.slip.type_confirmed.connect(p.confirm_type)
        self.slip.other_type_asked.connect(p.take_other_type)
        self.slip.file_asked.connect(p.filing.file_current)
        self.slip.filed_opened.connect(self.filed_opened)
        self.slip.aside_asked.connect(self.ask_aside)
        self.slip.take_back_asked.connect(p.filing.take_back)
        self.file_all.clicked.connect(p.filing.file_all)
        self.stop_reading.clicked.connect(p.toggle_reading)
        self.stop.clicked.connect(p.doing.stop)

    # -- what is made when it is first looked at ---------------------------------------------------------------------

    @cached_property
    def contact(self) -> ContactSheet:
        """The pages of the batch, all of them small."""
        sheet = ContactSheet()
        self._connect_pages(sheet)
        self._take_drops(sheet.viewport())
        bind_pages(self, sheet)
        self.below.addWidget(sheet)
        sheet.render_state(self.presenter.state)
        return sheet

    @cached_property
    def table(self) -> SlipTableView:
        """The slips of the batch, as a table."""
        table = SlipTableView(self.presenter)
        table.changed.connect(self.presenter.slips.set_many)
        table.document_chosen.connect(self.presenter.going.go_to_document)
        bind_place(table, "bench table", self.handlers)
        self.below.addWidget(table)
        return table

    @cached_property
    def text(self) -> TextView:
        """The text of the page in front."""
        text = TextView()
        text.typed.connect(lambda page, typed: self.presenter.typed(page, WORDS, typed))
        text.done.connect(lambda page: self.presenter.leave(page, WORDS))
        layout = QVBoxLayout(self.text_home)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(text)
        return text

    def _connect_pages(self, pages: PageStrip | ContactSheet) -> None:
        pages.page_clicked.connect(self.presenter.go_to_page)
        pages.page_selected.connect(lambda page, reach: self.presenter.select(page, reach=reach))

    def _take_drops(self, home: QWidget) -> None:
        FileDrop(home, lambda files, event: self.files_dropped.emit(files))

    def _shows(self, name: str) -> bool:
        """Whether something takes the place of page and slip."""
        return name in vars(self) and self.below.currentWidget() is getattr(self, name)

    def refresh(self) -> None:
        """Ask for the batch again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the strip the keyboard."""
        self.strip.setFocus()

    @property
    def undo_told(self) -> str:
        """The last step of the batch."""
        return self.presenter.state.undo

    @property
    def can_undo(self) -> bool:
        """Whether the batch has a step that can be taken back, as far as is known here."""
        return not self.presenter.is_settled or bool(self.presenter.state.undo)

    @property
    def can_redo(self) -> bool:
        """Whether a step was taken back, as far as is known here."""
        return not self.presenter.is_settled or bool(self.presenter.state.redo)

    def undo(self) -> None:
        """Take back the last step of the batch."""
        self.presenter.undo()

    def redo(self) -> None:
        """Do the step again that was taken back."""
        self.presenter.redo()

    def flush(self) -> None:
        """Keep all that is being typed."""
        self.presenter.flush()

    def rest(self) -> None:
        """Keep what is typed and let go of the pictures: another place is in front; they come back with the next look."""
        self.presenter.flush()
        self.presenter.pictures.end()
        self.page.render_page(None)

    def render_state(self, state: BenchState) -> None:
        """Show a state."""
        self.title.setText(state.title)
        self.balance.setText(state.balance)
        self.balance.setToolTip(state.balance_told)
        self.file_all.setText(state.file_all)
        self.file_all.setEnabled(state.can_file_all)
        for button in self.offered_buttons:
            button.setEnabled(state.may_work)
        self.stop_reading.setEnabled(state.may_work)
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))
        self.reading.setText(state.reading if not state.doing else "")
        self.stop_reading.setText(tr("{stop_reading}  Ctrl+R", stop_reading=state.stop_reading))
        self.stop_reading.setVisible(bool(state.stop_reading) and not state.doing)
        self.strip.render_state(state)
        if "contact" in vars(self):
            self.contact.render_state(state)
        if self._shows("table"):
            self.table.render_table(state.table)
        self.slip.render_slip(state.slip, self._snippet)

    def step_down(self, offset: int) -> None:
        """Go a row down on the contact sheet, a document on in the strip."""
        if self._shows("contact"):
            self.presenter.going.step_page(offset * self.contact.columns)
        else:
            self.presenter.going.step_document(offset)

    def toggle_contact(self) -> None:
        """Show all pages small in place of page and slip, or these again."""
        self.toggle_below(self.contact, self.contact)

    def toggle_below(self, widget: QWidget, focus: QWidget) -> None:
        """Show something in the place of page and slip, or these again."""
        shows = self.below.currentWidget() is not widget
        self.below.setCurrentWidget(widget if shows else self.splitter)
        self.presenter.show_table(self._shows("table"))
        (focus if shows else self.strip).setFocus()

    def toggle_text(self) -> None:
        """Show the text of the page beside it, or no longer."""
        line = self.text.line
        self.text_home.setVisible(not self.text_home.isVisible())
        self._render_text()
        (line if self.text_home.isVisible() else self.strip).setFocus()

    def _render_text(self) -> None:
        shown = self.presenter.pictures.shown
        if self.text_home.isVisible() and shown is not None:
            self.text.render_text(shown, self.presenter.pictures.text)

    def toggle_page_window(self) -> None:
        """Show the page in a window of its own too, for a second screen; both follow the work."""
        if self.page_window is None:
            self.page_window = PageWindow(self.presenter, self.handlers, self)
            self.page_window.setWindowTitle(tr("Page: {title}", title=self.title.text()))
            self.page_window.words_taken.connect(self.lifting.take)
            self.page_window.area_framed.connect(self.lifting.take_area)
            self.window_made.emit(self.page_window)
        self.page_window.render_page(self.presenter.pictures.shown)
        self.page_window.setVisible(not self.page_window.isVisible())

    def _show_conflicts(self, conflicts: tuple[str, ...]) -> None:
        if conflicts:
            at = trn("{n:,} side", "{n:,} sides", len(conflicts))
            said = tr("Separated again; what people did stays, and the rules differ at {sides}", sides=at)
            self.offered.emit(said, tr("See where"), lambda: self.sheets.conflicts(conflicts))

    def _snippet(self, page: str, box: Box) -> QPixmap:
        shown = self.presenter.pictures.shown
        return self.page.snippet(box, SNIPPET_PX) if shown is not None and shown.page == page else QPixmap()

    def _render_page(self, shown: PageShown) -> None:
        self.page.render_page(shown)
        self._render_text()
        self.slip.render_slip(self.presenter.state.slip, self._snippet)

    def ask_aside(self) -> None:
        """Ask why the document is set aside; one that is comes back."""
        slip = self.presenter.state.slip
        if slip is None:
            return
        if slip.parked:
            self.presenter.set_aside(slip.document, "")
            return
        self.sheets.ask_aside(slip.document)
