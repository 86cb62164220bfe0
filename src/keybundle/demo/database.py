"""A small database with a table of suppliers: a stand-in for trying out registers that are read from one."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.demo.names import make_world


def make_database(path: Path) -> int:
    """Write the suppliers of the demo world into a new SQLite file, and return how many; raises InputProblem for a file there."""
    if path.exists():
        raise InputProblem(f"“{path}” is there already; nothing was changed. Name another file.")
    columns = ("Supplier number", "Name", "IBAN", "Town")
    rows = [tuple(row.get(c, "") for c in columns) for row in make_world().suppliers]
    with closing(sqlite3.connect(path)) as c, c:
        c.execute("CREATE TABLE suppliers (number TEXT, name TEXT, iban TEXT, town TEXT)")
        c.executemany("INSERT INTO suppliers VALUES (?, ?, ?, ?)", rows)
    return len(rows)
