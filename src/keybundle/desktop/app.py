"""The one place that composes the desktop.

Start: parse (by the command line), theme, hold the data directory, open the workspace, worker pool, line, start
page; after a person is chosen: session, main window, resume, and with ``--demo`` the demo world behind it.
End: stop the feeder, the demo work, the line, the runner, the pool, the workspace, then let go of the data directory.
"""

from __future__ import annotations

import contextlib
import functools
import logging
import sys
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, QSettings, Signal
from PySide6.QtWidgets import QApplication, QMessageBox, QStackedWidget

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError, OldFormat
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.jobs.pool import Pool
from keybundle.core.store.place import hold, set_aside
from keybundle.core.workflows.file.copies import Copier
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.line.page_jobs import WORK
from keybundle.core.workflows.prepare.setup_admin import begin_repository
from keybundle.core.workflows.session.workspace import Workspace, open_workspace
from keybundle.core.workflows.take_in.devices import Devices
from keybundle.core.workflows.take_in.opening import door_path
from keybundle.desktop.door import Door
from keybundle.desktop.jobs.collector import Collector
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters.session import Bus, Session
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.start_view import StartView
from keybundle.desktop.views.window import MainWindow

WORKERS = 2
log = logging.getLogger(__name__)


class Desktop(QObject):
    """The composed application: everything with a lifetime, ended in order by ``close``.

    A ``pool`` that is handed in stays its giver's.
    """

    demo_told = Signal(str)

    def __init__(
        self, data: Path, *, demo: bool = False, settings: QSettings | None = None, files: Sequence[Path] = (),
        pool: Pool | None = None,
    ) -> None:  # fmt: skip
        super().__init__()
        self.collector = Collector(self)
        self._stack = contextlib.ExitStack()
        self._stack.enter_context(hold(data, who="the desktop", wait_seconds=1.0))
        try:
            self.workspace: Workspace = open_workspace(data, held=True)
        except AppError:
            self._stack.close()
            raise
        self._stack.callback(self.workspace.close)
        self.pool = pool or Pool(WORKERS)
        if pool is None:
            self._stack.callback(self.pool.close)
        self.runner = JobRunner(self)
        self._stack.callback(self.runner.close)
        self.bus = Bus(self)
        self.workspace.on_setup = lambda: self.bus.tell(Changes(setup=True))
        self._stack.callback(setattr, self.workspace, "on_setup", lambda: None)
        self.line = Line(self.workspace, self.pool, self.bus.tell)
        self._stack.callback(self.line.close)
        self.copier = Copier(self.workspace, self.pool)
        self._stack.callback(self.copier.close)
        self.door = Door(door_path(data), self)
        self._stack.callback(self.door.close)
        self.door.files_handed.connect(self._take_files)
        self._handed: list[Path] = list(files)
        self._demo = CancelToken()
        self._stack.callback(self._demo.cancel)
        self._settings = settings or QSettings(str(data / "window.ini"), QSettings.Format.IniFormat)
        self.window: MainWindow | None = None
        self.root = QStackedWidget()
        self.root.setMinimumSize(1100, 700)
        self.root.resize(1280, 800)
        self.root.setWindowTitle("Key Bundle")
        if demo:
            from keybundle.demo import seed

            seed.begin(self.workspace)
            self.runner.long(self._make_demo, lambda _: self.demo_told.emit(""))
        self.start: StartView | None = None
        self._ask_who()

    def _ask_who(self) -> None:
        known = self.workspace.has_setup
        people = tuple((p.name, p.role) for p in self.workspace.setup.people) if known else ()
        repository = self.workspace.setup.repository if known else ""
        self.start = StartView(repository, str(self.workspace.place.root), people)
        self.start.person_chosen.connect(self.begin)
        self.start.repository_named.connect(self._begin_repository)
        self.root.addWidget(self.start)
        self.root.setCurrentWidget(self.start)

    def _begin_repository(self, repository: str, administrator: str) -> None:
        try:
            begin_repository(self.workspace, repository, administrator)
        except AppError as error:
            if self.start is not None:
                self.start.problem.setText(str(error))
            return
        self.begin(administrator.strip())

    def begin(self, who: str) -> None:
        """Let a person work: make the window and take up what was left."""
        devices = Devices(self.workspace)
        session = Session(self.workspace, self.pool, self.line, self.runner, self.bus, who, devices, copier=self.copier)
        self.window = MainWindow(session, self._settings)
        self.demo_told.connect(self.window.tell_background)
        self._stack.callback(self.window.stop_incoming)
        self.window.show()
        self.window.activateWindow()
        self.root.hide()
        self.pool.warm_up(f"{WORK}:load")
        self.line.resume()
        if self._handed:
            self._take_files([])

    def _take_files(self, files: list[Path]) -> None:
        """Bring in files that another start handed over; before somebody works here they wait."""
        self._handed += files
        if self.window is not None:
            handed, self._handed = self._handed, []
            self.window.open_files(handed)

    def _make_demo(self) -> None:
        from keybundle.demo import seed

        def tell(step: Step) -> None:
            self.demo_told.emit(f"{step.what}: {step.done} of {step.total}")

        seed.file_documents(self.workspace, self.pool, seed.FILED_AT_ONCE, progress=tell, cancel=self._demo)
        self.bus.tell(Changes(repository=True))
        seed.make_feeder(self.workspace, self.pool, progress=tell, cancel=self._demo)
        seed.file_documents(self.workspace, self.pool, seed.FILED_DOCUMENTS, progress=tell, cancel=self._demo)

    def close(self) -> None:
        """End everything in order; what was in work is taken up at the next start."""
        self._stack.close()
        if self.window is not None:
            for window in tuple(self.window.windows):
                window.end()
        self.root.deleteLater()


def _open_desktop(data: Path, *, demo: bool, files: Sequence[Path]) -> Desktop:
    """Compose the desktop; demo data of an earlier format is set aside and made anew, and that is told."""
    try:
        return Desktop(data, demo=demo, files=files)
    except OldFormat:
        if not demo:
            raise
    aside = set_aside(data)
    desktop = Desktop(data, demo=demo, files=files)
    if desktop.start is not None:
        desktop.start.problem.setText(
            f"The demo data was of an earlier format. It lies in “{aside}” now; new data is made."
        )
    return desktop


def _tell_fault(desktop: Desktop, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Log an exception that a slot let through, and tell it: Qt would go on without a word."""
    log.error("a slot failed", exc_info=(kind, error, trace))
    desktop.runner.failed.emit(
        f"Something went wrong inside Key Bundle ({kind.__name__}). What was kept is safe; try it again."
    )


def start(data: Path, *, demo: bool = False, run: bool = True, files: Sequence[Path] = ()) -> int:
    """Start the desktop; returns its exit status. With ``run`` False the event loop is left to the caller."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr)
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Key Bundle")
    apply_theme(app)
    try:
        desktop = _open_desktop(data, demo=demo, files=files)
    except AppError as error:
        QMessageBox.warning(None, "Key Bundle", str(error))
        return 3
    sys.excepthook = functools.partial(_tell_fault, desktop)
    desktop.root.show()
    if desktop.start is not None:
        desktop.start.focus_first()
    status = app.exec() if run else 0
    desktop.close()
    return status
