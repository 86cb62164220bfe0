"""Files by content hash: original bytes go in once, unaltered, and come out under their SHA-256.

Guaranteed: after ``put`` returns, the bytes and their name are on the disk, also where they were there before and had
been damaged since. Not guaranteed: that nobody else changes them later; ``check`` finds that out.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import secrets
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Protocol

from keybundle.core.base.errors import InputProblem, explain_os_error
from keybundle.core.base.files import PART, make_folder, put_in_place, sync, write_whole
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass

BLOCK = 1 << 20
MAY_BE_SOMEBODYS = 3600.0


# Names the area whose files lie in a folder: one without it is a mount point whose disk is away, or another disk.
MARKER = ".key-bundle-area"


def marked(root: Path) -> str | None:
    """Return the id of the area that a folder is marked as, None for none; raises OSError where it cannot be read."""
    try:
        return (root / MARKER).read_text(encoding="utf-8").strip()
    except FileNotFoundError:
        return None


def _place(root: Path, sha: str) -> Path:
    return root / sha[:2] / sha[2:4] / sha


@dataclass(frozen=True)
class Received:
    """A file that came in and is not of the store yet: where it lies, its SHA-256, its size in bytes."""

    path: Path
    sha: str
    size: int


class FileStore(Protocol):
    """A storage area: files by their SHA-256. Errors are EnvironmentProblem, for files that are handed in InputProblem."""

    root: Path

    def path(self, sha: str) -> Path:
        """Return where the file of that hash can be read."""

    def own_path(self, sha: str) -> Path:
        """Return where the file of that hash lies in this area, there or not."""

    def put(self, data: bytes) -> str:
        """Store bytes durably and return their SHA-256."""

    def put_file(self, source: Path, name: str) -> str:
        """Store a copy of a file and return its SHA-256."""

    def receive(self, name: str, fill: Callable[[Path], None]) -> contextlib.AbstractContextManager[Received]:
        """Let a file be looked at before it is of the store."""

    def keep(self, received: Received) -> None:
        """Make a received file one of the store."""

    def retire(self, sha: str, stored_at: float) -> bool:
        """Take away for good a file that nothing refers to any more; False where it was put again just now."""

    def get(self, sha: str) -> bytes:
        """Return the bytes."""

    def size(self, sha: str) -> int:
        """Return the bytes of a file, 0 for one that is gone."""

    def check(self, sha: str) -> str:
        """Return an empty text when this area's file is whole, else what is wrong with it."""

    def sweep(self) -> None:
        """Take away what a program that was killed had begun to receive."""


class FolderStore:
    """A folder, of this machine or mounted, as a storage area: ``root/ab/cd/abcd...`` for each SHA-256.

    What is not there is looked for in the ``others``.
    """

    def __init__(self, root: Path, others: Callable[[], Sequence[Path]] = tuple) -> None:
        self.root = root
        self.others = others

    def own_path(self, sha: str) -> Path:
        """Return where the file of that hash lies in this area, there or not."""
        return _place(self.root, sha)

    def path(self, sha: str) -> Path:
        """Return where the file of that hash can be read: here, else in another area; here where it is nowhere."""
        own = self.own_path(sha)
        if own.exists():
            return own
        return next((found for root in self.others() if (found := _place(root, sha)).exists()), own)

    def put(self, data: bytes) -> str:
        """Store bytes durably and return their SHA-256; raises EnvironmentProblem."""
        sha = hashlib.sha256(data).hexdigest()
        if self.check(sha) or not self._settle(sha):
            with self._part(sha[:12]) as temporary:
                write_whole(temporary, (data,), durable=False)
                self.keep(Received(temporary, sha, len(data)))
        return sha

    def _settle(self, sha: str) -> bool:
        """Make sure that the name of a file that is there, perhaps put by somebody else just now, is on the disk.

        The file is marked as put now, which ``retire`` heeds; False where it is gone meanwhile.
        """
        try:
            with contextlib.suppress(PermissionError):
                os.utime(self.own_path(sha))
            sync(self.own_path(sha).parent)
            return self.own_path(sha).exists()
        except FileNotFoundError:
            return False
        except OSError as error:
            raise explain_os_error(error, message("thing.stored-file", sha=sha[:12])) from error

    @contextlib.contextmanager
    def receive(self, name: str, fill: Callable[[Path], None]) -> Iterator[Received]:
        """Let a file be looked at before it is of the store: ``fill`` writes it to the path that it is given.

        It is gone after the block unless it was kept in it. Raises InputProblem and EnvironmentProblem that name it.
        """
        with self._part(name) as temporary:
            fill(temporary)
            digest, size = hashlib.sha256(), 0
            for block in read_blocks(temporary, name):
                digest.update(block)
                size += len(block)
            yield Received(temporary, digest.hexdigest(), size)

    @contextlib.contextmanager
    def _part(self, name: str) -> Iterator[Path]:
        """Give a path for a file that is being received; it is gone after the block unless it was kept in it."""
        temporary = self.root / f"{PART}{secrets.token_hex(8)}"
        try:
            make_folder(self.root)
            yield temporary
        except OSError as error:
            raise explain_os_error(error, f"“{name}”") from error
        finally:
            temporary.unlink(missing_ok=True)

    def keep(self, received: Received) -> None:
        """Make a received file one of the store, durably; raises EnvironmentProblem."""
        sha = received.sha
        if not self.check(sha) and self._settle(sha):
            return
        try:
            sync(received.path)
            make_folder(self.own_path(sha).parent)
            put_in_place(received.path, self.own_path(sha))
        except OSError as error:
            raise explain_os_error(error, message("thing.stored-file", sha=sha[:12])) from error

    def put_file(self, source: Path, name: str) -> str:
        """Store a copy of a file, block by block, and return its SHA-256; raises as ``receive`` does."""
        with self.receive(name, lambda target: copy_file(source, target, name)) as received:
            self.keep(received)
            return received.sha

    def sweep(self) -> None:
        """Take away what a program that was killed had begun to receive: unfinished files lie in the root alone."""
        for left in self.root.glob(f"{PART}*"):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > MAY_BE_SOMEBODYS:
                    left.unlink()

    def retire(self, sha: str, stored_at: float) -> bool:
        """Take away for good a file that nothing refers to any more; False where it was put again just now, and stays.

        Whoever puts a file refers to it only a moment later: one that was put after ``stored_at`` (seconds since the epoch)
        and less than an hour ago may be somebody's. It is moved aside before it is looked at, so that a put in
        between finds nothing and writes it anew.
        """
        own = self.own_path(sha)
        aside = own.with_name(f"{PART}{sha}")
        with contextlib.suppress(FileNotFoundError):
            own.rename(aside)
        try:
            put_at = aside.stat().st_mtime
        except FileNotFoundError:
            return True
        if stored_at < put_at and time.time() - put_at < MAY_BE_SOMEBODYS:
            aside.rename(own)
            return False
        aside.unlink(missing_ok=True)
        return True

    def get(self, sha: str) -> bytes:
        """Return the bytes; raises EnvironmentProblem when they are gone."""
        try:
            return self.path(sha).read_bytes()
        except OSError as error:
            raise explain_os_error(error, message("thing.stored-file", sha=sha[:12])) from error

    def size(self, sha: str) -> int:
        """Return the bytes of a file, 0 for one that is gone."""
        try:
            return self.path(sha).stat().st_size
        except OSError:
            return 0

    def check(self, sha: str) -> str:
        """Return an empty text when this area's file is whole, else what is wrong with it."""
        digest = hashlib.sha256()
        try:
            with self.own_path(sha).open("rb") as file:
                while block := file.read(BLOCK):
                    digest.update(block)
        except FileNotFoundError:
            return "missing"
        except OSError as error:
            return message("files.cannot-read", strerror=error.strerror)
        return "" if digest.hexdigest() == sha else "changed"


def read_blocks(path: Path, name: str) -> Iterator[bytes]:
    """Yield a file's bytes in blocks; raises InputProblem in words."""
    try:
        with path.open("rb") as file:
            while block := file.read(BLOCK):
                yield block
    except FileNotFoundError as error:
        raise InputProblem(message("files.not-check-name-nothing-taken", name=name)) from error
    except OSError as error:
        raise InputProblem(
            message("files.cannot-read-check-permissions", name=name, strerror=error.strerror)
        ) from error


def copy_file(source: Path, target: Path, name: str) -> None:
    """Copy a file block by block; raises InputProblem, naming it, where it cannot be read, OSError where there is no room."""
    write_whole(target, read_blocks(source, name), durable=False)
