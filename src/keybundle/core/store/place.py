"""A data directory: where everything lies, who holds it, and how it is opened."""

from __future__ import annotations

import contextlib
import fcntl
import itertools
import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from keybundle.core.base.clock import Clock, make_id
from keybundle.core.base.errors import EnvironmentProblem, Held, explain_os_error
from keybundle.core.base.files import OWN_FILE, OWN_FOLDER
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.store.database import HEAD, Database
from keybundle.core.store.files import FolderStore
from keybundle.core.store.looking import refuse_foreign

HOLD_SECONDS = 10.0


@dataclass(frozen=True)
class Place:
    """An open data directory with its database and files; ``was_brought_up``: it was an older version's until just now.

    ``holder`` is what this opening of it has in hand is noted under.
    """

    root: Path
    database: Database
    files: FolderStore
    clock: Clock
    was_brought_up: bool = False
    holder: str = ""

    @property
    def cache(self) -> Path:
        """Where derived pictures lie; can be deleted at any time."""
        return self.root / "cache"

    def close(self) -> None:
        """Let go of the database."""
        self.database.close()


def open_place(root: Path, *, clock: Clock | None = None, create: bool = True, held: bool = False) -> Place:
    """Open a data directory, making it where it is missing; raises EnvironmentProblem in words.

    Only who holds it (``held``) brings an older store to this version; a copy of the old one is kept beside it.
    """
    root = root.absolute()
    refuse_foreign(root)
    if not create and not (root / "keybundle.sqlite").exists():
        raise EnvironmentProblem(message("place.no-repository-make-one-keybundle", root=root))
    try:
        _make_own(root)
        for folder in ("files", "cache"):
            _make_own(root / folder)
    except OSError as error:
        raise explain_os_error(error, message("thing.data-directory", root=root)) from error
    if not os.access(root, os.W_OK):
        raise EnvironmentProblem(message("place.data-directory-cannot-written-permission", root=root))
    with contextlib.suppress(OSError):
        os.close(
            os.open(root / "keybundle.sqlite", os.O_CREAT | os.O_WRONLY, OWN_FILE)
        )  # the log beside it is as the file is
    database = Database(root / "keybundle.sqlite")
    try:
        was_brought_up = _bring_up(database, held=held)
    except BaseException:
        database.close()
        raise
    return Place(root, database, FolderStore(root / "files"), clock or Clock(), was_brought_up, make_id())


def _make_own(folder: Path) -> None:
    """Make a folder that other accounts may not look into, and let one that is ours be so from now on; raises OSError."""
    folder.mkdir(mode=OWN_FOLDER, parents=True, exist_ok=True)
    found = folder.stat()
    if found.st_uid == os.getuid() and found.st_mode & 0o077:
        folder.chmod(OWN_FOLDER)


def set_aside(root: Path) -> Path:
    """Move a data directory out of the way, beside itself, and return where it is now; raises EnvironmentProblem."""
    target = next(p for i in itertools.count(1) if not (p := root.with_name(f"{root.name}-aside-{i}")).exists())
    try:
        root.rename(target)
    except OSError as error:
        raise explain_os_error(error, message("thing.data-directory", root=root)) from error
    return target


def _bring_up(database: Database, *, held: bool) -> bool:
    """Bring an older store to this version and say whether it was one; a copy of it stays beside it until ``drop_copies``."""
    found = database.version()
    is_older = found is not None and found < HEAD
    if is_older:
        if not held:
            raise EnvironmentProblem(message("place.last-written-older-key-bundle", parent=database.path.parent))
        database.copy_to(database.path.with_name(f"{database.path.name}.{found}"))
    database.migrate()
    return is_older


def drop_copies(place: Place) -> None:
    """Take away the copies of a store as it was before it was brought up to date; for a start after that, gone well."""
    name = place.database.path.name
    for copy in place.root.glob(f"{name}.[0-9][0-9][0-9][0-9]"):
        copy.unlink(missing_ok=True)


@contextlib.contextmanager
def hold(
    root: Path, *, who: str, wait_seconds: float = HOLD_SECONDS, told: Callable[[str], None] | None = None
) -> Iterator[None]:
    """Hold a data directory for changes; raises Held when somebody else keeps it longer than ``wait_seconds``."""
    refuse_foreign(root)
    try:
        _make_own(root)
        file = os.fdopen(os.open(root / "holder.lock", os.O_CREAT | os.O_RDWR | os.O_APPEND, OWN_FILE), "a+")
    except OSError as error:
        raise explain_os_error(error, message("thing.data-directory", root=root)) from error
    with file:
        end = time.monotonic() + wait_seconds
        while True:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                file.seek(0)
                holder = file.read().strip() or message("place.another-program")
                if told is not None:
                    told(holder)
                if time.monotonic() >= end:
                    raise Held(message("place.data-directory-use-nothing-changed", root=root, holder=holder)) from None
                time.sleep(0.1)
        file.truncate(0)
        file.write(f"{who} (process {os.getpid()})")
        file.flush()
        try:
            yield
        finally:
            file.truncate(0)
