"""What people decided about breaks and pages, so that separating again leaves it alone."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("page", sa.Column("hand_break", sa.Boolean))
    op.add_column("page", sa.Column("hand_kept", sa.Boolean))
