"""One ledger of what holds a file, and one table of what is under way or due, both filled from what is there.

What was due stood in five places before: renditions, copies, erasures, and two kinds of settings. Claims end with the
program that made them, so none is taken over.
"""

from __future__ import annotations

import json

from alembic import op
from sqlalchemy import text

revision = "0003"
down_revision = "0002"

_TABLES = (
    "CREATE TABLE file_use (sha VARCHAR NOT NULL, kind VARCHAR NOT NULL, ref VARCHAR NOT NULL, "
    "PRIMARY KEY (sha, kind, ref)) WITHOUT ROWID",
    "CREATE INDEX file_use_in_passing ON file_use (ref) WHERE kind = 'sending'",
    "CREATE TABLE work (kind VARCHAR NOT NULL, ref VARCHAR NOT NULL, holder VARCHAR NOT NULL, token VARCHAR NOT NULL, "
    "at VARCHAR NOT NULL, until VARCHAR NOT NULL, tries INTEGER NOT NULL, trouble TEXT NOT NULL, data JSON, "
    "PRIMARY KEY (kind, ref)) WITHOUT ROWID",
    "CREATE INDEX work_by_time ON work (kind, until)",
    "CREATE INDEX work_in_hand ON work (token) WHERE token != ''",
    "CREATE INDEX work_troubled ON work (kind, until) WHERE trouble != ''",
)
_USES = (
    "SELECT file_sha, 'page', id FROM page WHERE source != '' AND file_sha != ''",
    "SELECT json_extract(facts, '$.flat_sha'), 'page', id FROM page WHERE source != '' AND facts IS NOT NULL "
    "AND coalesce(json_extract(facts, '$.flat_sha'), '') != ''",
    "SELECT file_sha, 'document', document_id FROM version_page WHERE file_sha != ''",
    "SELECT flat_sha, 'document', document_id FROM version_page WHERE flat_sha != ''",
    "SELECT sha, 'document', document_id FROM rendition WHERE sha IS NOT NULL",
)
_WORK = (
    "SELECT 'rendition', r.document_id || '/' || r.version, '', '', r.next_at, r.next_at, r.tries, r.trouble, NULL "
    "FROM rendition r JOIN document d ON d.id = r.document_id WHERE r.state = 'due' AND d.removed_at IS NULL",
    "SELECT 'copy', document_id, '', '', next_at, next_at, tries, trouble, json_object('who', who, 'copies', json(copies)) "
    "FROM copy_due ORDER BY id",
    "SELECT 'erase', name, '', '', stored_at, stored_at, 0, '', json_object('since', stored_at) FROM erase_due WHERE is_file",
    "SELECT 'erase pictures', name, '', '', stored_at, stored_at, 0, '', NULL FROM erase_due WHERE NOT is_file",
)
_AFTER = (
    "ALTER TABLE entry_history ADD COLUMN part_of INTEGER",
    "DROP INDEX document_claimed",
    "ALTER TABLE batch_document DROP COLUMN claim",
    "CREATE TABLE rendition_new (document_id VARCHAR NOT NULL, version INTEGER NOT NULL, kind VARCHAR NOT NULL, sha VARCHAR, "
    "PRIMARY KEY (document_id, version, kind), FOREIGN KEY(document_id) REFERENCES document (id))",
    "INSERT INTO rendition_new SELECT document_id, version, kind, sha FROM rendition ORDER BY document_id, version, kind",
    "DROP TABLE rendition",
    "ALTER TABLE rendition_new RENAME TO rendition",
    "DROP TABLE copy_due",
    "DROP TABLE erase_due",
    "DROP INDEX page_by_file",
    "DROP INDEX version_page_by_file",
    "DROP INDEX version_page_by_flat",
    "CREATE INDEX version_page_by_page ON version_page (page_id, document_id)",
)


def upgrade() -> None:
    for statement in _TABLES:
        op.execute(statement)
    # In the order of the ledger: millions of rows are written one after another so, and not all over the file.
    uses = " UNION ALL ".join(_USES)
    op.execute(f"INSERT OR IGNORE INTO file_use (sha, kind, ref) SELECT * FROM ({uses}) ORDER BY 1, 2, 3")
    for work in _WORK:
        op.execute(f"INSERT OR IGNORE INTO work (kind, ref, holder, token, at, until, tries, trouble, data) {work}")
    _take_over_settings()
    for statement in _AFTER:
        op.execute(statement)


def _take_over_settings() -> None:
    c = op.get_bind()
    put = text(
        "INSERT OR IGNORE INTO work (kind, ref, holder, token, at, until, tries, trouble, data) "
        "VALUES (:kind, :ref, '', '', :at, :at, 0, :trouble, :data)"
    )
    for prefix, kind in (("copy leaving ", "leaving"), ("register source ", "source")):
        rows = c.execute(
            text("SELECT name, value FROM setting WHERE substr(name, 1, :n) = :prefix"),
            {"n": len(prefix), "prefix": prefix},
        ).all()
        for name, value in rows:
            told = json.loads(value)
            row = {"kind": kind, "ref": name.removeprefix(prefix), "at": "", "trouble": "", "data": None}
            if kind == "source":
                row |= {"at": told["tried_at"], "trouble": told["trouble"], "data": json.dumps({"read_at": told["at"]})}
            c.execute(put, row)
            c.execute(text("DELETE FROM setting WHERE name = :name"), {"name": name})
