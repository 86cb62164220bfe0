"""What comes in, from a scanner or from files: one thing at a time, with its progress, its stop, and what waits behind it."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.take_in.capture import Captured
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, tr

Bring = Callable[[Progress, CancelToken], Captured]
BUSY = mark("Something is coming in already; wait until it is through, or stop it with Shift+S.")


class Incoming(QObject):
    """Runs captures one after another; ``came_in`` carries each one's result, ``failed`` why one could not begin or go on.

    ``given`` are the values that the next one brings along, by field.
    """

    changed = Signal()
    came_in = Signal(object)
    failed = Signal(str)
    _step = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._cancel: CancelToken | None = None
        self._progress = Step(0, 0, "")
        self._waiting: deque[tuple[str, Bring]] = deque()
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
        cancel = self._cancel = CancelToken()
        self._progress = Step(0, 0, what)
        self._s.runner.long(lambda: bring(self._step.emit, cancel), self._ended, on_error=self._broke_off)
        self.changed.emit()
        return True

    def queue(self, what: str, bring: Bring) -> bool:
        """Let something come in now, or once all before it is through; True where it waits."""
        if not self.is_busy:
            self.begin(what, bring)
            return False
        self._waiting.append((what, bring))
        return True

    def stop(self) -> None:
        """Stop what is coming in; what came in is kept."""
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
        self._cancel = None
        self.came_in.emit(result)
        self._next()

    def _broke_off(self, told: str) -> None:
        self._cancel = None
        self.failed.emit(told)
        self._next()

    def _next(self) -> None:
        self.changed.emit()
        if self._waiting and not self.is_busy:
            self.begin(*self._waiting.popleft())


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
