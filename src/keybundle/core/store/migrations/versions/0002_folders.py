"""Folders that are things: renamed where they stand, their former names apart; what an import takes from registers is kept.

A folder that was renamed or merged before pointed on by a row of its own, with folders below it that were left behind.
Those rows are brought together here: a name that leads on, and one row for each folder that is there.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from alembic import op
from sqlalchemy import text

revision = "0002"
down_revision = "0001"

_FOLDER = """
CREATE TABLE folder_new (
    id INTEGER NOT NULL,
    cabinet VARCHAR NOT NULL,
    parent_id INTEGER,
    level INTEGER NOT NULL,
    field VARCHAR NOT NULL,
    value VARCHAR NOT NULL,
    path VARCHAR NOT NULL,
    folded VARCHAR NOT NULL,
    documents INTEGER NOT NULL,
    last INTEGER NOT NULL,
    storage_area VARCHAR,
    is_kept BOOLEAN DEFAULT 0 NOT NULL,
    became INTEGER,
    own_access_id VARCHAR,
    access_id VARCHAR,
    follows JSON,
    PRIMARY KEY (id),
    CONSTRAINT folder_became_another CHECK (became IS NULL OR became != id),
    FOREIGN KEY(parent_id) REFERENCES folder (id),
    FOREIGN KEY(became) REFERENCES folder (id),
    FOREIGN KEY(own_access_id) REFERENCES access_list (id),
    FOREIGN KEY(access_id) REFERENCES access_list (id)
)
"""
_COLUMNS = (
    "id, cabinet, parent_id, level, field, value, path, folded, documents, last, storage_area, is_kept, became, "
    "own_access_id, access_id"
)
_STATEMENTS = (
    _FOLDER,
    f"INSERT INTO folder_new ({_COLUMNS}) SELECT {_COLUMNS} FROM folder",
    "DROP TABLE folder",
    "ALTER TABLE folder_new RENAME TO folder",
    "CREATE UNIQUE INDEX folder_by_path ON folder (cabinet, path) WHERE became IS NULL",
    "CREATE INDEX folder_by_access ON folder (access_id) WHERE access_id IS NOT NULL",
    "CREATE INDEX folder_by_parent ON folder (parent_id, value)",
    "CREATE INDEX folder_by_words ON folder (cabinet, folded)",
    "CREATE INDEX folder_that_became ON folder (became) WHERE became IS NOT NULL",
    "CREATE INDEX folder_that_follows ON folder (cabinet) WHERE follows IS NOT NULL",
    "CREATE TABLE folder_name (parent_id INTEGER NOT NULL, value VARCHAR NOT NULL, folder_id INTEGER NOT NULL, "
    "position INTEGER NOT NULL, PRIMARY KEY (parent_id, value), FOREIGN KEY(parent_id) REFERENCES folder (id), "
    "FOREIGN KEY(folder_id) REFERENCES folder (id))",
    "CREATE INDEX folder_name_of ON folder_name (folder_id)",
    "CREATE TABLE entry_history (seq INTEGER NOT NULL, register VARCHAR NOT NULL, at VARCHAR NOT NULL, who VARCHAR NOT NULL, "
    "removed JSON NOT NULL, changed JSON NOT NULL, added JSON NOT NULL, PRIMARY KEY (seq))",
    "CREATE INDEX entry_history_by_register ON entry_history (register, seq)",
    "ALTER TABLE version ADD COLUMN path VARCHAR",
    "UPDATE version SET path = (SELECT f.path FROM folder f WHERE f.id = version.folder_id)",
    "CREATE INDEX version_by_folder ON version (folder_id)",
    "ALTER TABLE arrival ADD COLUMN name_bytes BLOB",
)


def upgrade() -> None:
    _end_circles()
    for statement in _STATEMENTS:
        op.execute(statement)
    _bring_together()
    # Months of filing were those of UTC; the next start brings them to the repository's own.
    _run(
        "INSERT OR REPLACE INTO setting(name, value) SELECT 'months of', '\"UTC\"' WHERE EXISTS (SELECT 1 FROM document)"
    )
    _let_correctors_follow()


def _rows(sql: str, **bound: Any) -> Sequence[Any]:
    return op.get_bind().execute(text(sql), bound).all()


def _run(sql: str, **bound: Any) -> None:
    op.get_bind().execute(text(sql), bound)


def _end_circles() -> None:
    """Let folders be there again that pointed at themselves, in a circle, or on although documents lie in them."""
    became = {r.id: r.became for r in _rows("SELECT id, became FROM folder WHERE became IS NOT NULL")}
    held = {r.folder_id for r in _rows("SELECT DISTINCT folder_id FROM document WHERE folder_id IS NOT NULL")}
    for start in became:
        seen: list[int] = []
        at: int | None = start
        while at is not None and at not in seen:
            seen.append(at)
            at = became.get(at)
        if at is not None or start in held:
            _run("UPDATE folder SET became = NULL WHERE id = :id", id=start)


def _bring_together() -> None:
    """Let the names of folders that became another one lead there, and what lies below them lie below that."""
    went = _rows("SELECT id, parent_id, value FROM folder WHERE became IS NOT NULL ORDER BY level, id")
    for row in went:
        target, parent = _followed(row.id), _followed(row.parent_id)
        there = _rows(
            "SELECT id FROM folder WHERE parent_id = :p AND value = :v AND became IS NULL", p=parent, v=row.value
        )
        if not there and target != parent:
            _run(
                "INSERT OR REPLACE INTO folder_name VALUES (:p, :v, :f, :n)", p=parent, v=row.value, f=target, n=row.id
            )
        _run("DELETE FROM folder_level WHERE folder_id = :id", id=row.id)
        _join_below(row.id, target)


def _followed(folder: int) -> int:
    row = _rows("SELECT became FROM folder WHERE id = :id", id=folder)[0]
    return folder if row.became is None else _followed(row.became)


def _join_below(old: int, new: int) -> None:
    """Bring the folders below one to below another one; two of the same value become one."""
    for child in _rows("SELECT id, value FROM folder WHERE parent_id = :id AND became IS NULL", id=old):
        twin = _rows(
            "SELECT id FROM folder WHERE parent_id = :p AND value = :v AND became IS NULL AND id != :id", p=new, v=child.value,
            id=child.id,
        )  # fmt: skip
        if not twin:
            _run("UPDATE folder SET parent_id = :p WHERE id = :id", p=new, id=child.id)
            _place(child.id)
            continue
        held = _rows("SELECT 1 FROM document WHERE folder_id = :id LIMIT 1", id=child.id)
        if not held:
            _join_below(child.id, twin[0].id)
            _run("UPDATE folder SET became = :b WHERE id = :id", b=twin[0].id, id=child.id)
            _run("DELETE FROM folder_level WHERE folder_id = :id", id=child.id)


def _place(folder: int) -> None:
    """Let the path of a folder, and of all below it, say where they lie by now."""
    row = _rows(
        "SELECT f.id, f.value, f.field, p.path AS above, p.id AS parent FROM folder f JOIN folder p ON p.id = f.parent_id "
        "WHERE f.id = :id", id=folder,
    )[0]  # fmt: skip
    path = f"{row.above}\x1f{row.value}" if row.above else row.value
    _run(
        "UPDATE folder SET path = :p, folded = fold(:w) WHERE id = :id", p=path, w=path.replace("\x1f", " "), id=folder
    )
    own = _rows("SELECT * FROM folder_level WHERE folder_id = :id AND field = :f", id=folder, f=row.field)
    _run("DELETE FROM folder_level WHERE folder_id = :id", id=folder)
    above = _rows("SELECT * FROM folder_level WHERE folder_id = :id", id=row.parent)
    for level in (*above, *own):
        _run(
            "INSERT INTO folder_level(cabinet, field, sort_key, value, folder_id) VALUES (:c, :f, :s, :v, :id)",
            c=level.cabinet, f=level.field, s=level.sort_key, v=level.value, id=folder,
        )  # fmt: skip
    for child in _rows("SELECT id FROM folder WHERE parent_id = :id AND became IS NULL", id=folder):
        _place(child.id)


def _let_correctors_follow() -> None:
    """Give the right to let a document follow its own correction to the roles that may correct and file."""
    at = datetime.now(UTC).isoformat()
    for row in _rows("SELECT id, revision, data FROM setup_part WHERE kind = 'roles' AND is_dropped = 0"):
        data = json.loads(row.data)
        rights = data.get("rights", [])
        if not {"correct", "file"} <= set(rights) or "follow" in rights:
            continue
        told = json.dumps({**data, "rights": [*rights, "follow"]})
        _run(
            "UPDATE setup_part SET data = :d, revision = :r WHERE kind = 'roles' AND id = :id", d=told, r=row.revision + 1,
            id=row.id,
        )  # fmt: skip
        _run(
            "INSERT INTO setup_history(kind, id, revision, at, who, data) VALUES ('roles', :id, :r, :at, '', :d)", id=row.id,
            r=row.revision + 1, at=at, d=told,
        )  # fmt: skip
