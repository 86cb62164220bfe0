"""The near side of the stem: starts it, asks it for workers, and holds each of them by a handle that cannot be mistaken."""

from __future__ import annotations

import contextlib
import os
import select
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection

from keybundle.core.jobs.words import LOAD, NOW, WARM

LOOK_SECONDS = 0.2
MOMENT_SECONDS = 0.5


class StemEnded(OSError):
    """The stem died before it had forked a worker; another one may do better."""


class Worker:
    """A worker process and the connection to it."""

    def __init__(self, connection: Connection, pid: int, stem: subprocess.Popen[bytes]) -> None:
        self.connection, self.pid, self._stem = connection, pid, stem
        self._handle = os.pidfd_open(pid)

    def kill(self) -> None:
        """End it at once, and come back when it is gone."""
        self.connection.close()
        with contextlib.suppress(ProcessLookupError):
            signal.pidfd_send_signal(self._handle, signal.SIGKILL)
        self.wait(None)

    def has_lost_its_stem(self) -> bool:
        """Whether the stem that it was forked from has died, as it did itself just now."""
        with contextlib.suppress(subprocess.TimeoutExpired):  # its workers may be gone a moment before it is
            self._stem.wait(MOMENT_SECONDS)
        return self._stem.returncode is not None

    def wait(self, timeout_seconds: float | None) -> None:
        """Wait until it has ended, and let go of it; after the time it is left alone."""
        if self._handle >= 0:
            select.select([self._handle], [], [], timeout_seconds)
            os.close(self._handle)
            self._handle = -1


class Stem:
    """The process that workers are forked from; begun when first needed, and anew where it died."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._socket: socket.socket | None = None
        self._names: tuple[str, ...] = ()
        self._is_closed = False

    def load(self, names: Sequence[str]) -> None:
        """Let it load modules (``package.module``) and run functions (``package.module:function``), in this order."""
        with self._lock:
            fresh = [n for n in names if n not in self._names]
            self._names += tuple(fresh)
            if not self._is_there() or (fresh and not self._could_say(LOAD, *fresh)):
                self._begin()  # which says all names

    def fork(self, *, warm: bool, is_over: Callable[[], bool]) -> Worker:
        """Return a new worker, ``warm`` when all is loaded.

        Raises OSError where there can be none, or ``is_over`` says so, and StemEnded.
        """
        ours, theirs = socket.socketpair()
        try:
            with self._lock:
                what = WARM if warm else NOW
                if not self._is_there() or not self._could_say(what, fd=theirs.fileno()):
                    self._begin()
                    self._say(what, fd=theirs.fileno())
                assert self._process is not None
                stem = self._process
        except OSError:
            ours.close()
            raise
        finally:
            theirs.close()
        connection = Connection(ours.detach())
        try:
            while not connection.poll(LOOK_SECONDS):
                if is_over():
                    raise InterruptedError
            said = connection.recv()
            if isinstance(said, int):
                raise OSError(said, os.strerror(said))
            return Worker(connection, said[1], stem)
        except EOFError as error:
            connection.close()
            raise StemEnded(0, "it ended") from error
        except OSError:
            connection.close()
            raise

    def close(self) -> None:
        """End it; none is begun any more."""
        with self._lock:
            self._is_closed = True
            if self._socket is not None:
                self._socket.close()
            if self._process is not None:
                self._process.kill()
                self._process.wait()

    def _begin(self) -> None:
        if self._is_closed:
            raise InterruptedError
        if self._socket is not None:
            self._socket.close()
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        command = [sys.executable, "-m", "keybundle.core.jobs.worker", str(theirs.fileno())]
        try:
            self._process = subprocess.Popen(
                command, pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
            )
        except OSError:
            ours.close()
            self._socket = None
            raise
        finally:
            theirs.close()
        self._socket = ours
        if self._names:
            self._say(LOAD, *self._names)

    def _is_there(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def _could_say(self, *words: str, fd: int | None = None) -> bool:
        """Say it, unless the stem is dying: its end of the socket is closed a moment before it is known to be gone."""
        try:
            self._say(*words, fd=fd)
        except ConnectionError:
            assert self._process is not None
            self._process.kill()
            self._process.wait()
            return False
        return True

    def _say(self, *words: str, fd: int | None = None) -> None:
        assert self._socket is not None
        socket.send_fds(self._socket, [" ".join(words).encode()], [] if fd is None else [fd])
