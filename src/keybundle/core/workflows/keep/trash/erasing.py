"""What is left to do once documents are erased: their files in all areas, their pictures, and what the index still holds.

All of it is noted by the change that erases (``store/work.py``) and struck off once it is done: a stop in between, or a disk
that is away, leaves it for another try.
"""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Callable, Collection
from datetime import datetime
from pathlib import Path

from sqlalchemy import Connection

from keybundle.core.base.errors import AppError
from keybundle.core.base.messages import message
from keybundle.core.filing import trash
from keybundle.core.store import ledger, work
from keybundle.core.store.files import MAY_BE_SOMEBODYS
from keybundle.core.store.work import Taken
from keybundle.core.workflows.keep.areas.places import retire_copies
from keybundle.core.workflows.session.workspace import Workspace

# Made of documents for a moment each; what is in them cannot be told by a name.
MADE_OF_MANY = ("drafts", "preview", "dragged-*")
AT_ONCE, SETTLE_TRIES, SETTLE_SECONDS = 200, 5, 0.05


def finish_erasing(
    workspace: Workspace, *, at_once: bool = True, is_stopped: Callable[[], bool] = lambda: False
) -> int:
    """Take away what is due, and return how many files are still to come."""
    pictures = list[Taken]()
    while lot := _take(workspace, work.ERASE_PICTURES, at_once=at_once):
        _drop_pictures(workspace.place.cache, {taken.ref for taken in lot})
        pictures += lot
    did = bool(pictures)
    while not is_stopped() and (lot := _take(workspace, work.ERASE, at_once=at_once)):
        did = True
        at_once = False  # what has to wait waits
        for taken in lot:
            _erase_file(workspace, taken)
    is_settled = not did or _settle(workspace)
    with workspace.place.database.atomic() if pictures else workspace.place.database.read() as c:
        for taken in pictures:
            if is_settled:
                work.done(c, taken)
            else:
                work.again(c, workspace.clock, taken, work.RETRY_SECONDS[0])  # the log still holds what was erased
        return work.count(c, work.ERASE)


def erase_behind(workspace: Workspace, *, at_once: bool, is_stopped: Callable[[], bool]) -> str:
    """Take away what is due as its time comes; return what is in the way of some."""
    finish_erasing(workspace, at_once=at_once, is_stopped=is_stopped)
    with workspace.place.database.read() as c:
        waiting, said = work.troubles(c, work.ERASE)
    return message("erasing.wait", n=waiting, said=said) if waiting else ""


def _take(workspace: Workspace, kind: str, *, at_once: bool) -> list[Taken]:
    place = workspace.place
    with place.database.read() as c:
        if not work.list_free(c, place.clock, kind, at_once=at_once):
            return []
    with place.database.atomic() as c:
        return work.take(c, place.clock, kind, place.holder, at_once=at_once, most=AT_ONCE)


def _erase_file(workspace: Workspace, taken: Taken) -> None:
    """Take one file away; nobody can begin to name it while it is asked and taken away."""
    clock = workspace.clock
    with workspace.place.database.atomic() as c:
        try:
            if ledger.is_held(c, taken.ref) or _retire(workspace, c, taken):
                work.done(c, taken)
            else:
                work.again(c, clock, taken, MAY_BE_SOMEBODYS, tries=taken.tries)  # somebody put it again just now
        except AppError as error:
            work.wait(c, clock, taken, str(error))


def _retire(workspace: Workspace, c: Connection, taken: Taken) -> bool:
    since = datetime.fromisoformat(taken.data["since"]).timestamp()
    is_gone = workspace.place.files.retire(taken.ref, since)
    return retire_copies(workspace, c, taken.ref, since) and is_gone


def _drop_pictures(cache: Path, names: Collection[str]) -> None:
    for made in (found for pattern in MADE_OF_MANY for found in cache.glob(pattern)):
        shutil.rmtree(made, ignore_errors=True)
    for folder, _, files in os.walk(cache):
        for file in files:
            found = Path(folder, file)
            if any(name in str(found.relative_to(cache)) for name in names):
                found.unlink(missing_ok=True)


def _settle(workspace: Workspace) -> bool:
    """Let the index and the log of the database forget what was erased, in pieces that hold nobody up; False if not all."""
    database = workspace.place.database
    more = True
    while more:
        with database.atomic() as c:
            more = trash.settle_index(c)
    for _ in range(SETTLE_TRIES):
        if database.settle():
            return True
        time.sleep(SETTLE_SECONDS)
    return False
