"""All that one person has open: their windows, viewers and page windows, what was said to them, and what comes in for them."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

import shiboken6
from PySide6.QtCore import QObject, QPoint, Qt, Signal
from PySide6.QtWidgets import QApplication, QWidget

from keybundle.desktop.actions.binding import bind_commands, find_handlers
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.own_keys import OwnKeys
from keybundle.desktop.presenters.incoming import Incoming
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.views import places
from keybundle.desktop.views.notice_board import NoticeBoard
from keybundle.desktop.views.viewers import Viewers
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.views.window import MainWindow

KEPT_MESSAGES = 200
BESIDE_PX = 40
EVERYWHERE = (
    "go.work", "go.cabinets", "go.find", "go.prepare", "go.window", "go.person", "go.lock", "help.keys", "help.messages",
    "line.retry",
)  # fmt: skip


class Shell(QObject):
    """The windows of one person, and what acts in all of them. Closing one loses nothing; the last one takes all along."""

    lock_asked = Signal()
    other_asked = Signal()
    other_data_asked = Signal()
    move_data_asked = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.seat = seat
        self.own_keys = OwnKeys(seat.remembered)
        self.windows: list[MainWindow] = []
        self.messages: deque[str] = deque(maxlen=KEPT_MESSAGES)
        self.incoming = Incoming(seat, self)
        self.incoming.said.connect(self.say)
        self.incoming.failed.connect(self.warn)
        self.board = NoticeBoard(self)
        self.viewers = Viewers(self)
        self.viewers.left_out.connect(self._offer_left_out)
        self.handlers = Handlers(seat.may, self.warn)
        self._out_of_sight: list[QWidget] = []
        self._last: MainWindow | None = None
        seat.bus.failed.connect(self.warn)
        seat.bus.said.connect(self.say)
        self._register()

    def _register(self) -> None:
        on = self.handlers.on
        for record in places.PLACES:
            on(f"go.{record.code}", lambda code=record.code: self.go(code))  # type: ignore[misc]
        on("go.window", self.open_beside)
        on("go.person", lambda: self.front.show_person())
        on("go.lock", self.lock_asked.emit)
        on("help.keys", self.show_keys)
        on("help.messages", self.show_messages)
        on("line.retry", self._retry)

    def bind(self, window: QWidget) -> None:
        """Let the keys that act everywhere act in a window of its own too."""
        bind_commands(window, EVERYWHERE, self.handlers, Qt.ShortcutContext.WindowShortcut)

    # -- windows ------------------------------------------------------------------------------------------------------

    @property
    def front(self) -> MainWindow:
        """The window that was used last, as long as it is open: what is handed over goes there."""
        active = QApplication.activeWindow()
        found = next((w for w in self.windows if w is active), None)
        last = self._last if self._last in self.windows else None
        return found or last or self.windows[0]

    def note_front(self, window: MainWindow) -> None:
        """Hear that a window is used."""
        self._last = window

    def open_window(self) -> MainWindow:
        """Open another window on the same work: two batches, or a batch and a cabinet, in sight at once."""
        from keybundle.desktop.views.window import MainWindow

        beside = self.front if self.windows else None
        window = MainWindow(self, is_beside=beside is not None)
        self.windows.append(window)
        if beside is not None:
            window.move(beside.pos() + QPoint(BESIDE_PX, BESIDE_PX))
            window.show()
            window.activateWindow()
        return window

    def open_beside(self) -> None:
        """Open another window beside the one that was used last."""
        self.open_window()

    def go(self, code: str) -> None:
        """Go to a place, in the window that was used last."""
        window = self.front
        window.go(code)
        window.activateWindow()
        window.raise_()

    def window_closed(self, window: MainWindow) -> None:
        """Let go of a window that was closed; with the last one all others of the person close."""
        if len(self.windows) > 1:
            self.windows.remove(window)
            window.end()
        else:
            self.viewers.close()

    def flush(self) -> None:
        """Keep all that is being typed, in every window."""
        for window in self.windows:
            window.flush_places()

    def open_files(self, files: list[Path]) -> None:
        """Bring in files that were handed over by the file manager."""
        window = self.front
        window.take_files(files, {})
        window.show()
        window.activateWindow()
        window.raise_()

    def end(self) -> None:
        """Let go of all windows; what was coming in is taken up at the next start."""
        self.viewers.close()
        for window in tuple(self.windows):
            window.end()

    # -- out of sight -------------------------------------------------------------------------------------------------

    def put_away(self, widgets: Iterable[QWidget]) -> None:
        """Take windows of the person out of sight; all of them come back with ``show_again``."""
        for widget in widgets:
            if widget.windowType() in (Qt.WindowType.Popup, Qt.WindowType.ToolTip):
                widget.close()  # a list or menu that was open belongs to the moment
                continue
            self._out_of_sight.append(widget)
            widget.hide()

    def show_later(self, widget: QWidget) -> None:
        """Show a window, or let it come with the others where they are out of sight."""
        if self._out_of_sight:
            self._out_of_sight.append(widget)
        else:
            widget.show()

    def show_again(self) -> None:
        """Bring all back that was put out of sight, the window that was used last before the others."""
        widgets, self._out_of_sight = self._out_of_sight, []
        front = self.front
        for widget in (w for w in (*widgets, front) if shiboken6.isValid(w)):
            widget.show()
        front.activateWindow()

    # -- what is said -------------------------------------------------------------------------------------------------

    def note(self, text: str) -> None:
        """Remember what was said to the person."""
        self.messages.append(f"{self.seat.clock_now()}   {text}")

    def say(self, text: str) -> None:
        """Say something in the window that was used last."""
        if self.windows:
            self.front.say(text)

    def warn(self, text: str) -> None:
        """Say what stands in the way in the window that was used last."""
        if self.windows:
            self.front.warn(text)

    def show_messages(self) -> None:
        """Read the last messages again, the newest first."""
        from keybundle.desktop.views.list_sheet import ListSheet

        said = tuple(reversed(self.messages)) or (tr("Nothing was said yet."),)
        head = tr("The last {KEPT_MESSAGES} at most, the newest first:", KEPT_MESSAGES=KEPT_MESSAGES)
        window = self.front
        window.edge.open(ListSheet(tr("Messages"), head, said))
        window.activateWindow()

    def _offer_left_out(self, told: str, sentences: tuple[str, ...]) -> None:
        from keybundle.desktop.views.list_sheet import ListSheet

        head, window = tr("These were left out; all others were sent."), self.front
        window.offer(told, tr("See which"), lambda: window.edge.open(ListSheet(tr("Not sent"), head, sentences)))

    def _retry(self) -> None:
        self.seat.line.retry()
        if self.seat.behind is not None:
            self.seat.behind.retry()

    # -- commands -----------------------------------------------------------------------------------------------------

    def show_keys(self) -> None:
        """Show all keys and search commands, for the window in front."""
        from keybundle.desktop.views.keys_dialog import KeysDialog

        known: list[QWidget] = [*self.windows, *self.viewers.windows]
        active = next((w for w in known if w.isActiveWindow()), self.front)
        dialog = KeysDialog(self.own_keys, lambda command_id: self.hindrance(active, command_id), active)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.command_chosen.connect(lambda command_id: self.run_command(active, command_id))
        self.bind(dialog)
        dialog.show()
        dialog.line.setFocus()

    def _find(self, window: QWidget, command_id: str) -> Handlers | None:
        at = window.stack.currentWidget() if hasattr(window, "stack") else window
        found = find_handlers(command_id, window.focusWidget(), at)
        return found or (self.handlers if command_id in self.handlers.run else None)

    def hindrance(self, window: QWidget, command_id: str) -> str:
        """Return why a command cannot be run in a window, in words; empty where it can."""
        from keybundle.desktop.views.keys_dialog import say_elsewhere

        handlers = self._find(window, command_id)
        return say_elsewhere(command_id) if handlers is None else handlers.hindrance(command_id)

    def run_command(self, window: QWidget, command_id: str) -> None:
        """Run a command that was searched for in a window; where it cannot run there, say why."""
        from keybundle.desktop.views.keys_dialog import say_elsewhere

        handlers = self._find(window, command_id)
        if handlers is None:
            self.warn(say_elsewhere(command_id))
        else:
            handlers.trigger(command_id)
