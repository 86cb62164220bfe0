"""The far side of the pool: the stem, a process that loads what work needs once, and the workers that are forked from it.

The stem runs no task, so that whatever a task does costs its worker alone. It is asked over a socket: ``load`` with the names
of modules and functions, ``now`` or ``warm`` with a socket for a worker; one asked for ``warm`` comes when all is loaded. It
ends when the other end closes, and its workers with it.

A worker says its process id first. A task is ``(name, args)`` with ``name`` as ``package.module:function``. The answer is
``("ok", result)``, ``("problem", class name, sentence)`` for errors the user can mend, or ``("bug", trace)``.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import importlib
import os
import resource
import select
import signal
import socket
import sys
import traceback
from collections import deque
from collections.abc import Sequence
from multiprocessing.connection import Connection

from keybundle.core.base.errors import AppError
from keybundle.core.base.messages import message
from keybundle.core.jobs.words import LOAD, NOW, WARM

MEMORY_LIMIT_BYTES = 6 * 1024**3
NICENESS = 5  # capturing pages and the window go first, whatever waits to be read
LONGEST_REQUEST = 1 << 16

PR_SET_PDEATHSIG = 1


def _die_with_parent() -> None:
    """Ask Linux to end this process when the one that started it dies, however it dies."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def serve(connection: Connection, memory_limit: int = MEMORY_LIMIT_BYTES) -> None:
    """Run tasks until the other end closes."""
    resource.setrlimit(resource.RLIMIT_AS, (memory_limit, memory_limit))
    while True:
        try:
            name, args = connection.recv()
        except (EOFError, OSError):
            return
        answer: tuple[str, ...]
        try:
            module, function = name.split(":")
            answer = ("ok", getattr(importlib.import_module(module), function)(*args))
        except AppError as error:
            answer = ("problem", type(error).__name__, str(error))
        except MemoryError:
            answer = ("problem", "InputProblem", message("worker.needs-more-memory-than-one"))
        except Exception:  # noqa: BLE001  the one door through which a worker's bugs travel home
            answer = ("bug", traceback.format_exc())
        try:
            connection.send(answer)
        except (BrokenPipeError, OSError):
            return


def tend(asked: socket.socket) -> None:
    """Be the stem: load what is named, and fork a worker for each socket that comes, until the other end closes."""
    # The workers share the cores already.
    os.environ |= {"OMP_THREAD_LIMIT": "1", "OPENBLAS_NUM_THREADS": "1", "OPENCV_FOR_THREADS_NUM": "1"}
    os.nice(NICENESS)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # a worker that has ended leaves nothing behind
    gc.disable()  # what is loaded is looked over by no collector, so that its memory stays shared
    to_load: deque[str] = deque()
    waiting: list[int] = []
    while True:
        if not to_load:
            while waiting:
                _fork(asked, waiting.pop(0), waiting)
        if not select.select([asked], [], [], 0 if to_load else None)[0]:
            _load(to_load.popleft())
            continue
        try:
            request, fds, _, _ = socket.recv_fds(asked, LONGEST_REQUEST, 1)
        except OSError:
            return
        if not request:
            return
        what, *names = request.decode().split()
        if what == LOAD:
            to_load.extend(names)
        elif what == WARM:
            waiting += fds
        elif what == NOW:
            for fd in fds:
                _fork(asked, fd, waiting)


def _load(name: str) -> None:
    """Load a module, or run one of its functions; whatever is wrong with it, a worker tells that needs it."""
    module, _, function = name.partition(":")
    with contextlib.suppress(Exception):
        loaded = importlib.import_module(module)
        if function:
            getattr(loaded, function)()


def _fork(asked: socket.socket, fd: int, others: Sequence[int]) -> None:
    """Become two: one goes on as the stem, the other is a worker for whoever holds the other end of a socket.

    It lets go of the sockets of ``others`` that are still to come: one that dies is known by its socket closing.
    """
    gc.freeze()
    stem = os.getpid()
    try:
        pid = os.fork()
    except OSError as error:
        with contextlib.suppress(OSError):
            Connection(os.dup(fd)).send(error.errno)
        os.close(fd)
        return
    if pid:
        os.close(fd)
        return
    try:
        _die_with_parent()
        if os.getppid() != stem:
            os._exit(0)
        asked.close()
        for other in others:
            os.close(other)
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        gc.enable()
        connection = Connection(fd)
        connection.send(("here", os.getpid()))
        serve(connection)
    finally:
        os._exit(0)


if __name__ == "__main__":
    tend(socket.socket(fileno=int(sys.argv[1])))
