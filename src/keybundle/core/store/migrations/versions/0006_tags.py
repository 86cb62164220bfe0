"""Tags of filed documents in rows of their own, so that documents are found by them."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "document_tag",
        sa.Column("document_id", sa.String, sa.ForeignKey("document.id"), primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True),
        sa.Column("tag", sa.String, nullable=False),
        sa.Column("folded", sa.String, nullable=False),
    )
    op.create_index("document_tag_by_folded", "document_tag", ["folded", "document_id"])
    connection = op.get_bind()
    add = sa.text("INSERT INTO document_tag(document_id, position, tag, folded) VALUES (:id, :position, :tag, :folded)")
    rows = connection.execute(sa.text("SELECT d.id, j.key, j.value FROM document d, json_each(d.tags) j")).all()
    for document_id, position, tag in rows:
        told = {"id": document_id, "position": position, "tag": tag, "folded": " ".join(tag.split()).casefold()}
        connection.execute(add, told)
    op.drop_column("document", "tags")
