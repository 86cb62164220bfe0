"""The main window: a slim bar with the places, the place that is open, and the line at the bottom."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QMainWindow, QMenu, QStackedWidget, QVBoxLayout, QWidget

from keybundle.desktop.actions.binding import bind_commands
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import fill_whole
from keybundle.desktop.views import places
from keybundle.desktop.views.foot import Foot
from keybundle.desktop.views.notices import Notice, NoticeBand
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.top_bar import TopBar
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.views.bench_view import BenchView
    from keybundle.desktop.views.cabinets_view import CabinetsView
    from keybundle.desktop.views.find_view import FindView
    from keybundle.desktop.views.place import Place
    from keybundle.desktop.views.prepare.prepare_view import PrepareView
    from keybundle.desktop.views.shell import Shell
    from keybundle.desktop.views.work_view import WorkView

GEOMETRY = "geometry"


class MainWindow(QMainWindow):
    """Arranges the places; knows nothing of what they show.

    Several stand side by side, each with its own places, benches and sheets; what they share is their ``shell``.
    """

    def __init__(self, shell: Shell, *, is_beside: bool) -> None:
        super().__init__()
        self.shell, self.seat = shell, shell.seat
        self._kept_as = f"{GEOMETRY} beside" if is_beside else GEOMETRY
        self.setWindowTitle(tr("Key Bundle: {repository}", repository=self.seat.workspace.setup.repository))
        self.foot = Foot(self.seat, shell.note)
        self.message, self.undo, self.more = self.foot.message, self.foot.undo, self.foot.more
        self.say, self.warn, self.offer, self.listen = self.foot.say, self.foot.warn, self.foot.offer, self.foot.listen
        self.handlers = Handlers(self.seat.may, self.warn)
        self.benches: dict[str, BenchView] = {}
        self.viewers = shell.viewers
        self.bar, self.notices = TopBar(self.seat), NoticeBand()
        self.stack = QStackedWidget()
        self._made: dict[str, Place] = {}
        self.go_work, self.go_cabinets = partial(self.go, "work"), partial(self.go, "cabinets")
        self.go_find, self.go_prepare = partial(self.go, "find"), partial(self.go, "prepare")
        body = QWidget()
        body.setObjectName("window")
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for part, stretch in ((self.bar, 0), (self.notices, 0), (self.stack, 1), (self.foot, 0)):
            layout.addWidget(part, stretch)
        self.setCentralWidget(body)
        self.setMinimumSize(900, 560)
        self.resize(1280, 800)
        if (geometry := self.seat.remembered.get(self._kept_as)) is not None:
            self.restoreGeometry(geometry)
        self.place("work")
        self._connect()
        self.go_work()

    def _connect(self) -> None:
        self.bar.asked.connect(self.handlers.trigger)
        self.undo.clicked.connect(lambda: self.handlers.trigger("edit.undo"))
        whole = QMenu(self)
        whole.aboutToShow.connect(lambda: fill_whole(whole, self._handlers_in_front()))
        self.bar.more.setMenu(whole)
        self.shell.own_keys.bind(self, partial(self.shell.run_command, self))
        self.shell.board.changed.connect(self._tell_notices)
        on = self.handlers.on
        for command_id, run in self.shell.handlers.run.items():
            on(command_id, run)
        for record in places.PLACES:
            on(f"go.{record.code}", partial(self.go, record.code))
        on("go.person", self.show_person)
        on("go.sheet", self._enter_sheet)
        on("edit.undo", lambda: self.front.undo())
        on("edit.redo", lambda: self.front.redo())
        self.handlers.provide("undo", lambda: self.front.can_undo)
        self.handlers.provide("redo", lambda: self.front.can_redo)
        bind_commands(self, list(self.handlers.run), self.handlers, Qt.ShortcutContext.WindowShortcut)

    def _handlers_in_front(self) -> list[Handlers]:
        """Return the handlers of the place in front and of what is seen in it, and those that act everywhere."""
        seen = (w for w in self.front.findChildren(QWidget) if w.isVisible())
        found = (getattr(w, "handlers", None) for w in (self.front, *seen))
        return [*(h for h in found if isinstance(h, Handlers)), self.handlers]

    def _enter_sheet(self) -> None:
        if not self.edge.enter():
            self.warn(tr("No sheet stands here."))

    def show_person(self) -> None:
        """Show who is at work here, and what they can change about it."""
        sheet = places.make_person(self.seat)
        sheet.locked.connect(self.shell.lock_asked)
        sheet.other_asked.connect(self.shell.other_asked)
        sheet.presenter.said.connect(self.say)
        self.edge.open(sheet)

    def offer_record(self, record_id: str) -> None:
        """Offer the record of what was filed just now."""
        self.offer(self.message.text(), tr("Filing record"), partial(places.open_record, self, record_id))

    # -- places --------------------------------------------------------------------------------------------------

    def place(self, code: str) -> Place:
        """Return a place, made when it is first asked for."""
        if code not in self._made:
            record = next(r for r in places.PLACES if r.code == code)
            view = self._made[code] = record.make(self)
            self._take_in(view)
        return self._made[code]

    def _take_in(self, view: Place) -> None:
        self.stack.addWidget(view)
        view.edge.changed.connect(self._tell_notices)

    @property
    def made(self) -> tuple[str, ...]:
        """The places that were made so far."""
        return tuple(self._made)

    @property
    def work(self) -> WorkView:
        """The work place."""
        return cast("WorkView", self.place("work"))

    @property
    def cabinets(self) -> CabinetsView:
        """The cabinets place."""
        return cast("CabinetsView", self.place("cabinets"))

    @property
    def finder(self) -> FindView:
        """The find place."""
        return cast("FindView", self.place("find"))

    @property
    def prepare(self) -> PrepareView:
        """The prepare place."""
        return cast("PrepareView", self.place("prepare"))

    @property
    def front(self) -> Place:
        """The place in front: one of the window's, or the bench of a batch."""
        return cast("Place", self.stack.currentWidget())

    @property
    def edge(self) -> SheetEdge:
        """The edge of the place in front, where its sheets stand."""
        return self.front.edge

    def _show(self, code: str, view: Place) -> None:
        """Bring a place to the front, or the bench of a batch that belongs to it."""
        if self.front is not view:
            self.front.rest()
        self.bar.mark(code)
        self.stack.setCurrentWidget(view)
        self.show_undo()
        self._tell_notices()

    def show_undo(self) -> None:
        """Say what undo would take back in the place in front; nothing where there is nothing."""
        self.foot.show_undo(self.front.undo_told)

    def go(self, code: str) -> None:
        """Go to a place."""
        view = self.place(code)
        view.refresh()
        self._show(code, view)
        view.focus_first()

    def prepare_part(self, kind: str, part: str, at: str, way_back: Callable[[], None]) -> None:
        """Change something that is prepared; Alt+Left there goes back to where one was."""
        self.prepare.visit(kind, part, at, way_back)
        self._show("prepare", self.prepare)

    def open_batch(self, batch_id: str) -> None:
        """Open a batch on the bench; one that was open comes back as it was left."""
        if batch_id not in self.benches:
            self.benches[batch_id] = places.make_bench(self, batch_id)
            self._take_in(self.benches[batch_id])
        view = self.benches[batch_id]
        self._show("work", view)
        view.refresh()
        view.focus_first()

    def release_bench(self, batch_id: str) -> None:
        """Let go of the bench of a batch that is closed: its pictures, its timer, its place in the stack."""
        view = self.benches.pop(batch_id, None)
        if view is not None:
            view.edge.end()
            if self.front is view:
                self.go_work()
            self.stack.removeWidget(view)
            view.presenter.end()
            view.presenter.deleteLater()
            view.deleteLater()

    def take_files(self, files: list[Path], values: dict[str, str]) -> None:
        """Bring in files that were dropped on a cabinet's column."""
        self.go_work()
        self.work.presenter.files.import_files(files, None, values)

    def prepare_scan(self, values: dict[str, str], cabinet: str) -> None:
        """Go to the scanner with what is chosen in a cabinet."""
        self.go_work()
        self.work.presenter.scanning.bring_along(values, cabinet)

    # -- what waits elsewhere ------------------------------------------------------------------------------------

    def _tell_notices(self) -> None:
        """Show what waits in other places than the one in front."""
        here = next((code for code, view in self._made.items() if view is self.front), "work")
        sheets = [self._sheet_notice(code, view) for code, view in self._made.items() if view.edge.told]
        sheets += [self._sheet_notice(batch, view) for batch, view in self.benches.items() if view.edge.told]
        asked = [
            n
            for n in self.shell.board.notices.values()
            if not n.place or n.place != here or self.front in self.benches.values()
        ]
        self.notices.render_notices((*sheets, *asked))
        waiting: dict[str, int] = {}
        for notice in (*sheets, *self.shell.board.notices.values()):
            waiting[notice.place or "work"] = waiting.get(notice.place or "work", 0) + 1
        self.bar.mark_waiting(waiting)

    def _sheet_notice(self, code: str, view: Place) -> Notice:
        def run() -> None:
            if code in self._made:
                self.go(code)
            else:
                self.open_batch(code)
            view.edge.enter()

        told, of = view.edge.told, view.edge.shown.of.text() if view.edge.shown is not None else ""
        return Notice(f"sheet {code}", tr("{sheet} waits for you: {of}", sheet=told, of=of) if of else told,
                      code if code in self._made else "work", tr("Go there"), run)  # fmt: skip

    # -- ends ----------------------------------------------------------------------------------------------------

    def flush_places(self) -> None:
        """Keep all that is being typed in this window."""
        for place in (*self._made.values(), *self.benches.values()):
            place.flush()

    def end(self) -> None:
        """Let go of this window; what was typed in its sheets stays typed."""
        for view in (*self._made.values(), *self.benches.values()):
            view.edge.end()
        for bench in self.benches.values():
            bench.presenter.end()
        self.hide()
        self.deleteLater()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            self.shell.note_front(self)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.flush_places()
        self.seat.remembered.put(self._kept_as, self.saveGeometry())
        super().closeEvent(event)
        self.shell.window_closed(self)
