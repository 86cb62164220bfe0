"""A look at a directory before anything is made or held in it: whether it is a repository's, empty, or something else's."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from pathlib import Path

from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.base.messages import message

STORE, SIGN = "keybundle.sqlite", b"SQLite format 3\0"
OURS = {"cache", "files", "areas", "holder.lock", "reserve", "window.ini", "feeder"}
LONGEST = 480  # bytes of the store's own path: the engine takes 512
MOST_NAMED = 3


def refuse_foreign(root: Path) -> None:
    """Raise EnvironmentProblem, in words, for a directory that is no repository and not free for one; nothing is made."""
    root = root.absolute()
    if len(os.fsencode(root / f"{STORE}-journal")) > LONGEST:
        raise EnvironmentProblem(message("place.path-too-long", root=root, most=LONGEST))
    store = root / STORE
    try:
        if store.is_file() and store.stat().st_size:
            _refuse_other_store(store)
        elif root.is_dir():
            _refuse_other_files(root)
    except OSError:
        return  # what is in the way is said by who opens it


def _refuse_other_files(root: Path) -> None:
    others = sorted(p.name for p in root.iterdir() if p.name not in OURS and not p.name.startswith((STORE, ".")))
    if others:
        named = ", ".join(others[:MOST_NAMED]) + (", ..." if len(others) > MOST_NAMED else "")
        raise EnvironmentProblem(message("place.holds-other-files", root=root, named=named))


def _refuse_other_store(store: Path) -> None:
    with store.open("rb") as file:
        if file.read(len(SIGN)) != SIGN:
            raise EnvironmentProblem(message("place.store-broken", store=store))
    try:
        with contextlib.closing(sqlite3.connect(f"{store.as_uri()}?mode=ro", uri=True)) as connection:
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except sqlite3.OperationalError:
        return  # busy, or not to be read: who opens it says so
    except sqlite3.DatabaseError as error:
        raise EnvironmentProblem(message("place.store-broken", store=store)) from error
    if tables and "alembic_version" not in tables:
        raise EnvironmentProblem(message("place.store-of-another", store=store))
