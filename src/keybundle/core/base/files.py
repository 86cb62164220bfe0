"""Files that are whole or not there.

Guaranteed: a reader sees the old content or the new one; after the call returns the bytes and the name are on the
disk (file and folder are fsynced). Not guaranteed: anything across file systems, for links, or against a disk that
lies about fsync.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from keybundle.core.base.errors import explain_os_error


def sync_folder(folder: Path) -> None:
    """Put a folder's names on the disk."""
    fd = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)


def write_atomic(path: Path, data: bytes, *, durable: bool = True) -> None:
    """Write beside, fsync (unless not ``durable``), rename; raises EnvironmentProblem and leaves the old state."""
    temporary = ""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        fd, temporary = tempfile.mkstemp(dir=path.parent, prefix=".part-")
        with os.fdopen(fd, "wb") as out:
            out.write(data)
            if durable:
                out.flush()
                os.fsync(out.fileno())
        os.replace(temporary, path)
        if durable:
            sync_folder(path.parent)
    except OSError as error:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise explain_os_error(error, f"“{path.name}”") from error
