"""Room that is kept back on the disk of a data directory, so that on a full one something can still be deleted and erased."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from keybundle.core.base.files import OWN_FILE

NAME, BYTES, LEAST_FREE = "reserve", 16 << 20, 8 << 20


def keep_reserve(root: Path) -> None:
    """Keep the room back where the disk has plenty; where it has not, nothing is kept."""
    path = root / NAME
    with contextlib.suppress(OSError):
        if path.exists() or shutil.disk_usage(root).free < 2 * BYTES:
            return
        fd = os.open(path, os.O_CREAT | os.O_WRONLY, OWN_FILE)
        try:
            os.posix_fallocate(fd, 0, BYTES)
        except OSError:
            path.unlink(missing_ok=True)
        finally:
            os.close(fd)


@contextlib.contextmanager
def making_room(root: Path) -> Iterator[None]:
    """Let what makes room use the room that is kept back, where the disk is full; it is kept back again as soon as can be."""
    with contextlib.suppress(OSError):
        if shutil.disk_usage(root).free < LEAST_FREE:
            (root / NAME).unlink(missing_ok=True)
    try:
        yield
    finally:
        keep_reserve(root)
