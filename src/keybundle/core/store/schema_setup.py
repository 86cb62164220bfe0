"""The tables of what is set up: its parts with their history, registers' entries, settings, counters, passwords; and drafts."""

from __future__ import annotations

from sqlalchemy import JSON, Boolean, Column, Index, Integer, MetaData, String, Table

metadata = MetaData()
store_format = Table("store_format", metadata, Column("stamp", Integer, primary_key=True))
setup_part = Table(
    "setup_part",
    metadata,
    Column("kind", String, primary_key=True),
    Column("id", String, primary_key=True),
    Column("position", Integer, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("data", JSON, nullable=False),
    Column("is_dropped", Boolean, nullable=False),
)
setup_history = Table(
    "setup_history",
    metadata,
    Column("seq", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("id", String, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("data", JSON(none_as_null=True)),
)
Index("history_by_part", setup_history.c.kind, setup_history.c.id, setup_history.c.seq)
register_entry = Table(
    "register_entry",
    metadata,
    Column("register", String, primary_key=True),
    Column("key", String, primary_key=True),
    Column("position", Integer, nullable=False),
    Column("row", JSON, nullable=False),
)
# What an import or a source took away, changed or added among a register's entries: keys with rows as they were and are.
# What was done in pieces is ``part_of`` the first of them.
entry_history = Table(
    "entry_history",
    metadata,
    Column("seq", Integer, primary_key=True),
    Column("register", String, nullable=False),
    Column("at", String, nullable=False),
    Column("who", String, nullable=False),
    Column("removed", JSON, nullable=False),
    Column("changed", JSON, nullable=False),
    Column("added", JSON, nullable=False),
    Column("part_of", Integer),
)
Index("entry_history_by_register", entry_history.c.register, entry_history.c.seq)
# Entries that somebody who may not add any proposes; they wait for who may.
proposal = Table(
    "proposal",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("part", String, nullable=False),
    Column("row", JSON, nullable=False),
    Column("who", String, nullable=False),
    Column("at", String, nullable=False),
)
setting = Table(
    "setting",
    metadata,
    Column("name", String, primary_key=True),
    Column("value", JSON, nullable=False),
)
person_secret = Table(
    "person_secret",
    metadata,
    Column("person", String, primary_key=True),
    Column("hash", String, nullable=False),
    Column("failures", Integer, nullable=False),
    Column("wait_until", String, nullable=False),
)
# What somebody typed and did not keep yet: where, for what (``subject``, ``name``), over what that stood there, as it was
# seen at a revision. ``told`` is what the subject was called then, ``within`` the cabinet or part where it lay.
draft = Table(
    "draft",
    metadata,
    Column("person", String, primary_key=True),
    Column("place", String, primary_key=True),
    Column("subject", String, primary_key=True),
    Column("name", String, primary_key=True),
    Column("text", String, nullable=False),
    Column("stood", String, nullable=False),
    Column("seen", Integer, nullable=False),
    Column("told", String, nullable=False),
    Column("within", String, nullable=False),
    Column("at", String, nullable=False),
    sqlite_with_rowid=False,
)
starter = Table(
    "starter",
    metadata,
    Column("type", String, primary_key=True),
    Column("name", String, primary_key=True),
    Column("given", JSON, nullable=False),
    Column("who", String, nullable=False),
    Column("at", String, nullable=False),
)
counter = Table(
    "counter",
    metadata,
    Column("name", String, primary_key=True),
    Column("last", Integer, nullable=False),
)
