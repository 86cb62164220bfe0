"""What speaks for a document's type, and which one would be next."""

from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    for name in ("type_because", "type_rival"):
        op.execute(f"ALTER TABLE batch_document ADD COLUMN {name} VARCHAR")
