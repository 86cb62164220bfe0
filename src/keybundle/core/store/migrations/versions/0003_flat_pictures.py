"""The flat picture of a photograph of paper, beside the photograph as taken."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("version_page", sa.Column("flat_sha", sa.String, nullable=False, server_default=""))
