"""The engine, and ``atomic()``: transactions that nest.

Guaranteed: the outermost ``atomic()`` commits or rolls back everything in it, inner ones are savepoints, the original
error wins, and a commit is on the disk when it returns (SQLite WAL with ``synchronous=FULL``). One writer at a time
in this process; another process's writer is waited for up to ``BUSY_SECONDS``. Not guaranteed: anything on a file
system without working locks.
"""

from __future__ import annotations

import contextlib
import sqlite3
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.pool import QueuePool

from keybundle.core.base.days import month_of
from keybundle.core.base.errors import AppError, EnvironmentProblem, OldFormat, Passing
from keybundle.core.base.folding import fold
from keybundle.core.base.messages import message

BUSY_SECONDS = 10
HEAD = "0004"
FORMAT = 7


def _open_engine(path: Path) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}", connect_args={"timeout": BUSY_SECONDS, "check_same_thread": False}, poolclass=QueuePool,
        pool_size=6, max_overflow=10,
    )  # fmt: skip

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        connection.create_function("fold", 1, fold, deterministic=True)
        connection.create_function("month_in", 2, month_of, deterministic=True)
        for pragma in (
            "journal_mode=WAL",
            "synchronous=FULL",
            "foreign_keys=ON",
            "temp_store=MEMORY",
            "secure_delete=ON",
        ):
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

    @contextlib.contextmanager
    def read(self) -> Iterator[Connection]:
        """Give a connection that sees one moment of the database; inside ``atomic()`` or ``read()`` the one of that."""
        current: Connection | None = getattr(self._local, "connection", None) or getattr(self._local, "reading", None)
        if current is not None:
            yield current
            return
        with self._engine.connect() as connection:
            self._local.reading = connection
            try:
                yield connection
            finally:
                self._local.reading = None

    @contextlib.contextmanager
    def atomic(self) -> Iterator[Connection]:
        """Give a connection inside a transaction; raises EnvironmentProblem when the disk or a lock stands in the way."""
        current: Connection | None = getattr(self._local, "connection", None)
        if current is not None:
            with current.begin_nested():
                yield current
            return
        with self._writer:
            self._local.after = after = list[Callable[[], None]]()
            try:
                with self._engine.connect().execution_options(writes=True) as connection, connection.begin():
                    self._local.connection = connection
                    try:
                        yield connection
                    finally:
                        self._local.connection = None
            except OperationalError as error:
                told = _explain(error)
                if told is None:
                    raise
                raise told from error
            for call in after:
                call()

    def after_commit(self, call: Callable[[], None]) -> None:
        """Call back once the outermost transaction of this thread is on the disk, never when it is rolled back."""
        self._local.after.append(call)

    def migrate(self) -> None:
        """Bring the schema to this version; a newer one is refused politely, and so is one of an earlier format."""
        found = self.version()
        if found == HEAD:
            return
        if found is not None and found > HEAD:
            raise AppError(message("database.repository-written-newer-key-bundle", found=found, HEAD=HEAD))
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        # A table that is made anew is gone for a moment: what refers to it is looked at in the end, all at once.
        with self._writer, self._engine.connect().execution_options(writes=True) as connection:
            raw = connection.connection.driver_connection
            assert raw is not None
            raw.execute("PRAGMA foreign_keys = OFF")
            try:
                with connection.begin():
                    config.attributes["connection"] = connection
                    command.upgrade(config, "head")
                    if broken := connection.exec_driver_sql("PRAGMA foreign_key_check").all():
                        raise ValueError(f"a migration left rows that refer to nothing: {broken[:3]}")
            except OperationalError as error:
                told = _explain(error)
                if told is None:
                    raise
                raise told from error
            finally:
                raw.execute("PRAGMA foreign_keys = ON")

    def copy_to(self, path: Path) -> None:
        """Write a whole copy of the database as it is now; one that is there is replaced."""
        path.unlink(missing_ok=True)
        with (
            contextlib.closing(sqlite3.connect(self.path)) as source,
            contextlib.closing(sqlite3.connect(path)) as copy,
        ):
            source.backup(copy)

    def version(self) -> str | None:
        """Return the schema's version, None for an empty database; raises OldFormat for a store of another format."""
        with self.read() as connection:
            names = set(connection.execute(text("SELECT name FROM sqlite_master WHERE type = 'table'")).scalars())
            if "alembic_version" not in names:
                return None
            stamp = (
                connection.execute(text("SELECT stamp FROM store_format")).scalar() if "store_format" in names else 1
            )
            if stamp != FORMAT:
                raise OldFormat(
                    message(
                        "database.holds-repository-format-key-bundle",
                        parent=self.path.parent,
                        stamp=stamp,
                        FORMAT=FORMAT,
                    )
                )
            return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()

    def settle(self) -> bool:
        """Write what lies in the log into the database and empty the log; False where somebody reads from it just now."""
        try:
            with self._engine.connect() as connection:
                busy, _, _ = connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)").one()
        except OperationalError:
            return False
        return not busy

    def close(self) -> None:
        """Keep the planner's statistics fresh where they can be written, and let go of all connections."""
        with contextlib.suppress(Exception), self._engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA busy_timeout = 200")
            connection.exec_driver_sql("PRAGMA optimize")
        self._engine.dispose()


def _explain(error: OperationalError) -> EnvironmentProblem | None:
    """Return the error in words; None where there are none for it."""
    said = str(error.orig)
    if "locked" in said:
        return Passing(message("database.another-program-writing-repository-nothing"))
    if "full" in said:
        return Passing(message("database.no-space-left-disk-nothing"))
    if "readonly" in said or "unable to open" in said:
        return EnvironmentProblem(message("database.data-directory-cannot-written-give"))
    if "disk I/O" in said:
        return Passing(message("database.disk-did-not-take-what"))
    return None
