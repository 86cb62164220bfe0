"""What is done behind everybody's back, from rows that say that it is due (``store/work.py``), and the thread that does it.

How one kind of work is done, tried again and told is the same for all kinds. What goes wrong with one piece of work costs
that piece alone: it waits longer each time, with the reason.
"""

from __future__ import annotations

import contextlib
import logging
import threading
from collections import deque
from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import CancelledError, Future
from typing import Any

from sqlalchemy import ColumnElement

from keybundle.core.base.errors import A_BUG, AppError
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.store import work
from keybundle.core.store.work import MOST_BOUND, Taken
from keybundle.core.workflows.session.workspace import Workspace

log = logging.getLogger(__name__)
LOOK_SECONDS, ASK_SECONDS, AS_LONG_AS_IT_TAKES = 2.0, 0.05, 366 * 86400.0


@dataclass(frozen=True)
class Duty:
    """One kind of work: how a piece of it is begun and ended, and what is said of those that wait.

    ``start`` may hand it to workers: what it returns then is waited for. ``finish`` gets its outcome and strikes the piece
    off (``work.done``) in the transaction in which it counts; what either raises lets the piece wait. ``most`` pieces are in
    hand at a time, ``where`` narrows what may be taken up, ``told`` is the code of the sentence about what waits.
    """

    kind: str
    finish: Callable[[Taken, Any], None]
    told: str
    start: Callable[[Taken], Any] = lambda taken: None
    most: int = 1
    where: Sequence[ColumnElement[bool]] = ()
    longest_wait: float = work.RETRY_SECONDS[-1]


def do_due(
    workspace: Workspace, duty: Duty, *, at_once: bool = False, refs: Collection[str] | None = None,
    is_stopped: Callable[[], bool] = lambda: False, ended: Callable[[Taken, str], None] = lambda taken, trouble: None,
) -> None:  # fmt: skip
    """Do what is due of a kind, each piece once: of these ``refs``, with ``at_once`` what waits for another try too.

    ``ended`` is told of each piece that was tried, and what was in the way. It ends between two pieces when it is stopped;
    what is left stays due.
    """
    with workspace.place.database.read() as c:
        wanted = work.list_free(c, workspace.clock, duty.kind, at_once=at_once, refs=refs, where=duty.where)
    for start in range(0, len(wanted), MOST_BOUND):
        some = wanted[start : start + MOST_BOUND]
        _do_lot(workspace, duty, at_once=at_once, refs=some, is_stopped=is_stopped, ended=ended)


def _do_lot(
    workspace: Workspace, duty: Duty, *, at_once: bool, refs: Sequence[str], is_stopped: Callable[[], bool],
    ended: Callable[[Taken, str], None],
) -> None:  # fmt: skip
    tried: set[str] = set()
    begun: deque[tuple[Taken, Any]] = deque()
    try:
        while not is_stopped():
            # Half of them in hand is the time to take more: workers that are done with theirs find the next ones waiting.
            if len(begun) <= duty.most // 2:
                left = [ref for ref in refs if ref not in tried]
                lot = _take(workspace, duty, at_once=at_once, refs=left, most=duty.most - len(begun))
                tried |= {taken.ref for taken in lot}
                begun += [(taken, _begin(duty, taken)) for taken in lot]
            if not begun:
                return
            taken, outcome = begun[0]
            if not _await(outcome, is_stopped):
                break
            begun.popleft()
            trouble = _end(duty, taken, outcome)
            if trouble:
                _let_wait(workspace, duty, taken, trouble)
            ended(taken, trouble)
    finally:
        for taken, outcome in begun:
            if isinstance(outcome, Future):
                outcome.cancel()
            _let_go(workspace, taken)


def _take(workspace: Workspace, duty: Duty, *, at_once: bool, refs: Sequence[str], most: int) -> list[Taken]:
    if not refs:
        return []
    asked: dict[str, Any] = {"at_once": at_once, "refs": refs, "where": duty.where}
    with workspace.place.database.atomic() as c:
        return work.take(c, workspace.clock, duty.kind, workspace.place.holder, most=most, **asked)


def _begin(duty: Duty, taken: Taken) -> Any:
    try:
        return duty.start(taken)
    except Exception as error:  # noqa: BLE001  told by ``_end``, which says what it is
        return error


def _await(outcome: Any, is_stopped: Callable[[], bool]) -> bool:
    """Wait until workers are done with a piece; False where it is stopped before."""
    while isinstance(outcome, Future) and not outcome.done():
        if is_stopped():
            return False
        with contextlib.suppress(TimeoutError, CancelledError, Exception):
            outcome.exception(timeout=ASK_SECONDS)
    return not is_stopped()


def _end(duty: Duty, taken: Taken, outcome: Any) -> str:
    """Let a piece count; return what was in the way."""
    try:
        if isinstance(outcome, Exception):
            raise outcome
        duty.finish(taken, outcome.result() if isinstance(outcome, Future) else outcome)
    except AppError as error:
        return str(error)
    except Exception:
        log.exception("%s of %s could not be done", taken.kind, taken.ref)
        return A_BUG
    return ""


def _let_wait(workspace: Workspace, duty: Duty, taken: Taken, trouble: str) -> None:
    with workspace.place.database.atomic() as c:
        work.wait(c, workspace.clock, taken, trouble, longest=duty.longest_wait)


def _let_go(workspace: Workspace, taken: Taken) -> None:
    with workspace.place.database.atomic() as c:
        work.let_go(c, workspace.clock, taken.token)


def tell_waiting(workspace: Workspace, duty: Duty) -> str:
    """Return how much of a kind waits because something is in the way, and what; empty where nothing is."""
    with workspace.place.database.read() as c:
        waiting, said = work.troubles(c, duty.kind, duty.where)
    return message(duty.told, n=waiting, said=said) if waiting else ""


@contextlib.contextmanager
def in_hand(workspace: Workspace, kind: str, ref: str, data: dict[str, Any]) -> Iterator[Taken]:
    """Note that something is under way for as long as the block lasts; what a kill leaves of it is found by its row.

    It is in our hand however long it takes: whoever holds the data directory after us frees it.
    """
    database, clock = workspace.place.database, workspace.clock
    with database.atomic() as c:
        taken = work.begin(c, clock, kind, ref, workspace.place.holder, data=data, lease_seconds=AS_LONG_AS_IT_TAKES)
    if taken is None:
        raise AppError(A_BUG)
    try:
        yield taken
    finally:
        with contextlib.suppress(AppError), database.atomic() as c:  # on a full disk it is struck off later
            work.done(c, taken)


# Does what is due, at once or as its time comes; asks whether it is stopped; returns what is in the way of the rest.
DueWork = Callable[[bool, Callable[[], bool]], str]


def as_due_work(workspace: Workspace, duty: Duty) -> DueWork:
    """Return what a ``Behind`` does of one kind of work."""

    def do(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        do_due(workspace, duty, at_once=at_once, is_stopped=is_stopped)
        return tell_waiting(workspace, duty)

    return do


class Behind:
    """Does what is due, one kind after another, in a thread of its own; ``problem`` is what keeps some waiting."""

    def __init__(self, works: Sequence[DueWork], look_seconds: float = LOOK_SECONDS) -> None:
        self._works, self._look_seconds = works, look_seconds
        self._stop, self._wake = threading.Event(), threading.Event()
        self._at_once = False
        self.problem = ""
        self._thread = threading.Thread(target=self._loop, name="behind", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Look at once what is due."""
        self._wake.set()

    def retry(self) -> None:
        """Try again at once what waits."""
        self._at_once = True
        self._wake.set()

    def close(self) -> None:
        """Stop after what is in hand; what is due stays due."""
        self._stop.set()
        self._wake.set()
        self._thread.join(timeout=15)

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.wait(self._look_seconds)
            self._wake.clear()
            at_once, self._at_once = self._at_once, False
            if not self._stop.is_set():
                told = [self._do(work, at_once) for work in self._works]
                self.problem = next((said for said in told if said), "")

    def _do(self, work: DueWork, at_once: bool) -> str:
        try:
            return work(at_once, self._stop.is_set)
        except AppError as error:
            return str(error)
        except Exception:
            log.exception("what is due could not be done")
            return A_BUG
