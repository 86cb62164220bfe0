"""A data directory brought to another place: renamed where that is on the same disk, else copied, compared, then removed."""

from __future__ import annotations

import errno
import hashlib
import os
import secrets
import shutil
from pathlib import Path

from keybundle.core.base.errors import Cancelled, EnvironmentProblem, explain_os_error
from keybundle.core.base.files import OWN_FOLDER, sync
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.store.recent import note_place

LEFT_BEHIND = ("cache", "holder.lock")
BLOCK = 1 << 20


def refuse_target(root: Path, target: Path) -> None:
    """Raise EnvironmentProblem where a data directory cannot be brought to a place: it holds something, or lies inside."""
    root, target = root.resolve(), target.resolve()
    if target == root or target.is_relative_to(root):
        raise EnvironmentProblem(message("moving.inside", target=target))
    if target.exists() and (not target.is_dir() or any(target.iterdir())):
        raise EnvironmentProblem(message("moving.not-empty", target=target))


def move_directory(root: Path, target: Path, *, progress: Progress = silent, cancel: CancelToken | None = None) -> None:
    """Bring a data directory, which nobody has open, to an empty or missing folder.

    Until all is copied and compared the old one stays whole; where it is stopped, or something is in the way, the copy
    goes. Raises Cancelled or EnvironmentProblem.
    """
    refuse_target(root, target)
    made = not target.exists()
    try:
        if not made:
            target.rmdir()
        note_place(target)  # a stop after this finds the data where it is by then
        root.rename(target)
        return
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise explain_os_error(error, message("thing.data-directory", root=target)) from error
    try:
        _copy(root, target, progress, cancel)
    except (OSError, Cancelled, EnvironmentProblem) as error:
        shutil.rmtree(target, ignore_errors=True)
        if isinstance(error, OSError):
            raise explain_os_error(error, message("thing.data-directory", root=target)) from error
        raise
    note_place(target)
    # Out of sight at once: a stop in between leaves no half of it where it was.
    gone = root.with_name(f"{root.name}-moved-{secrets.token_hex(4)}")
    try:
        root.rename(gone)
    except OSError:
        gone = root
    shutil.rmtree(gone, ignore_errors=True)


def _copy(root: Path, target: Path, progress: Progress, cancel: CancelToken | None) -> None:
    files = [p for p in sorted(root.rglob("*")) if p.is_file() and p.relative_to(root).parts[0] not in LEFT_BEHIND]
    target.mkdir(mode=OWN_FOLDER, parents=True, exist_ok=True)
    for done, path in enumerate(files, 1):
        if cancel is not None:
            cancel.check()
        copy = target / path.relative_to(root)
        copy.parent.mkdir(parents=True, exist_ok=True)
        if _write(path, copy) != _digest(copy):
            raise EnvironmentProblem(message("moving.differs", name=path.name))
        progress(Step(done, len(files), message("moving.moving")))
    for folder in (target, *(p for p in target.rglob("*") if p.is_dir())):
        sync(folder)


def _write(path: Path, copy: Path) -> str:
    """Copy a file durably and return the digest of what was read."""
    digest = hashlib.sha256()
    with path.open("rb") as source, copy.open("wb") as out:
        while block := source.read(BLOCK):
            digest.update(block)
            out.write(block)
        out.flush()
        os.fsync(out.fileno())
    shutil.copystat(path, copy)
    return digest.hexdigest()


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
