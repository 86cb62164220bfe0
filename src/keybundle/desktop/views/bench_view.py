"""The bench: page strip above, page and slip below."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

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
from keybundle.core.rights.model import Right
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import make_menu
from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.presenters.bench_state import BenchState, PageShown, SlipRow
from keybundle.desktop.presenters.drafts import WORDS
from keybundle.desktop.views.bench_sheets import BenchSheets
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.contact_sheet import ContactSheet
from keybundle.desktop.views.drops import FileDrop
from keybundle.desktop.views.page_strip import PageStrip
from keybundle.desktop.views.page_view import ZOOM_STEP, PageView, words_inside
from keybundle.desktop.views.page_window import PageWindow
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.remember import remember_splitter, remember_zoom
from keybundle.desktop.views.slip_table_view import SlipTableView
from keybundle.desktop.views.slip_view import SlipView
from keybundle.desktop.views.text_view import TextView
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr, trn

SNIPPET_PX = 26
PAGE_ACTIONS = (
    "break", "join up", "leave out", "take back", "turn right", "turn left", "move earlier", "move later",
    "to document before", "to document after", "split each", "join documents", "reverse", "interleave",
    "shift breaks later", "shift breaks earlier",
)  # fmt: skip
OFFERED = (("break", "B"), ("join up", "J"), ("leave out", "X"), ("take back", "T"), ("turn right", "R"))


class BenchView(Place):
    """Arranges strip, page and slip of one batch, and ties them to its presenter."""

    left = Signal()
    filed_opened = Signal(str)
    sending = Signal(object, bool)
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
        self._lift_at: tuple[str, str] | None = None
        self.strip = PageStrip()
        self.page = PageView()
        self.slip = SlipView()
        self.title = Elided()
        self.title.setProperty("role", "head")
        self.balance = Told()
        self.balance.setProperty("role", "quiet")
        self.balance.setAccessibleName(tr("Page balance"))
        self.file_all = Button(tr("File all ready"))
        self.file_all.setToolTip("Ctrl+Shift+Enter")
        self.offered_buttons: list[Button] = []
        self.more = Button(tr("More"))
        self.more.setAccessibleName(tr("All commands of the bench"))
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
        self.contact = ContactSheet()
        self.table = SlipTableView(presenter)
        self.text = TextView()
        self.below = QStackedWidget()
        self.sheets = BenchSheets(presenter, self, self.below)
        self.edge = self.sheets.edge
        self.page_window: PageWindow | None = None
        self._build()
        self._connect()
        self._register()
        for home in (self.strip.viewport(), self.contact.viewport(), self.page):
            FileDrop(home, lambda files, event: self.files_dropped.emit(files))

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
        top.addWidget(self.more)
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
        self.below.addWidget(self.contact)
        self.below.addWidget(self.table)
        self.text.hide()
        self.splitter.insertWidget(1, self.text)
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
        for pages in (self.strip, self.contact):
            pages.page_clicked.connect(p.go_to_page)
            pages.page_selected.connect(lambda page, reach: p.select(page, reach=reach))
        self.strip.pages_dropped.connect(lambda pages, target, after: p.pages.move(pages, target, after=after))
        self.page.words_taken.connect(self._lifted)
        self.page.lift_ended.connect(self._end_lift)
        self.slip.field_focused.connect(lambda _: self._forget_lift())
        self.page.turned_page.connect(p.going.step_page)
        self.page.area_framed.connect(self._framed)
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
        self.table.changed.connect(p.slips.set_many)
        self.table.document_chosen.connect(p.going.go_to_document)
        self.text.typed.connect(lambda page, text: p.typed(page, WORDS, text))
        self.text.done.connect(lambda page: p.leave(page, WORDS))
        self.slip.aside_asked.connect(self._ask_aside)
        self.slip.take_back_asked.connect(p.filing.take_back)
        self.file_all.clicked.connect(p.filing.file_all)
        self.stop_reading.clicked.connect(p.toggle_reading)
        self.stop.clicked.connect(p.doing.stop)

    def _register(self) -> None:
        p, on = self.presenter, self.handlers.on
        on("strip.next", lambda: p.going.step_page(1))
        on("strip.previous", lambda: p.going.step_page(-1))
        on("strip.next document", lambda: self._step_down(1))
        on("strip.previous document", lambda: self._step_down(-1))
        on("strip.reach next", lambda: p.going.select_step(1))
        on("strip.reach previous", lambda: p.going.select_step(-1))
        on("strip.select document", p.going.select_document)
        on("strip.cut", p.pages.cut)
        on("strip.paste", p.pages.paste)
        on("strip.paste after", lambda: p.pages.paste(after=True))
        on("strip.contact sheet", self._toggle_contact)
        on("strip.slip", self._go_to_slip)
        for name in PAGE_ACTIONS:
            on(f"strip.{name}", lambda n=name: p.pages.act(n))  # type: ignore[misc]
        on("bench.file", p.filing.file_current)
        on("bench.file all", p.filing.file_all)
        on("bench.set aside", self._ask_aside)
        on("bench.take back", lambda: self._at_document(p.filing.take_back))
        on("bench.stop reading", p.toggle_reading)
        on("bench.separate again", p.pages.separate_again)
        on("bench.scan again", lambda: p.pages.scan_in(replaces=True))
        on("bench.scan in", lambda: p.pages.scan_in(replaces=False))
        on("bench.stop", p.doing.stop)
        on("bench.second window", self._toggle_page_window)
        on("bench.close", p.close_batch)
        on("bench.send", self._send)
        on("bench.keep to", self._keep_to)
        on("bench.prepare", self._prepare)
        on("bench.give", lambda: self.giving.emit(p.batch_id))
        self.slip.keep_asked.connect(lambda: self.handlers.trigger("bench.keep to"))
        on("bench.next document", lambda: p.going.step_document(1))
        on("bench.previous document", lambda: p.going.step_document(-1))
        on("bench.lift", self._begin_lift)
        on("bench.other type", p.take_other_type)
        on("bench.zoom in", lambda: self.page.zoom(ZOOM_STEP))
        on("bench.zoom out", lambda: self.page.zoom(1 / ZOOM_STEP))
        on("bench.zoom fit", lambda: self.page.zoom(0))
        on("slip.strip", self.strip.setFocus)
        on("slip.empty", self._empty_field)
        for number in range(1, 6):
            on(f"slip.pick {number}", lambda n=number: self._at_field(lambda d, f: self._pick(d, f, n)))  # type: ignore[misc]
        on("slip.today", lambda: self._at_field(p.slips.today))
        on("slip.before", lambda: self._at_document(p.slips.take_from_before))
        on("bench.changes", p.slips.list_changes)
        on("slip.clear assumed", lambda: self._at_document(p.slips.clear_assumed))
        on("slip.empty all", lambda: self._at_document(p.slips.empty))
        on("slip.register", lambda: self._at_field(self.sheets.register))
        on("slip.tags", self.slip.tags.setFocus)
        on("bench.starters", self.sheets.starters)
        on("bench.folder", self.sheets.folders)
        on("bench.table", lambda: self._toggle_below(self.table, self.table.grid))
        on("bench.text", self._toggle_text)
        on("bench.poor pages", self.sheets.poor_pages)
        on("bench.aside list", self.sheets.parked)
        on("bench.not taken", self.presenter.pages.list_not_taken)
        on("bench.own program", self.presenter.pages.open_received)
        on("bench.language", self.sheets.language)
        on("table.fill down", self.table.fill_down)
        self._provide()
        self._make_menus()
        bind_place(self.table, "bench table", self.handlers)
        bind_place(self, "bench", self.handlers)
        bind_place(self.strip, "bench strip", self.handlers)
        bind_place(self.contact, "bench strip", self.handlers)
        bind_place(self.slip, "bench slip", self.handlers, but=("slip.confirm",))

    def _provide(self) -> None:
        """Say what commands need; what the store may know better by now counts as given while a change is under way."""
        p, given = self.presenter, self.handlers.provide
        state = lambda: p.state  # noqa: E731
        slip = lambda: p.state.slip  # noqa: E731

        def once_settled(condition: str, holds: Callable[[], bool], **more: Any) -> None:
            given(condition, lambda: not p.is_settled or holds(), **more)

        def row() -> SlipRow | None:
            return p.row_named(self.slip.focused_field())

        given("page", lambda: state().page is not None)
        given("pages in hand", p.pages.has_in_hand)
        given("scanner", lambda: p.pages.scanner() is not None)
        given("document", lambda: slip() is not None)
        given("field", lambda: self.slip.focused_field() is not None)
        given("date field", lambda: (found := row()) is not None and found.is_date)
        given("register field", lambda: (found := row()) is not None and found.has_register)
        given("readings", lambda: (found := row()) is not None and bool(found.alternatives))
        given("cell", lambda: self.table.grid.currentIndex().isValid())
        given("under way", lambda: bool(state().doing))
        once_settled("unfiled", lambda: (s := slip()) is None or not s.is_locked)
        once_settled("filed", lambda: (s := slip()) is not None and s.is_filed)
        once_settled("ready", lambda: (s := slip()) is not None and s.can_file,
                     why=lambda: s.why_not if (s := slip()) is not None else "", otherwise=p.going.go_to_unsure)  # fmt: skip
        once_settled("some ready", lambda: state().can_file_all)
        once_settled("type rival", lambda: (s := slip()) is not None and bool(s.type_rival))
        once_settled("reading", lambda: bool(state().stop_reading))

    def _make_menus(self) -> None:
        """Let every command stand in a menu too: all behind one button, those of what is under it by a right-click."""
        of_pages = make_menu(tr("Pages"), "bench strip", self.handlers, self)
        of_slip = make_menu(tr("Slip"), "bench slip", self.handlers, self)
        of_batch = make_menu(tr("Batch"), "bench", self.handlers, self)
        whole = QMenu(self)
        for menu in (of_pages, of_slip, of_batch):
            whole.addMenu(menu)
        self.more.setMenu(whole)
        for home, menu in (
            (self.strip, of_pages),
            (self.contact, of_pages),
            (self.slip, of_slip),
            (self.page, of_batch),
        ):
            home.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            home.customContextMenuRequested.connect(lambda point, h=home, m=menu: m.popup(h.mapToGlobal(point)))

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
        self.contact.render_state(state)
        if self.below.currentWidget() is self.table:
            self.table.render_table(state.table)
        self.slip.render_slip(state.slip, self._snippet)

    def _step_down(self, offset: int) -> None:
        """Go a row down on the contact sheet, a document on in the strip."""
        if self.below.currentWidget() is self.contact:
            self.presenter.going.step_page(offset * self.contact.columns)
        else:
            self.presenter.going.step_document(offset)

    def _toggle_contact(self) -> None:
        self._toggle_below(self.contact, self.contact)

    def _toggle_below(self, widget: QWidget, focus: QWidget) -> None:
        """Show something in the place of page and slip, or these again."""
        shows = self.below.currentWidget() is not widget
        self.below.setCurrentWidget(widget if shows else self.splitter)
        self.presenter.show_table(self.below.currentWidget() is self.table)
        (focus if shows else self.strip).setFocus()

    def _toggle_text(self) -> None:
        self.text.setVisible(not self.text.isVisible())
        self._render_text()
        (self.text.line if self.text.isVisible() else self.strip).setFocus()

    def _render_text(self) -> None:
        shown = self.presenter.pictures.shown
        if self.text.isVisible() and shown is not None:
            self.text.render_text(shown, self.presenter.pictures.text)

    def _at_field(self, run: Callable[[str, str], None]) -> None:
        """Run something on the document and field that have the focus."""
        field = self.slip.focused_field()
        if field is not None:
            run(self.slip.document, field)

    def _keep_to(self) -> None:
        spot = self.presenter.going.spot()
        if spot is not None:
            self.keeping.emit(spot)

    def _send(self) -> None:
        ids = self.presenter.filing.filed_here()
        if ids:
            self.sending.emit(ids, False)

    def _prepare(self) -> None:
        """Go to the field or type in front under Prepare; who may not prepare proposes what is missing."""
        slip, field = self.presenter.state.slip, self.slip.focused_field() or ""
        if self.presenter.may(Right.PREPARE):
            self.prepare_asked.emit("document_types", slip.type_id if slip is not None else "", field)
        else:
            self.sheets.propose(self.presenter.row_named(field))

    def _at_document(self, run: Callable[[str], None]) -> None:
        if self.slip.document:
            run(self.slip.document)

    def _pick(self, document: str, field: str, number: int) -> None:
        """Take one of the offered alternatives, numbered from 1, in place of the value."""
        row = self.presenter.row_named(field)
        if row is not None and 1 <= number <= len(row.alternatives):
            self.presenter.confirm(document, field, row.alternatives[number - 1])

    def _go_to_slip(self) -> None:
        self.below.setCurrentWidget(self.splitter)
        self.presenter.show_table(False)
        self.presenter.going.go_to_unsure()

    def _toggle_page_window(self) -> None:
        """Show the page in a window of its own too, for a second screen; both follow the work."""
        if self.page_window is None:
            self.page_window = PageWindow(self.presenter, self.handlers, self)
            self.page_window.setWindowTitle(tr("Page: {title}", title=self.title.text()))
            self.page_window.words_taken.connect(self._lifted)
            self.page_window.area_framed.connect(self._framed)
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

    def _begin_lift(self) -> None:
        """Lift by keys, for the field that has the focus; it ends when the focus comes back to the slip."""
        field = self.slip.focused_field()
        if field is not None:
            self._lift_at = (self.slip.document, field)
            self.page.begin_lift()

    def _end_lift(self) -> None:
        at, self._lift_at = self._lift_at, None
        if at is not None and at[0] == self.slip.document:
            self.slip.focus(at[1])

    def _forget_lift(self) -> None:
        self._lift_at = None

    def _target(self) -> tuple[str, str] | None:
        """Return the document and field that what is pointed at on the page goes to."""
        field = self.slip.focused_field()
        if self._lift_at is not None:
            return self._lift_at
        return (self.slip.document, field) if field is not None else None

    def _lifted(self, words: list[object]) -> None:
        target, shown = self._target(), self.presenter.pictures.shown
        if target is None:
            self.presenter.said.emit(tr("Go to a field first; then a word that is pressed goes into it."))
        elif shown is not None:
            self._lift_at = None
            self.presenter.lift(*target, shown.page, words)  # type: ignore[arg-type]

    def _framed(self, box: Box) -> None:
        """Lift the words of a framed area."""
        shown, target = self.presenter.pictures.shown, self._target()
        words = words_inside(shown.words, box) if shown is not None else []
        if words or target is None:
            self._lifted(list(words))
        elif shown is not None:
            self._lift_at = None
            self.presenter.slips.read_area(*target, shown.page, box)

    def _empty_field(self) -> None:
        self._at_field(lambda document, field: self.presenter.take(document, field, ""))

    def _ask_aside(self) -> None:
        slip = self.presenter.state.slip
        if slip is None:
            return
        if slip.parked:
            self.presenter.set_aside(slip.document, "")
            return
        self.sheets.ask_aside(slip.document)
