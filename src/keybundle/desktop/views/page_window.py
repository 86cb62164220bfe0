"""The page of a bench in a window of its own, for a second screen: it follows the work, and is worked in like the page beside."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions.binding import bind_commands
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.views.page_view import ZOOM_STEP, PageView
from keybundle.desktop.views.remember import restore_window

SETTING = "page window"
OF_BENCH = ("bench.file", "bench.file all", "bench.next document", "bench.previous document", "bench.take back")


class PageWindow(PageView):
    """Shows the bench's page; its words can be lifted, its keys go on with the work, Esc puts it away."""

    def __init__(self, presenter: BenchPresenter, handlers: Handlers, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.Window)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.resize(820, 1000)
        restore_window(self, presenter.remembered, SETTING)
        self.put_away.connect(lambda place: presenter.remembered.put(SETTING, place))
        presenter.pictures.changed.connect(self.render_page)
        self.turned_page.connect(presenter.going.step_page)
        self.handlers = Handlers(handlers.may, handlers.refuse)
        on = self.handlers.on
        on("bench.zoom in", lambda: self.zoom(ZOOM_STEP))
        on("bench.zoom out", lambda: self.zoom(1 / ZOOM_STEP))
        on("bench.zoom fit", lambda: self.zoom(0))
        on("strip.next", lambda: presenter.going.step_page(1))
        on("strip.previous", lambda: presenter.going.step_page(-1))
        for command_id in OF_BENCH:
            on(command_id, partial(_run, handlers, command_id))
        bind_commands(self, list(self.handlers.run), self.handlers, Qt.ShortcutContext.WindowShortcut)
        escape = QShortcut(QKeySequence(Qt.Key.Key_Escape), self)
        escape.activated.connect(self.hide)


def _run(handlers: Handlers, command_id: str) -> None:
    handlers.trigger(command_id)
