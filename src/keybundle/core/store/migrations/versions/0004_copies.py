"""Copies of filed documents that are still to be written into folders outside; pages of one file in several documents."""

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.execute(
        "CREATE TABLE copy_due (id INTEGER NOT NULL, document_id VARCHAR NOT NULL, who VARCHAR NOT NULL, "
        "copies JSON NOT NULL, tries INTEGER NOT NULL, next_at VARCHAR NOT NULL, trouble TEXT NOT NULL, "
        "PRIMARY KEY (id), FOREIGN KEY(document_id) REFERENCES document (id))"
    )
    op.execute("CREATE INDEX version_page_by_file ON version_page (file_sha, document_id)")
    op.execute("CREATE INDEX copy_due_by_time ON copy_due (next_at)")
