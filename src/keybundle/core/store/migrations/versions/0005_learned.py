"""What is learned from filed documents, how confidences came out, starters, counters, tags, languages of pages."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "example",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("type", sa.String, nullable=False),
        sa.Column("page", sa.Integer, nullable=False),
        sa.Column("look", sa.LargeBinary, nullable=False),
        sa.Column("lessons", sa.JSON, nullable=False),
        sa.Column("at", sa.String, nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("example_by_document", "example", ["document"])
    op.create_index("example_by_type", "example", ["type", "page"])
    op.create_table(
        "outcome",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("field", sa.String, nullable=False),
        sa.Column("score", sa.Float, nullable=False),
        sa.Column("is_right", sa.Boolean, nullable=False),
        sa.Column("at", sa.String, nullable=False),
    )
    op.create_index("outcome_by_document", "outcome", ["document"])
    op.create_table(
        "starter",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("type", sa.String, nullable=False),
        sa.Column("given", sa.JSON, nullable=False),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("at", sa.String, nullable=False),
    )
    op.create_table(
        "counter",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("last", sa.Integer, nullable=False),
    )
    op.add_column("batch_document", sa.Column("tags", sa.JSON, nullable=False, server_default="[]"))
    op.add_column("document", sa.Column("tags", sa.JSON, nullable=False, server_default="[]"))
    op.add_column("document", sa.Column("received_at", sa.String))
    op.add_column("page", sa.Column("language", sa.String, nullable=False, server_default=""))
    op.add_column("page", sa.Column("text_origin", sa.String, nullable=False, server_default=""))
    op.add_column("page", sa.Column("quality", sa.Float))
