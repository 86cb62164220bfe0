"""What the commands of the bench do, what they need, and the menus they stand in."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QWidget

from keybundle.core.rights.model import Right
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.menu import hang, make_menu
from keybundle.desktop.presenters.bench_state import SlipRow
from keybundle.desktop.views.page_view import ZOOM_STEP
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.views.bench_view import BenchView

PAGE_ACTIONS = (
    "break", "join up", "leave out", "take back", "turn right", "turn left", "move earlier", "move later",
    "to document before", "to document after", "split each", "join documents", "reverse", "interleave",
    "shift breaks later", "shift breaks earlier",
)  # fmt: skip


def register_commands(view: BenchView) -> None:
    """Let the commands of the bench act on a view, and its parts."""
    p, on = view.presenter, view.handlers.on
    on("strip.next", lambda: p.going.step_page(1))
    on("strip.previous", lambda: p.going.step_page(-1))
    on("strip.next document", lambda: view.step_down(1))
    on("strip.previous document", lambda: view.step_down(-1))
    on("strip.reach next", lambda: p.going.select_step(1))
    on("strip.reach previous", lambda: p.going.select_step(-1))
    on("strip.select document", p.going.select_document)
    on("strip.cut", p.pages.cut)
    on("strip.paste", p.pages.paste)
    on("strip.paste after", lambda: p.pages.paste(after=True))
    on("strip.contact sheet", view.toggle_contact)
    on("strip.slip", partial(_go_to_slip, view))
    for name in PAGE_ACTIONS:
        on(f"strip.{name}", lambda n=name: p.pages.act(n))  # type: ignore[misc]
    on("bench.file", p.filing.file_current)
    on("bench.file all", p.filing.file_all)
    on("bench.set aside", view.ask_aside)
    on("bench.take back", lambda: _at_document(view, p.filing.take_back))
    on("bench.stop reading", p.toggle_reading)
    on("bench.separate again", p.pages.separate_again)
    on("bench.scan again", lambda: p.pages.scan_in(replaces=True))
    on("bench.scan in", lambda: p.pages.scan_in(replaces=False))
    on("bench.stop", p.doing.stop)
    on("bench.second window", view.toggle_page_window)
    on("bench.close", p.close_batch)
    on("bench.send", partial(_send, view))
    on("bench.print", partial(_print, view))
    on("bench.keep to", partial(_keep_to, view))
    on("bench.prepare", partial(_prepare, view))
    on("bench.give", lambda: view.giving.emit(p.batch_id))
    view.slip.keep_asked.connect(lambda: view.handlers.trigger("bench.keep to"))
    on("bench.next document", lambda: p.going.step_document(1))
    on("bench.previous document", lambda: p.going.step_document(-1))
    on("bench.lift", view.lifting.begin)
    on("bench.other type", p.take_other_type)
    on("bench.zoom in", lambda: view.page.zoom(ZOOM_STEP))
    on("bench.zoom out", lambda: view.page.zoom(1 / ZOOM_STEP))
    on("bench.zoom fit", lambda: view.page.zoom(0))
    on("slip.strip", view.strip.setFocus)
    on("slip.empty", partial(_empty_field, view))
    for number in range(1, 6):
        on(f"slip.pick {number}", lambda n=number: _at_field(view, lambda d, f: _pick(view, d, f, n)))  # type: ignore[misc]
    on("slip.today", lambda: _at_field(view, p.slips.today))
    on("slip.before", lambda: _at_document(view, p.slips.take_from_before))
    on("bench.changes", p.slips.list_changes)
    on("slip.clear assumed", lambda: _at_document(view, p.slips.clear_assumed))
    on("slip.empty all", lambda: _at_document(view, p.slips.empty))
    on("slip.register", lambda: _at_field(view, view.sheets.register))
    on("slip.tags", view.slip.tags.setFocus)
    on("bench.starters", view.sheets.starters)
    on("bench.folder", view.sheets.folders)
    on("bench.table", lambda: view.toggle_below(view.table, view.table.grid))
    on("bench.text", view.toggle_text)
    on("bench.poor pages", view.sheets.poor_pages)
    on("bench.aside list", view.sheets.parked)
    on("bench.not taken", view.presenter.pages.list_not_taken)
    on("bench.own program", view.presenter.pages.open_received)
    on("bench.language", view.sheets.language)
    on("table.fill down", lambda: view.table.fill_down())
    _provide(view)
    _make_menus(view)
    bind_place(view, "bench", view.handlers)
    bind_place(view.strip, "bench strip", view.handlers)
    bind_place(view.slip, "bench slip", view.handlers, but=("slip.confirm",))


def _provide(view: BenchView) -> None:
    """Say what commands need; what the store may know better by now counts as given while a change is under way."""
    p, given = view.presenter, view.handlers.provide
    state = lambda: p.state  # noqa: E731
    slip = lambda: p.state.slip  # noqa: E731

    def once_settled(condition: str, holds: Callable[[], bool], **more: Any) -> None:
        given(condition, lambda: not p.is_settled or holds(), **more)

    def row() -> SlipRow | None:
        return p.row_named(view.slip.focused_field())

    given("page", lambda: state().page is not None)
    given("pages in hand", p.pages.has_in_hand)
    given("scanner", lambda: p.pages.scanner() is not None)
    given("document", lambda: slip() is not None)
    given("field", lambda: view.slip.focused_field() is not None)
    given("date field", lambda: (found := row()) is not None and found.is_date)
    given("register field", lambda: (found := row()) is not None and found.has_register)
    given("readings", lambda: (found := row()) is not None and bool(found.alternatives))
    given("cell", lambda: "table" in vars(view) and view.table.grid.currentIndex().isValid())
    given("under way", lambda: bool(state().doing))
    once_settled("unfiled", lambda: (s := slip()) is None or not s.is_locked)
    once_settled("filed", lambda: (s := slip()) is not None and s.is_filed)
    once_settled("ready", lambda: (s := slip()) is not None and s.can_file,
                 why=lambda: s.why_not if (s := slip()) is not None else "", otherwise=p.going.go_to_unsure)  # fmt: skip
    once_settled("some ready", lambda: state().can_file_all)
    once_settled("type rival", lambda: (s := slip()) is not None and bool(s.type_rival))
    once_settled("reading", lambda: bool(state().stop_reading))


def _make_menus(view: BenchView) -> None:
    """Let the commands of what is under the pointer stand in a menu under the right button."""
    view.of_pages = make_menu(tr("Pages"), "bench strip", view.handlers, view)
    of_slip = make_menu(tr("Slip"), "bench slip", view.handlers, view)
    of_batch = make_menu(tr("Batch"), "bench", view.handlers, view)
    hang(view.of_pages, view.strip)
    hang(of_slip, view.slip)
    hang(of_batch, view.page)


def bind_pages(view: BenchView, home: QWidget) -> None:
    """Let keys and menu of the strip act on another widget that shows the pages."""
    bind_place(home, "bench strip", view.handlers)
    hang(view.of_pages, home)


def _at_field(view: BenchView, run: Callable[[str, str], None]) -> None:
    """Run something on the document and field that have the focus."""
    field = view.slip.focused_field()
    if field is not None:
        run(view.slip.document, field)


def _at_document(view: BenchView, run: Callable[[str], None]) -> None:
    if view.slip.document:
        run(view.slip.document)


def _pick(view: BenchView, document: str, field: str, number: int) -> None:
    """Take one of the offered alternatives, numbered from 1, in place of the value."""
    row = view.presenter.row_named(field)
    if row is not None and 1 <= number <= len(row.alternatives):
        view.presenter.confirm(document, field, row.alternatives[number - 1])


def _send(view: BenchView) -> None:
    ids = view.presenter.filing.filed_here()
    if ids:
        view.sending.emit(ids, False)


def _keep_to(view: BenchView) -> None:
    spot = view.presenter.going.spot()
    if spot is not None:
        view.keeping.emit(spot)


def _print(view: BenchView) -> None:
    if ids := view.presenter.filing.filed_here():
        view.printing.emit(ids)


def _prepare(view: BenchView) -> None:
    """Go to the field or type in front under Prepare; who may not prepare proposes what is missing."""
    slip, field = view.presenter.state.slip, view.slip.focused_field() or ""
    if view.presenter.may(Right.PREPARE):
        view.prepare_asked.emit("document_types", slip.type_id if slip is not None else "", field)
    else:
        view.sheets.propose(view.presenter.row_named(field))


def _go_to_slip(view: BenchView) -> None:
    view.below.setCurrentWidget(view.splitter)
    view.presenter.show_table(False)
    view.presenter.going.go_to_unsure()


def _empty_field(view: BenchView) -> None:
    _at_field(view, lambda document, field: view.presenter.take(document, field, ""))
