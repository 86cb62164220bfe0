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

from keybundle.core.base.errors import InputProblem, explain_os_error
from keybundle.core.base.files import PART, make_folder, put_in_place, sync_folder, write_atomic, write_whole
from keybundle.core.base.messages import message

BLOCK = 1 << 20
MAY_BE_SOMEBODYS = 3600.0


def _place(root: Path, sha: str) -> Path:
    return root / sha[:2] / sha[2:4] / sha


class FileStore:
    """One storage area: ``root/ab/cd/abcd...`` for each SHA-256; what is not there is looked for in the ``others``."""

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
            write_atomic(self.own_path(sha), data)
        return sha

    def _settle(self, sha: str) -> bool:
        """Make sure that the name of a file that is there, perhaps put by somebody else just now, is on the disk.

        The file is marked as put now, which ``retire`` heeds; False where it is gone meanwhile.
        """
        try:
            with contextlib.suppress(PermissionError):
                os.utime(self.own_path(sha))
            sync_folder(self.own_path(sha).parent)
            return self.own_path(sha).exists()
        except FileNotFoundError:
            return False
        except OSError as error:
            raise explain_os_error(error, message("thing.stored-file", sha=sha[:12])) from error

    def put_file(self, source: Path, name: str) -> tuple[str, bool]:
        """Store a copy of a file, block by block; return (SHA-256, whether it was not there before).

        Raises InputProblem, naming ``name``, for one that cannot be read, EnvironmentProblem where the store cannot
        take it.
        """
        digest = hashlib.sha256()
        temporary = self.root / f"{PART}{secrets.token_hex(8)}"

        def blocks() -> Iterator[bytes]:
            for block in read_blocks(source, name):
                digest.update(block)
                yield block

        try:
            make_folder(self.root)
            write_whole(temporary, blocks())
            sha = digest.hexdigest()
            if not self.check(sha) and self._settle(sha):
                return sha, False
            make_folder(self.own_path(sha).parent)
            put_in_place(temporary, self.own_path(sha))
            return sha, True
        except OSError as error:
            raise explain_os_error(error, f"“{name}”") from error
        finally:
            temporary.unlink(missing_ok=True)

    def drop(self, sha: str) -> None:
        """Take a file away again that nothing refers to yet."""
        self.own_path(sha).unlink(missing_ok=True)

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
