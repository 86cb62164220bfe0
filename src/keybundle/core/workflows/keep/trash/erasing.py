"""What is left to do once documents are erased: their files in all areas, their pictures, and what the index still holds.

All of it is noted by the change that erases (``erase_due``) and struck off once it is done: a stop in between, or a disk
that is away, leaves it for the next start.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Collection
from datetime import datetime
from pathlib import Path

from sqlalchemy import Connection, delete, select

from keybundle.core.filing import trash
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.areas.places import retire_copies
from keybundle.core.workflows.session.workspace import Workspace

# Made of documents for a moment each; what is in them cannot be told by a name.
MADE_OF_MANY = ("drafts", "preview")


def finish_erasing(workspace: Workspace) -> int:
    """Take away what is due, and return how many files are still to come."""
    database, d = workspace.place.database, t.erase_due.c
    with database.read() as c:
        due = c.execute(select(t.erase_due)).all()
    if not due:
        return 0
    _drop_pictures(workspace.place.cache, {row.name for row in due})
    left = 0
    for row in (row for row in due if row.is_file):
        # Nobody can begin to name the file while it is asked and taken away.
        with database.atomic() as c:
            if trash.is_named(c, row.name) or _retire(workspace, c, row.name, row.stored_at):
                c.execute(delete(t.erase_due).where(d.name == row.name))
            else:
                left += 1
    _settle(workspace)
    with database.atomic() as c:
        c.execute(delete(t.erase_due).where(d.is_file.is_(False), d.name.in_([row.name for row in due])))
    return left


def _retire(workspace: Workspace, c: Connection, sha: str, stored_at: str) -> bool:
    since = datetime.fromisoformat(stored_at).timestamp()
    copies = retire_copies(workspace, c, sha, since)
    return workspace.place.files.retire(sha, since) and copies


def _drop_pictures(cache: Path, names: Collection[str]) -> None:
    for folder in MADE_OF_MANY:
        shutil.rmtree(cache / folder, ignore_errors=True)
    for folder, _, files in os.walk(cache):
        for file in files:
            found = Path(folder, file)
            if any(name in str(found.relative_to(cache)) for name in names):
                found.unlink(missing_ok=True)


def _settle(workspace: Workspace) -> None:
    """Let the index and the log of the database forget what was erased, in pieces that hold nobody up."""
    database = workspace.place.database
    more = True
    while more:
        with database.atomic() as c:
            more = trash.settle_index(c)
    database.settle()
