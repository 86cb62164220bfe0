"""The far side of the pool: a fresh process that runs one named function after another.

A task is ``(name, args)`` with ``name`` as ``package.module:function``. The answer is ``("ok", result)``,
``("problem", class name, sentence)`` for errors the user can mend, or ``("bug", trace)``.
"""

from __future__ import annotations

import ctypes
import importlib
import os
import resource
import signal
import sys
import traceback
from multiprocessing.connection import Connection

from keybundle.core.base.errors import AppError
from keybundle.core.base.messages import message

MEMORY_LIMIT_BYTES = 6 * 1024**3
NICENESS = 5  # capturing pages and the window go first, whatever waits to be read

PR_SET_PDEATHSIG = 1


def _die_with_parent() -> None:
    """Ask Linux to end this process when the one that started it dies, however it dies."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def serve(connection: Connection, memory_limit: int = MEMORY_LIMIT_BYTES) -> None:
    """Run tasks until the other end closes; the other end's death ends this process too."""
    os.environ |= {"OMP_THREAD_LIMIT": "1", "OPENCV_FOR_THREADS_NUM": "1"}  # the workers share the cores already
    os.nice(NICENESS)
    _die_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
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


if __name__ == "__main__":
    serve(Connection(int(sys.argv[1])))
