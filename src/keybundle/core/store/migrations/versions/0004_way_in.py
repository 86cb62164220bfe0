"""What pages and batches bring with them: names changed on the way in, and values given beforehand."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("batch", sa.Column("given", sa.JSON, nullable=False, server_default="{}"))
    op.add_column("page", sa.Column("name", sa.String, nullable=False, server_default=""))
    op.add_column("version_page", sa.Column("source", sa.String, nullable=False, server_default=""))
    op.add_column("version_page", sa.Column("name", sa.String, nullable=False, server_default=""))
