"""What comes in, from a scanner or from files: one thing at a time, with its progress, its stop, and what waits behind it."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.take_in.capture import Captured, import_files
from keybundle.core.workflows.take_in.waiting import Waiting, forget_waiting, list_waiting, note_waiting
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, tr, trn

Bring = Callable[[Progress, CancelToken], Captured]
BUSY = mark("Something is coming in already; wait until it is through, or stop it with Shift+S.")
LANE = "incoming"


@dataclass(frozen=True)
class _Entry:
    """One thing that comes in: what it is, in words, how it is brought, and the files that it is, where it is files."""

    what: str
    bring: Bring
    waiting: Waiting | None = None


class Incoming(QObject):
    """Runs captures of one person one after another, whichever window they were begun in.

    ``came_in`` carries each one's result, ``failed`` why one could not begin or go on. ``given`` are the values that the next
    one brings along, by field. Files are noted until they are taken in: ``waiting_found`` tells of those that are left from
    earlier, with what takes them in, what forgets them, and a key for them.
    """

    changed = Signal()
    came_in = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    waiting_found = Signal(str, object, object, str)
    _step = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._cancel: CancelToken | None = None
        self._running: _Entry | None = None
        self._is_stopped = False
        self._progress = Step(0, 0, "")
        self._queue: deque[_Entry] = deque()
        self.given: dict[str, str] = {}
        self.meant_for = ""
        self._step.connect(self._on_step)

    @property
    def is_busy(self) -> bool:
        """Whether something is coming in."""
        return self._cancel is not None

    def parts(self) -> dict[str, Any]:
        """Return what the work place shows of it."""
        step = self._progress if self.is_busy else Step(0, 0, "")
        return {"scanning": step.what, "scanned": step.done, "scan_total": step.total}

    def begin(self, what: str, bring: Bring) -> bool:
        """Let something come in; False, and told, where something is coming in already."""
        if self.is_busy:
            self.failed.emit(tr(BUSY))
            return False
        self._begin(_Entry(what, bring))
        return True

    def _begin(self, entry: _Entry) -> None:
        cancel = self._cancel = CancelToken()
        self._running, self._is_stopped, s = entry, False, self._s
        self._progress = Step(0, 0, entry.what)

        def bring() -> Captured:
            if entry.waiting is not None and not entry.waiting.taken:
                note_waiting(s.session, entry.waiting)
            return entry.bring(self._step.emit, cancel)

        s.runner.long(bring, self._ended, on_error=self._broke_off)
        self.changed.emit()

    def take_in(self, waiting: Waiting) -> None:
        """Take files in, now or once all before them are through; where the window or program is closed before, they wait."""
        s, routine = self._s, self._s.workspace.setup.routine(waiting.routine)
        if routine is None:
            self.failed.emit(tr("The routine of these files is no longer there; nothing was taken in."))
            return

        def bring(tell: Progress, cancel: CancelToken) -> Captured:
            return import_files(
                s.session, s.line, s.pool, routine, waiting.files, into=waiting.into, given=waiting.given,
                levels=waiting.levels, progress=tell, cancel=cancel, waiting=waiting,
            )  # fmt: skip

        entry = _Entry(tr("Looking at the files"), bring, waiting)
        if not self.is_busy:
            self._begin(entry)
            return
        self._queue.append(entry)
        s.runner.change(lambda: note_waiting(s.session, waiting), lane=LANE, on_error=self.failed.emit)
        files = trn("{n:,} file", "{n:,} files", waiting.left)
        self.said.emit(tr("{files} wait; they come in after what is coming in now", files=files))

    def load(self) -> None:
        """Ask what was handed over earlier and is not taken in yet; each is told."""
        if self._s.may(Right.BRING_IN):
            self._s.runner.query(lambda: list_waiting(self._s.session), self._tell_waiting, owner=self)

    def _tell_waiting(self, found: list[Waiting]) -> None:
        busy = {e.waiting.id for e in (*self._queue, self._running) if e is not None and e.waiting is not None}
        for waiting in (w for w in found if w.id not in busy):
            told = trn("{n:,} file was not taken in yet", "{n:,} files were not taken in yet", waiting.left)
            first = (waiting.order or waiting.files)[waiting.taken].name
            self.waiting_found.emit(
                f"{told}: {first}",
                partial(self.take_in, waiting),
                partial(self._forget, waiting),
                f"files {waiting.id}",
            )

    def _forget(self, waiting: Waiting) -> None:
        s = self._s
        s.runner.change(lambda: forget_waiting(s.session, waiting.id), lane=LANE, on_error=self.failed.emit)

    def stop(self) -> None:
        """Stop what is coming in; what came in is kept."""
        if self._cancel is not None:
            self._is_stopped = True
            self._cancel.cancel()

    def end(self) -> None:
        """Stop, for the program ends: files that are not taken in wait for the next start."""
        self._queue.clear()
        if self._cancel is not None:
            self._cancel.cancel()

    def bring_along(self, values: Mapping[str, str], meant_for: str = "") -> None:
        """Let the next one bring these values along, by field, meant for a cabinet; none of them takes that back."""
        self.given, self.meant_for = dict(values), meant_for
        self.changed.emit()

    def take_given(self) -> dict[str, str]:
        """Return the values that were to come along, once."""
        given, self.given, self.meant_for = self.given, {}, ""
        return given

    def _on_step(self, step: Step) -> None:
        self._progress = step
        self.changed.emit()

    def _ended(self, result: Captured) -> None:
        self._cancel, self._running = None, None
        self._tell(result)
        self.came_in.emit(result)
        self._next()

    def _tell(self, result: Captured) -> None:
        safe = tr("{sides} captured and safe", sides=trn("{n:,} side", "{n:,} sides", result.sides))
        if result.halt:
            self.failed.emit(result.halt)
        elif result.refused:
            files = trn("{n:,} file", "{n:,} files", len(result.refused))
            self.failed.emit(tr("{safe}; {files} not taken in, the reasons stand under Files", safe=safe, files=files))
        elif result.batch:
            self.said.emit(safe)

    def _broke_off(self, told: str) -> None:
        running, self._cancel, self._running = self._running, None, None
        self.failed.emit(told)
        if running is not None and running.waiting is not None:
            if self._is_stopped:
                self._forget(running.waiting)
            else:
                self.load()
        self._next()

    def _next(self) -> None:
        self.changed.emit()
        if self._queue and not self.is_busy:
            self._begin(self._queue.popleft())


class Source(QObject):
    """What brings pages in, beside the others: ``routine_of`` tells the routine of an open batch, None without one."""

    changed = Signal()
    said = Signal(str)
    failed = Signal(str)

    def __init__(
        self, seat: Seat, incoming: Incoming, routine_of: Callable[[BatchId | None], Routine | None],
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._s, self._incoming, self._routine_of = seat, incoming, routine_of
