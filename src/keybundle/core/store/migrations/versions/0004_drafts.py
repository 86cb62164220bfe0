"""What people typed and has not been kept yet, by person: it outlives the window that it was typed in."""

from __future__ import annotations

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.execute(
        "CREATE TABLE draft (person VARCHAR NOT NULL, place VARCHAR NOT NULL, subject VARCHAR NOT NULL, "
        "name VARCHAR NOT NULL, text VARCHAR NOT NULL, stood VARCHAR NOT NULL, seen INTEGER NOT NULL, "
        "told VARCHAR NOT NULL, within VARCHAR NOT NULL, at VARCHAR NOT NULL, "
        "PRIMARY KEY (person, place, subject, name)) WITHOUT ROWID"
    )
