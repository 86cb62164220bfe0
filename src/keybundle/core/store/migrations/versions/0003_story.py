"""The story of a document: what the audit trail says of it, found without reading all of it."""

from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.execute("CREATE INDEX audit_by_subject ON audit (subject, seq)")
