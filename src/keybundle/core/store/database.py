"""The engine, and ``atomic()``: transactions that nest.

Guaranteed: the outermost ``atomic()`` commits or rolls back everything in it, inner ones are savepoints, the original
error wins, and a commit is on the disk when it returns (SQLite WAL with ``synchronous=FULL``). One writer at a time
in this process; another process's writer is waited for up to ``BUSY_SECONDS``. Not guaranteed: anything on a file
system without working locks.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.pool import QueuePool

from keybundle.core.base.errors import AppError, EnvironmentProblem

BUSY_SECONDS = 10
HEAD = "0006"


def _open_engine(path: Path) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}", connect_args={"timeout": BUSY_SECONDS, "check_same_thread": False}, poolclass=QueuePool,
        pool_size=6, max_overflow=10,
    )  # fmt: skip

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "temp_store=MEMORY"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _on_begin(connection: Connection) -> None:
        immediate = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if immediate else "BEGIN")

    return engine


class Database:
    """The one database of a data directory."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._engine = _open_engine(path)
        self._writer = threading.RLock()
        self._local = threading.local()

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """Give a connection that sees one moment of the database; inside ``atomic()`` the one of that."""
        current: Connection | None = getattr(self._local, "connection", None)
        if current is not None:
            yield current
            return
        with self._engine.connect() as connection:
            yield connection

    @contextmanager
    def atomic(self) -> Iterator[Connection]:
        """Give a connection inside a transaction; raises EnvironmentProblem when the disk or a lock stands in the way."""
        current: Connection | None = getattr(self._local, "connection", None)
        if current is not None:
            with current.begin_nested():
                yield current
            return
        with self._writer:
            try:
                with self._engine.connect().execution_options(writes=True) as connection, connection.begin():
                    self._local.connection = connection
                    try:
                        yield connection
                    finally:
                        self._local.connection = None
            except OperationalError as error:
                raise _explain(error) from error

    def migrate(self) -> None:
        """Bring the schema to this version; a newer one is refused politely."""
        found = self._found_version()
        if found == HEAD:
            return
        if found is not None and found > HEAD:
            raise AppError(
                f"This repository was written by a newer Key Bundle (schema {found}, here {HEAD}). "
                "Nothing was changed; open it with the newer one."
            )
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.atomic() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def _found_version(self) -> str | None:
        with self.read() as connection:
            known = connection.execute(text("SELECT 1 FROM sqlite_master WHERE name='alembic_version'")).first()
            return connection.execute(text("SELECT version_num FROM alembic_version")).scalar() if known else None

    def close(self) -> None:
        """Let go of all connections."""
        self._engine.dispose()


def _explain(error: OperationalError) -> Exception:
    said = str(error.orig)
    if "locked" in said:
        return EnvironmentProblem("Another program is writing to this repository. Nothing was changed; try again.")
    if "full" in said:
        return EnvironmentProblem(
            "There is no space left on the disk. Nothing was changed; free some space, try again."
        )
    if "readonly" in said or "unable to open" in said:
        return EnvironmentProblem("The data directory cannot be written. Give this user the right to write there.")
    return error
