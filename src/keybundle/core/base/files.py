"""Files that are whole or not there.

Guaranteed: a reader sees the old content or the new one; after the call returns the bytes and the name are on the
disk (the file, its folder, and each folder that was made for it are fsynced). What is made here is its owner's alone (0600,
folders 0700). Not guaranteed: anything across file systems, for links, or against a disk that lies about fsync.
"""

from __future__ import annotations

import contextlib
import os
import secrets
from collections.abc import Iterable
from pathlib import Path

from keybundle.core.base.errors import explain_os_error

PART = ".part-"
OWN_FILE, OWN_FOLDER = 0o600, 0o700


def sync(path: Path) -> None:
    """Put a written file's bytes, or a folder's names, on the disk."""
    fd = os.open(path, os.O_RDONLY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)


def make_folder(folder: Path, *, durable: bool = True) -> None:
    """Make a folder and those above it where they are missing; raises OSError."""
    if folder.is_dir():
        return
    make_folder(folder.parent, durable=durable)
    with contextlib.suppress(FileExistsError):
        folder.mkdir(mode=OWN_FOLDER)
    if durable:
        sync(folder.parent)


def write_atomic(path: Path, data: bytes, *, durable: bool = True) -> None:
    """Write beside, fsync (unless not ``durable``), rename; raises EnvironmentProblem and leaves the old state."""
    temporary = path.parent / f"{PART}{secrets.token_hex(8)}"
    try:
        make_folder(path.parent, durable=durable)
        write_whole(temporary, (data,), durable=durable)
        put_in_place(temporary, path, durable=durable)
    except OSError as error:
        with contextlib.suppress(OSError):
            temporary.unlink()
        raise explain_os_error(error, f"“{path.name}”") from error


def write_whole(path: Path, blocks: Iterable[bytes], *, durable: bool = True) -> None:
    """Write a new file; raises OSError."""
    fd = os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, OWN_FILE)
    with os.fdopen(fd, "wb") as out:
        for block in blocks:
            out.write(block)
        if durable:
            out.flush()
            os.fsync(out.fileno())


def put_in_place(temporary: Path, path: Path, *, durable: bool = True) -> None:
    """Give a written file its name; raises OSError."""
    os.replace(temporary, path)
    if durable:
        sync(path.parent)
