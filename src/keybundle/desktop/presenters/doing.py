"""What takes a while on a bench, such as filing: told with a count and an estimate, and stopped by one key."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters.texts import say_seconds
from keybundle.desktop.words import tr

Work = Callable[[Progress, CancelToken], Any]
SAID_AFTER_SECONDS = 2.0


class Doing(QObject):
    """Runs long work for a bench; ``told`` says how far the one is that was begun first, empty when all is done."""

    changed = Signal()
    _stepped = Signal(object, object)

    def __init__(self, runner: JobRunner, parent: QObject) -> None:
        super().__init__(parent)
        self._runner = runner
        self._running: dict[CancelToken, tuple[Step, float]] = {}
        self._stepped.connect(self._on_step)

    @property
    def told(self) -> str:
        """How far it is, such as ``Filing: 3 of 12, about 40 s left``."""
        step, since = next(iter(self._running.values()), (Step(0, 0, ""), 0.0))
        if not step.total:
            return step.what
        said, took = (
            tr("{what}: {done} of {total}", what=step.what, done=step.done, total=step.total),
            time.monotonic() - since,
        )
        if step.done and took > SAID_AFTER_SECONDS:
            said += tr(", about {time} left", time=say_seconds(took / step.done * (step.total - step.done)))
        return said

    def begin(
        self, what: str, work: Work, done: Callable[[Any], None], failed: Callable[[str], None], *,
        owner: QObject | None = None,
    ) -> None:  # fmt: skip
        """Let something run that tells its steps and can be stopped; it is stopped too when the program closes.

        It goes on to its end when the bench is let go meanwhile, but nothing is told then.
        """
        cancel = CancelToken(self._runner.closing)
        self._running[cancel] = Step(0, 0, what), time.monotonic()
        self.changed.emit()

        def ended(go_on: Callable[[Any], None], found: Any) -> None:
            self._running.pop(cancel, None)
            self.changed.emit()
            go_on(found)

        def tell(step: Step) -> None:
            with contextlib.suppress(RuntimeError):  # Qt's word for a bench that is gone
                self._stepped.emit(cancel, step)

        self._runner.long(
            lambda: work(tell, cancel), lambda found: ended(done, found), owner=owner or self,
            on_error=lambda told: ended(failed, told),
        )  # fmt: skip

    def stop(self) -> None:
        """Stop what is under way at its next clean point; what is done is kept."""
        for cancel in self._running:
            cancel.cancel()

    def _on_step(self, cancel: CancelToken, step: Step) -> None:
        if cancel in self._running:
            before, since = self._running[cancel]
            self._running[cancel] = Step(step.done, step.total, before.what), since
            self.changed.emit()
