"""Registers that are read from a table of a database: a copy is kept, used while the database is away, and what changed is told.

SQLite files are opened for reading alone, PostgreSQL is asked through psycopg; both with limits of time, so that one that
hangs, or never ends, holds nothing up. The password lies in a file that only its owner may read.
"""

from __future__ import annotations

import contextlib
import sqlite3
import stat
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import Connection, Engine, NullPool, create_engine, inspect, make_url, text
from sqlalchemy.exc import SQLAlchemyError

from keybundle.core.base.errors import A_BUG, AppError, InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.registers.book import Entry
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Register, RegisterSource
from keybundle.core.store import work
from keybundle.core.store.work import Taken
from keybundle.core.workflows.session.behind import Duty, do_due
from keybundle.core.workflows.session.entries import bring_many_entries
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.source_states import load_states
from keybundle.core.workflows.session.workspace import Workspace

MOST_ROWS = 500_000
CONNECT_SECONDS, ASK_SECONDS, DAY = 5, 30, 86400.0
SQLITE, LOOK_EACH = "sqlite:///", 100_000  # so many steps of its machine between two looks at the clock


@dataclass(frozen=True)
class Refreshed:
    """What reading a source changed: how many entries there are, and how many were added, changed and removed."""

    entries: int
    added: int
    changed: int
    removed: int


@dataclass(frozen=True)
class TableLook:
    """What a database holds: its tables, and the columns of the one that is named."""

    tables: tuple[str, ...]
    columns: tuple[str, ...]


class Away(InputProblem):
    """A source could not be read; the message says why, in the database's own words where these help."""


@needs(Right.PREPARE)
def look_into(session: Session, register_id: str) -> TableLook:
    """Return the tables of a register's database, and the columns of its table; raises InputProblem where it is away."""
    register = _with_source(session.workspace, register_id)
    with _connected(register) as (c, _):
        looked = inspect(c)
        tables = tuple(sorted((*looked.get_table_names(), *looked.get_view_names())))
        known = register.source.table in tables
        columns = tuple(str(x["name"]) for x in looked.get_columns(register.source.table)) if known else ()
    return TableLook(tables, columns)


@needs(Right.PREPARE)
def refresh_register(session: Session, register_id: str) -> Refreshed:
    """Read a register from its database now; raises InputProblem where that cannot be, and then its copy stays."""
    return _refresh(session.workspace, _with_source(session.workspace, register_id), session.person)


def refresh_due(workspace: Workspace, *, at_once: bool, is_stopped: Callable[[], bool]) -> str:
    """Read the registers whose time has come; return what is in the way of one of them, in words."""
    if not workspace.has_setup:
        return ""
    own = [r for r in workspace.setup.registers if r.source.url and (at_once or r.source.every_minutes)]
    _note_new(workspace, own)
    for register in own:
        duty = Duty(work.SOURCE, _reader(workspace, register, MACHINE), "", longest_wait=_every(register) or DAY)
        do_due(workspace, duty, at_once=at_once, refs=[register.id], is_stopped=is_stopped)
    with workspace.place.database.read() as c:
        states = load_states(c)
    troubled = (states[r.id] for r in own if r.id in states and states[r.id].trouble)
    return next((state.said(workspace.setup) for state in troubled), "")


def _every(register: Register) -> float:
    return register.source.every_minutes * 60.0


def _note_new(workspace: Workspace, registers: Sequence[Register]) -> None:
    """Note that registers are to be read that never were."""
    with workspace.place.database.read() as c:
        known = {taken.ref for taken in work.list_work(c, work.SOURCE)}
    if new := [r.id for r in registers if r.id not in known]:
        with workspace.place.database.atomic() as c:
            for ref in new:
                work.due(c, workspace.clock.stamp(), work.SOURCE, ref)


def _reader(workspace: Workspace, register: Register, who: str) -> Callable[[Taken, Any], None]:
    def read(taken: Taken, outcome: Any) -> None:
        _read(workspace, register, who, taken)

    return read


def _with_source(workspace: Workspace, register_id: str) -> Register:
    register = workspace.setup.register(register_id)
    if register is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    if not register.source.url:
        raise InputProblem(message("sources.no-source", name=register.name))
    return register


def _refresh(workspace: Workspace, register: Register, who: str) -> Refreshed:
    """Read a register from its database, at once; raises Away, and notes that, where it cannot be."""
    database, clock = workspace.place.database, workspace.clock
    _note_new(workspace, [register])
    with database.atomic() as c:
        own = work.take(c, clock, work.SOURCE, workspace.place.holder, at_once=True, refs=[register.id])
    if not own:
        raise Away(message("sources.being-read", name=register.name))
    try:
        return _read(workspace, register, who, own[0])
    except BaseException as error:
        with database.atomic() as c:
            told = str(error) if isinstance(error, AppError) else A_BUG
            work.wait(c, clock, own[0], told, longest=_every(register) or DAY)
        raise


def _read(workspace: Workspace, register: Register, who: str, taken: Taken) -> Refreshed:
    fresh = read_source(register)
    found = _take_over(workspace, register, fresh, who, workspace.clock.stamp())
    with workspace.place.database.atomic() as c:
        read_at = {"read_at": workspace.clock.stamp()}
        work.again(c, workspace.clock, taken, _every(register) or DAY, data=read_at)
    return found


def _take_over(workspace: Workspace, register: Register, fresh: Mapping[str, Entry], who: str, stamp: str) -> Refreshed:
    """Bring a register's entries to those that were read, in pieces; what stays the same is not touched.

    ``register`` is as it was when they were read: a column that is called otherwise since is the same one all the same.
    """
    database = workspace.place.database
    brought = bring_many_entries(database, register, fresh, who=who, at=stamp, what="register read")
    if brought.is_any:
        workspace.forget_books(register.id)
    return Refreshed(len(fresh), brought.added, brought.changed, brought.removed)


def read_source(register: Register) -> dict[str, Entry]:
    """Return the entries of a register's table by key, the first of each; raises Away in words."""
    source = register.source
    with _connected(register) as (c, quote):
        looked = inspect(c)
        tables = (*looked.get_table_names(), *looked.get_view_names())
        if source.table not in tables:
            known = ", ".join(sorted(tables)) or "none"
            raise Away(message("sources.no-table", table=source.table, known=known))
        there = [str(x["name"]) for x in looked.get_columns(source.table)]
        named = {column: source.columns.get(column) or column for column in register.columns}
        if missing := [name for name in named.values() if name not in there]:
            raise Away(message("sources.no-column", column=missing[0], known=", ".join(there)))
        asked = ", ".join(quote(name) for name in named.values())
        rows = c.execute(text(f"SELECT {asked} FROM {quote(source.table)} LIMIT :most"), {"most": MOST_ROWS + 1}).all()
    if len(rows) > MOST_ROWS:
        raise Away(message("sources.too-many", most=MOST_ROWS))
    found: dict[str, Entry] = {}
    for row in rows:
        entry = {column: _text(value) for column, value in zip(named, row, strict=True)}
        if entry[register.key]:
            found.setdefault(entry[register.key], entry)
    if not found:
        raise Away(message("sources.no-keys", key=register.key))
    return found


def _text(value: Any) -> str:
    return "" if value is None else " ".join(str(value).split())


@contextlib.contextmanager
def _connected(register: Register) -> Iterator[tuple[Connection, Callable[[str], str]]]:
    """Return a connection to a register's database with limits of time, and how names are quoted there; raises Away."""
    try:
        engine = _engine(register.source)
    except (SQLAlchemyError, ValueError) as error:
        raise Away(message("sources.refused", why=_say(error))) from error
    try:
        with engine.connect() as c:
            yield c, engine.dialect.identifier_preparer.quote
    except (SQLAlchemyError, OSError) as error:
        raise Away(message("sources.refused", why=_say(error))) from error
    finally:
        engine.dispose()


def _engine(source: RegisterSource) -> Engine:
    if source.url.startswith(SQLITE):
        path = Path(source.url.removeprefix(SQLITE)).absolute()
        if not path.is_file():
            raise Away(message("sources.no-file", path=path))
        return create_engine("sqlite://", creator=lambda: _open_sqlite(path), poolclass=NullPool)
    url = make_url(source.url)
    if url.drivername == "postgresql":
        url = url.set(drivername="postgresql+psycopg")
    if source.password_file:
        url = url.set(password=_password(Path(source.password_file).expanduser()))
    options = f"-c statement_timeout={ASK_SECONDS * 1000} -c default_transaction_read_only=on"
    return create_engine(url, connect_args={"connect_timeout": CONNECT_SECONDS, "options": options})


def _open_sqlite(path: Path) -> sqlite3.Connection:
    """Open a file for reading alone: what we read from must not be made, locked or changed by us; its answers end in time."""
    found = sqlite3.connect(f"file:{quote(str(path))}?mode=ro", uri=True, timeout=CONNECT_SECONDS)
    end = time.monotonic() + ASK_SECONDS
    found.set_progress_handler(lambda: time.monotonic() > end, LOOK_EACH)
    return found


def _password(path: Path) -> str:
    try:
        if path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
            raise Away(message("sources.secret-open", path=path))
        return path.read_text(encoding="utf-8").strip()
    except OSError as error:
        raise Away(message("sources.secret-gone", path=path, why=error.strerror or "")) from error


def _say(error: BaseException) -> str:
    """Return what a database says of a failure, without the statement that was asked."""
    told = str(getattr(error, "orig", None) or error).strip().splitlines()
    if told == ["interrupted"]:
        return message("sources.too-long", seconds=ASK_SECONDS)
    return told[0][:200] if told else type(error).__name__
