"""The one place that composes the desktop.

Start: parse (by the command line), theme, hold the data directory, open the workspace, worker pool, line, start
page; after a person is chosen: seat, main window, resume, and with ``--demo`` the demo world behind it.
End: stop the feeder, the demo work, the line, the runner, the pool, the workspace, then let go of the data directory.
"""

from __future__ import annotations

import contextlib
import functools
import logging
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType

import shiboken6
from PySide6.QtCore import QObject, QSettings, Qt, QThread, QTimer, Signal
from PySide6.QtWidgets import QApplication, QStackedWidget

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError, OldFormat
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.jobs.pool import Pool
from keybundle.core.rights.model import Right
from keybundle.core.store.moving import move_directory, refuse_target
from keybundle.core.store.place import hold, set_aside
from keybundle.core.store.recent import list_places, note_place
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.pages.warm import LIGHT, WARM
from keybundle.core.workflows.prepare.registers.sources_behind import follow_sources
from keybundle.core.workflows.send.behind import work_behind
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import choose_person
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.devices import Devices
from keybundle.core.workflows.take_in.opening import door_path
from keybundle.desktop.door import Door
from keybundle.desktop.jobs.collector import Collector
from keybundle.desktop.jobs.idle import Idle
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.seat import Bus, Seat
from keybundle.desktop.presenters.signing_in import SignInPresenter
from keybundle.desktop.views.ahead import load_ahead
from keybundle.desktop.views.moving_view import MovingView
from keybundle.desktop.views.shell import Shell
from keybundle.desktop.views.start_view import StartView
from keybundle.desktop.views.window import MainWindow
from keybundle.desktop.words import speak, tr, worded

WORKERS = 2
SWITCH_SECONDS = 0.0005
AHEAD_MS = 400  # whoever looks at the start page leaves time for it
TIDY_MS = 3000  # what earlier work left to do waits until the window stands
log = logging.getLogger(__name__)


class Desktop(QObject):
    """The composed application: everything with a lifetime, ended in order by ``close``.

    A ``pool`` that is handed in stays its giver's.
    """

    demo_told = Signal(str)
    other_asked = Signal(str)
    move_asked = Signal(str)

    def __init__(
        self, data: Path, *, demo: bool = False, settings: QSettings | None = None, files: Sequence[Path] = (),
        pool: Pool | None = None, recent: Sequence[Path] = (),
    ) -> None:  # fmt: skip
        super().__init__()
        # Each cell that is painted comes back to Python: beside a thread that reads rows it would wait this long every time.
        sys.setswitchinterval(SWITCH_SECONDS)
        self.idle = Idle(self)
        self.collector = Collector(self, self.idle.quiet_seconds)
        self._stack = contextlib.ExitStack()
        self._stack.enter_context(hold(data, who="the desktop", wait_seconds=1.0))
        try:
            self.workspace: Workspace = open_workspace(data, held=True)
        except BaseException:
            self._stack.close()
            raise
        self._stack.callback(self.workspace.close)
        self.pool = pool or Pool(WORKERS)
        if pool is None:
            self._stack.callback(self.pool.close)
            self.pool.warm_up(WARM, LIGHT)
        self.runner = JobRunner(self)
        self._stack.callback(self.runner.close)
        self.bus = Bus(self)
        self.workspace.on_setup = lambda: self.bus.tell(Changes(setup=True))
        self._stack.callback(setattr, self.workspace, "on_setup", lambda: None)
        self.line = Line(self.workspace, self.pool, self.bus.tell)
        self._stack.callback(self.line.close)
        self.behind = work_behind(self.workspace, self.pool)
        self._stack.callback(self.behind.close)
        self.sources = follow_sources(self.workspace)
        self._stack.callback(self.sources.close)
        self.door = Door(door_path(data), self)
        self._stack.callback(self.door.close)
        self.door.files_handed.connect(self._take_files)
        self._handed: list[Path] = list(files)
        self._demo = CancelToken()
        self._stack.callback(self._demo.cancel)
        self._settings = settings or QSettings(str(data / "window.ini"), QSettings.Format.IniFormat)
        self.shell: Shell | None = None
        self.root = QStackedWidget()
        self.root.setMinimumSize(1100, 700)
        self.root.resize(1280, 800)
        self.root.setWindowTitle("Key Bundle")
        if demo:
            from keybundle.demo import seed

            seed.begin(self.workspace)
            self.runner.long(self._make_demo, lambda _: self.demo_told.emit(""))
        self._shells: dict[str, Shell] = {}
        self.bus.said.connect(self._say)
        self.bus.failed.connect(self._warn)
        self.runner.failed.connect(self._warn)
        self.signing_in = SignInPresenter(self.workspace, self.runner, self, [p for p in recent if p != data])
        self.signing_in.signed_in.connect(self._let_in)
        self.start = StartView(self.signing_in)
        self.start.other_asked.connect(self.other_asked.emit)
        self.root.addWidget(self.start)
        self.idle.passed.connect(self.lock)
        self._stack.callback(self.idle.stop)
        ahead = functools.partial(load_ahead, self.runner.closing, self.idle.quiet_seconds)
        self._later(AHEAD_MS, ahead, self.collector.freeze)

    def begin(self, who: str) -> None:
        """Let somebody work by name, where the repository allows that."""
        self._let_in(choose_person(self.workspace, who))

    def _let_in(self, session: Session) -> None:
        """Let somebody work: their window as they left it, or a new one; what others were at waits behind."""
        setup = self.workspace.setup
        person = setup.person(session.person)
        speak(person.language if person is not None else "", setup.locale)
        self.root.hide()
        if session.person in self._shells:
            self.shell = self._shells[session.person]
        else:
            self.shell = self._shells[session.person] = self._make_shell(session)
        self.shell.show_again()
        self.idle.start(self.workspace.setup.lock_after_minutes)
        self.collector.freeze()
        if self._handed:
            self._take_files([])

    @property
    def window(self) -> MainWindow | None:
        """The window in front of who is at work; None before somebody is."""
        return self.shell.front if self.shell is not None else None

    def _make_shell(self, session: Session) -> Shell:
        is_first = not self._shells
        seat = Seat(
            session, self.pool, self.line, self.runner, Bus(self, common=self.bus), Devices(self.workspace),
            behind=self.behind, remembered=Remembered(self._settings, session.person),
        )  # fmt: skip
        seat.typed.load()
        shell = Shell(seat, self)
        shell.lock_asked.connect(self.lock)
        shell.other_asked.connect(self.change_person)
        shell.other_data_asked.connect(self.start.ask_other)
        shell.move_data_asked.connect(self.move_asked.emit)
        window = shell.open_window()
        self.demo_told.connect(window.foot.tell_background)
        shell.incoming.load()
        self._stack.callback(shell.incoming.end)
        if not session.workspace.setup.routines and session.may(Right.PREPARE):
            window.go("prepare")
            window.prepare.enter()
        if is_first:
            self.line.resume()
            self._later(TIDY_MS, lambda: _tidy_up(session))
        return shell

    def _say(self, text: str) -> None:
        """Say what the machine did, which is nobody's own, to who is at work."""
        if self.shell is not None:
            self.shell.say(text)

    def _warn(self, text: str) -> None:
        if self.shell is not None:
            self.shell.warn(text)

    def _later(self, ms: int, work: Callable[[], None], then: Callable[[], None] = lambda: None) -> None:
        """Do something behind after a while, ``then`` something here, unless this is closed before."""
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(lambda: self.runner.long(work, lambda _: then()))
        # What a connection holds would keep all of this alive, unseen by the collector.
        self._stack.callback(timer.timeout.disconnect)
        self._stack.callback(timer.stop)
        timer.start(ms)

    def tell(self, problem: str) -> None:
        """Say what could not be done: in the window in front, else on the start page."""
        if self.shell is not None and not self.root.isVisible():
            self.shell.warn(problem)
        else:
            self.signing_in.refresh(problem=problem, locked=self.signing_in.state.locked)

    # -- locked, or somebody else ----------------------------------------------------------------------------------

    @property
    def is_locked(self) -> bool:
        """Whether the start page stands before somebody's work."""
        return self.shell is not None and self.root.isVisible()

    def lock(self) -> None:
        """Put the start page before all windows; what was typed is kept, and what comes in goes on."""
        self._ask(self.shell.seat.session.name if self.shell is not None else "")

    def change_person(self) -> None:
        """Let somebody else sign in; who was at work finds everything as it was."""
        self._ask("")

    def _ask(self, locked: str) -> None:
        if self.shell is None or self.root.isVisible():
            return
        self.idle.stop()
        place = self.shell.front.geometry()
        shown = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w is not self.root]
        self.shell.flush()
        self.shell.put_away(shown)
        self.signing_in.refresh(locked=locked)
        self.root.setGeometry(place)
        self.root.show()
        self.root.activateWindow()
        self.start.focus_first()

    def _take_files(self, files: list[Path]) -> None:
        """Bring in files that another start handed over; before somebody works here they wait."""
        self._handed += files
        if self.shell is not None and not self.root.isVisible():
            handed, self._handed = self._handed, []
            self.shell.open_files(handed)

    def _make_demo(self) -> None:
        from keybundle.demo import seed

        def tell(step: Step) -> None:
            self.demo_told.emit(tr("{what}: {done} of {total}", what=step.what, done=step.done, total=step.total))

        seed.file_documents(self.workspace, self.pool, seed.FILED_AT_ONCE, progress=tell, cancel=self._demo)
        self.bus.tell(Changes(repository=True))
        seed.make_feeder(self.workspace, self.pool, progress=tell, cancel=self._demo)
        seed.file_documents(self.workspace, self.pool, seed.FILED_DOCUMENTS, progress=tell, cancel=self._demo)

    def close(self) -> None:
        """End everything in order; what was in work is taken up at the next start."""
        shells, self._shells, self.shell = self._shells, {}, None
        for shell in shells.values():
            shell.flush()
            shell.seat.typed.end()
        self._stack.close()
        for shell in shells.values():
            shell.end()
        if shiboken6.isValid(self.root):  # closed once more, such as after the data went elsewhere
            self.root.deleteLater()


def _tidy_up(session: Session) -> None:
    from keybundle.core.workflows.oversee.forgetting import tidy_up

    tidy_up(session)


def _open_desktop(data: Path, *, demo: bool, files: Sequence[Path]) -> Desktop:
    """Compose the desktop; demo data of an earlier format is set aside and made anew, and that is told."""
    try:
        return Desktop(data, demo=demo, files=files, recent=list_places())
    except OldFormat:
        if not demo:
            raise
    aside = set_aside(data)
    desktop = Desktop(data, demo=demo, files=files)
    told = tr("The demo data was of an earlier format. It lies in “{aside}” now; new data is made.", aside=aside)
    desktop.signing_in.refresh(problem=told)
    return desktop


def _tell_fault(desktop: Desktop, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Log an exception that a slot let through, and tell it: Qt would go on without a word."""
    log.error("a slot failed", exc_info=(kind, error, trace))
    desktop.runner.failed.emit(
        tr("Something went wrong inside Key Bundle ({name}). What was kept is safe; try it again.", name=kind.__name__)
    )


def open_up(data: Path, *, demo: bool = False, files: Sequence[Path] = ()) -> Opened:
    """Open a data directory and show its start page; raises AppError where it cannot be opened."""
    desktop = _open_desktop(data, demo=demo, files=files)
    opened = Opened(desktop, remember=not demo)
    opened.show()
    return opened


class Opened(QObject):
    """The repository that is open; another one takes its place when it could be opened, and not before."""

    def __init__(self, desktop: Desktop, *, remember: bool = True) -> None:
        super().__init__()
        self.desktop = desktop
        self._remember = remember

    def show(self) -> None:
        """Show the start page, and remember where the data is."""
        if self._remember:
            note_place(self.desktop.workspace.place.root)
        sys.excepthook = functools.partial(_tell_fault, self.desktop)
        self.desktop.other_asked.connect(self.open_other, Qt.ConnectionType.QueuedConnection)
        self.desktop.move_asked.connect(self.move, Qt.ConnectionType.QueuedConnection)
        self.desktop.root.show()
        self.desktop.start.focus_first()

    def open_other(self, data: str) -> None:
        """Open another data directory, or begin a repository in an empty one; what cannot be is told, and this one stays."""
        if Path(data).resolve() == self.desktop.workspace.place.root.resolve():
            return
        try:
            other = Desktop(Path(data), recent=list_places())
        except AppError as error:
            self.desktop.tell(worded(error))
            return
        except Exception as error:
            log.exception("a repository could not be opened")
            told = tr(
                "“{place}” cannot be opened ({name}). Nothing was changed there.", place=data, name=type(error).__name__
            )
            self.desktop.tell(told)
            return
        before, self.desktop, self._remember = self.desktop, other, True
        self.show()
        before.close()

    # -- the data directory goes elsewhere -----------------------------------------------------------------------------

    def move(self, target: str) -> None:
        """Bring the data directory to an empty folder: everything is closed meanwhile, and opened again there."""
        root = self.desktop.workspace.place.root
        try:
            refuse_target(root, Path(target))
        except AppError as error:
            self.desktop.tell(worded(error))
            return
        view, cancel = MovingView(target), CancelToken()
        view.stopped.connect(cancel.cancel)
        view.show()
        self.desktop.close()
        self._mover = Mover(root, Path(target), cancel)
        self._mover.stepped.connect(view.render_step)
        self._mover.ended.connect(lambda problem: self._moved(view, root, Path(target), problem))
        self._mover.start()

    def _moved(self, view: MovingView, root: Path, target: Path, problem: str) -> None:
        self.desktop = Desktop(root if problem else target, recent=list_places())
        self.show()
        view.close()
        view.deleteLater()
        said = tr("The data is in {place} now.", place=target)
        self.desktop.signing_in.refresh(problem=problem or said)


class Mover(QThread):
    """Moves a data directory beside the interface; ``ended`` carries what was in the way, empty for nothing."""

    stepped = Signal(object)
    ended = Signal(str)

    def __init__(self, root: Path, target: Path, cancel: CancelToken) -> None:
        super().__init__()
        self._root, self._target, self._cancel = root, target, cancel

    def run(self) -> None:
        """Move it."""
        try:
            with hold(self._root, who="the desktop", wait_seconds=5.0):
                move_directory(self._root, self._target, progress=self.stepped.emit, cancel=self._cancel)
        except AppError as error:
            self.ended.emit(worded(error))
        else:
            self.ended.emit("")
