"""The main window: a slim bar with the places, the place that is open, and the line at the bottom."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import shiboken6
from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QShowEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.actions.binding import bind_commands, find_handlers
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.own_keys import OwnKeys
from keybundle.desktop.actions.registry import find_command
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.texts import tell_line
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import icon
from keybundle.desktop.views import places
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.views.viewers import Viewers
from keybundle.desktop.words import tr, trn

if TYPE_CHECKING:
    from keybundle.desktop.views.bench_view import BenchView
    from keybundle.desktop.views.cabinets_view import CabinetsView
    from keybundle.desktop.views.find_view import FindView
    from keybundle.desktop.views.place import Place
    from keybundle.desktop.views.prepare.prepare_view import PrepareView
    from keybundle.desktop.views.work_view import WorkView

GEOMETRY = "geometry"
BESIDE_PX = 40
MESSAGE_MS = 12_000
KEPT_MESSAGES = 200
LINE_PX = 260


class MainWindow(QMainWindow):
    """Arranges the places; knows nothing of what they show.

    Several stand side by side, each with its own places, benches and keys; ``windows`` are all of them.
    """

    lock_asked = Signal()
    other_asked = Signal()
    other_data_asked = Signal()
    move_data_asked = Signal(str)

    def __init__(self, seat: Seat, beside: MainWindow | None = None) -> None:
        super().__init__()
        self.windows: list[MainWindow] = beside.windows if beside is not None else []
        self.windows.append(self)
        self._kept_as = GEOMETRY if beside is None else f"{GEOMETRY} beside"
        self.setWindowTitle(tr("Key Bundle: {repository}", repository=seat.workspace.setup.repository))
        self.seat = seat
        self.handlers = Handlers(seat.may, self.warn)
        self._put_away: list[QWidget] = []
        self._messages: deque[str] = deque(maxlen=KEPT_MESSAGES)
        self.benches: dict[str, BenchView] = {}
        self.own_keys: OwnKeys = beside.own_keys if beside is not None else OwnKeys(seat.remembered)
        self.own_keys.bind(self, self.run_command)
        self.viewers = Viewers(seat, self.own_keys, self)
        self.stack = QStackedWidget()
        self._made: dict[str, Place] = {}
        self.edge = SheetEdge(self.stack, self.stack)
        self._places: dict[str, QPushButton] = {}
        body = QWidget()
        body.setObjectName("window")
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._make_bar())
        layout.addWidget(self.stack, 1)
        layout.addWidget(self._make_foot())
        self.setCentralWidget(body)
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        if (geometry := seat.remembered.get(self._kept_as)) is not None:
            self.restoreGeometry(geometry)
        self.place("work")
        self._connect()
        self.go_work()

    def _make_bar(self) -> QFrame:
        bar = QFrame()
        bar.setObjectName("bar")
        layout = QHBoxLayout(bar)
        layout.setContentsMargins(14, 0, 14, 0)
        layout.setSpacing(4)
        brand = Told("Key Bundle")
        brand.setStyleSheet(f"font-weight: 700; font-size: 16px; color: {c.TEAL}; padding-right: 18px;")
        layout.addWidget(brand)
        for record in (r for r in places.PLACES if not r.at_right):
            layout.addWidget(self._place_button(record.code))
        layout.addStretch(1)
        for record in (r for r in places.PLACES if r.at_right):
            layout.addWidget(self._place_button(record.code))
        keys = Button(icon("keyboard"), tr("Keys  F1"))
        keys.setProperty("role", "place")
        keys.clicked.connect(self.show_keys)
        layout.addWidget(keys)
        self.person = Button(icon("user"), self.seat.session.name)
        self.person.setProperty("role", "place")
        self.person.setStyleSheet("font-weight: 600;")
        self.person.setToolTip(f"{find_command('go.person').words} ({find_command('go.person').shortcut})")
        self.person.clicked.connect(self.show_person)
        layout.addWidget(self.person)
        return bar

    def _place_button(self, name: str) -> QPushButton:
        command = find_command(f"go.{name}")
        button = Button(command.title)
        button.setToolTip(f"{command.words} ({command.shortcut})")
        button.setCheckable(True)
        button.setProperty("role", "place")
        button.clicked.connect(lambda: self.go(name))
        self._places[name] = button
        return button

    def _make_foot(self) -> QFrame:
        foot = QFrame()
        foot.setObjectName("foot")
        self.line_label = Elided(shortest_px=LINE_PX)
        self.line_label.setProperty("role", "quiet")
        self.message = Elided()
        self.message.setAccessibleName(tr("Last message"))
        self._more: Callable[[], None] = lambda: None
        self.more = Button()
        self.more.setProperty("role", "link")
        self.more.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.more.clicked.connect(lambda: self._more())
        self.more.hide()
        self.undo = Button(tr("Undo   Ctrl+Z"))
        self.undo.setProperty("role", "link")
        self.undo.clicked.connect(lambda: self.handlers.trigger("edit.undo"))
        layout = QHBoxLayout(foot)
        layout.setContentsMargins(16, 4, 16, 4)
        layout.addWidget(self.line_label)
        layout.addStretch(1)
        layout.addWidget(self.message)
        layout.addWidget(self.more)
        layout.addWidget(self.undo)
        self.undo.hide()
        return foot

    def _connect(self) -> None:
        self.listen(self.viewers)
        self.seat.typed.changed.connect(self._tell_typed)
        self._tell_typed()
        self.viewers.left_out.connect(self._offer_left_out)
        self.seat.runner.failed.connect(self.warn)
        self.seat.bus.failed.connect(self.warn)
        self.seat.bus.said.connect(self.say)
        on = self.handlers.on
        for record in places.PLACES:
            on(f"go.{record.code}", partial(self.go, record.code))
        on("go.window", self.open_beside)
        on("go.person", self.show_person)
        on("go.lock", self.lock_asked.emit)
        on("help.keys", self.show_keys)
        on("help.messages", self.show_messages)
        on("line.retry", self._retry)
        on("edit.undo", lambda: self.front.undo())
        on("edit.redo", lambda: self.front.redo())
        self.handlers.provide("undo", lambda: self.front.can_undo)
        self.handlers.provide("redo", lambda: self.front.can_redo)
        bind_commands(self, list(self.handlers.run), self.handlers, Qt.ShortcutContext.WindowShortcut)
        self._clear = QTimer(self)
        self._clear.setSingleShot(True)
        self._clear.setInterval(MESSAGE_MS)
        self._clear.timeout.connect(self._forget_message)
        self._watch = QTimer(self)
        self._watch.setInterval(500)
        self._watch.timeout.connect(self._tell_line)
        self._watch.start()

    def _tell_typed(self) -> None:
        """Say at the name of each place how much is typed there and not kept."""
        for record in places.PLACES:
            button, command = self._places[record.code], find_command(f"go.{record.code}")
            number = sum(self.seat.typed.count(place) for place in record.typed)
            button.setText(f"{command.title} ({number})" if number else command.title)
            waits = trn(
                "{n:,} text is typed there and not kept yet", "{n:,} texts are typed there and not kept yet", number
            )
            told = f"{command.words} ({command.shortcut})"
            button.setToolTip(f"{told}; {waits}" if number else told)

    def _retry(self) -> None:
        self.seat.line.retry()
        if self.seat.behind is not None:
            self.seat.behind.retry()

    def _show_message(self, text: str) -> None:
        self.message.setText(text)
        self._messages.append(f"{self.seat.clock_now()}   {text}")

    def show_person(self) -> None:
        """Show who is at work here, and what they can change about it."""
        sheet = places.make_person(self.seat)
        sheet.locked.connect(self.lock_asked.emit)
        sheet.other_asked.connect(self.other_asked.emit)
        sheet.presenter.said.connect(self.say)
        self.edge.open(sheet)

    def give_batch(self, batch_id: str) -> None:
        """Show whom a batch was given to."""
        self.edge.open(places.make_giving(self.seat, batch_id))

    def show_messages(self) -> None:
        """Read the last messages again, the newest first."""
        from keybundle.desktop.views.list_sheet import ListSheet

        said = tuple(reversed(self._messages)) or (tr("Nothing was said yet."),)
        head = tr("The last {KEPT_MESSAGES} at most, the newest first:", KEPT_MESSAGES=KEPT_MESSAGES)
        self.edge.open(ListSheet(tr("Messages"), head, said))

    def _forget_message(self) -> None:
        self.message.setText("")
        self.more.hide()

    def listen(self, *presenters: Any) -> None:
        """Show what presenters say in the line at the bottom."""
        for presenter in presenters:
            presenter.said.connect(self.say)
            presenter.failed.connect(self.warn)

    def _tell_line(self) -> None:
        behind = self.seat.behind
        told = (behind.problem if behind is not None else "") or tell_line(self.seat.line)
        if self.line_label.text() != told and not self.line_label.property("seeding"):
            self.line_label.setText(told)

    def tell_background(self, text: str) -> None:
        """Show what else goes on behind, such as the demo documents being filed; empty: nothing more."""
        self.line_label.setProperty("seeding", bool(text))
        self.line_label.setText(text)

    def say(self, text: str) -> None:
        """Show the last thing done."""
        self.more.hide()
        self.message.setStyleSheet(f"color: {c.INK};")
        self._show_message(text)
        self._clear.start()

    def offer(self, text: str, label: str, run: Callable[[], None]) -> None:
        """Show the last thing done with more to see of it, for who wants to: nothing opens by itself."""
        self.say(text)
        self._more = run
        self.more.setText(label)
        self.more.show()

    def offer_record(self, record_id: str) -> None:
        """Offer the record of what was filed just now."""
        self.offer(self.message.text(), tr("Filing record"), lambda: self.open_record(record_id))

    def warn(self, text: str) -> None:
        """Show what stands in the way."""
        self.more.hide()
        self.message.setStyleSheet(f"color: {c.MADDER}; font-weight: 600;")
        self._show_message(text)
        self._clear.start()

    # -- places --------------------------------------------------------------------------------------------------

    def place(self, code: str) -> Place:
        """Return a place, made when it is first asked for."""
        if code not in self._made:
            record = next(r for r in places.PLACES if r.code == code)
            view = self._made[code] = record.make(self)
            self.stack.addWidget(view)
        return self._made[code]

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

    def _show(self, code: str, view: Place) -> None:
        """Bring a place to the front, or the bench of a batch that belongs to it."""
        if self.front is not view:
            self.front.rest()
        self.edge.end()
        for key, button in self._places.items():
            button.setChecked(key == code)
        self.stack.setCurrentWidget(view)
        self.show_undo()

    def show_undo(self) -> None:
        """Say what undo would take back in the place in front; nothing where there is nothing."""
        label = self.front.undo_told
        self.undo.setText(tr("Undo: {label}   Ctrl+Z", label=label))
        self.undo.setVisible(bool(label))

    def go(self, code: str) -> None:
        """Go to a place."""
        view = self.place(code)
        view.refresh()
        self._show(code, view)
        view.focus_first()

    def go_work(self) -> None:
        """Show the work list."""
        self.go("work")

    def go_cabinets(self) -> None:
        """Browse what is filed."""
        self.go("cabinets")

    def go_find(self) -> None:
        """Find documents."""
        self.go("find")

    def go_prepare(self) -> None:
        """See and change the set-up."""
        self.go("prepare")

    def prepare_part(self, kind: str, part: str, at: str, way_back: Callable[[], None]) -> None:
        """Change something that is prepared; Alt+Left there goes back to where one was."""
        self.prepare.visit(kind, part, at, way_back)
        self._show("prepare", self.prepare)

    def browse(self, cabinet: str) -> None:
        """Show what lies in a cabinet."""
        self.go_cabinets()
        self.cabinets.presenter.show_cabinet(cabinet)

    def open_batch(self, batch_id: str) -> None:
        """Open a batch on the bench; one that was open comes back as it was left."""
        if batch_id not in self.benches:
            self.benches[batch_id] = places.make_bench(self, batch_id)
            self.stack.addWidget(self.benches[batch_id])
        view = self.benches[batch_id]
        self._show("work", view)
        view.refresh()
        view.focus_first()

    def release_bench(self, batch_id: str) -> None:
        """Let go of the bench of a batch that is closed: its pictures, its timer, its place in the stack."""
        view = self.benches.pop(batch_id, None)
        if view is not None:
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

    def open_files(self, files: list[Path]) -> None:
        """Bring in files that were handed over by the file manager."""
        self.take_files(files, {})
        self.activateWindow()
        self.raise_()

    def open_record(self, record_id: str) -> None:
        """Show a filing record."""
        from keybundle.desktop.presenters.records import load_record_page
        from keybundle.desktop.views.record_dialog import RecordDialog

        seat = self.seat

        def show(page: str) -> None:
            if page:
                dialog = RecordDialog(page, self)
                dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
                dialog.document_opened.connect(self.viewers.open)
                dialog.sending.connect(self.viewers.sends_at(self.edge))
                dialog.show()

        seat.runner.query(lambda: load_record_page(seat, record_id), show, owner=self)

    def _offer_left_out(self, told: str, sentences: tuple[str, ...]) -> None:
        from keybundle.desktop.views.list_sheet import ListSheet

        head = tr("These were left out; all others were sent.")
        self.offer(told, tr("See which"), lambda: self.edge.open(ListSheet(tr("Not sent"), head, sentences)))

    def open_beside(self) -> None:
        """Open another window on the same work: two batches, or a batch and a cabinet, in sight at once."""
        other = MainWindow(self.seat, self)
        other.move(self.pos() + QPoint(BESIDE_PX, BESIDE_PX))
        other.show()
        other.activateWindow()

    def stop_incoming(self) -> None:
        """Stop what comes in, in whichever window it was begun."""
        for window in self.windows:
            window.work.presenter.incoming.stop()

    def end(self) -> None:
        """Let go of this window and its viewers."""
        self.viewers.close()
        if self in self.windows:
            self.windows.remove(self)
        self.work.presenter.incoming.stop()
        for bench in self.benches.values():
            bench.presenter.end()
        self.hide()
        self.deleteLater()

    def flush(self) -> None:
        """Keep all that is being typed, in every window of who is at work here."""
        for window in self.windows:
            window.flush_places()

    def flush_places(self) -> None:
        """Keep all that is being typed in this window."""
        for place in (*self._made.values(), *self.benches.values()):
            place.flush()

    def put_away(self, widgets: list[QWidget]) -> None:
        """Remember other windows that were in sight with this one, so that they come back with it."""
        self._put_away = widgets

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        put_away, self._put_away = self._put_away, []
        for widget in put_away:
            if shiboken6.isValid(widget):
                widget.show()

    def show_keys(self) -> None:
        """Show all keys and search commands."""
        from keybundle.desktop.views.keys_dialog import KeysDialog

        dialog = KeysDialog(self.own_keys, self.hindrance, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.command_chosen.connect(self.run_command)
        dialog.show()
        dialog.line.setFocus()

    def hindrance(self, command_id: str) -> str:
        """Return why a command cannot be run where one is, in words; empty where it can."""
        from keybundle.desktop.views.keys_dialog import say_elsewhere

        handlers = find_handlers(command_id, self.focusWidget(), self.stack.currentWidget())
        return say_elsewhere(command_id) if handlers is None else handlers.hindrance(command_id)

    def run_command(self, command_id: str) -> None:
        """Run a command that was searched for; where it cannot run here, say why."""
        from keybundle.desktop.views.keys_dialog import say_elsewhere

        handlers = find_handlers(command_id, self.focusWidget(), self.stack.currentWidget())
        if handlers is None:
            self.warn(say_elsewhere(command_id))
        else:
            handlers.trigger(command_id)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.viewers.close()
        self.flush_places()
        self.seat.remembered.put(self._kept_as, self.saveGeometry())
        super().closeEvent(event)
        if self._kept_as != GEOMETRY:
            self.end()
