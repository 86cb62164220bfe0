"""First schema: the work in hand, the repository, and the full-text index."""

from importlib.resources import files

from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    script = files("keybundle.core.store.migrations").joinpath("versions", "0001_first.sql").read_text()
    for statement in script.split(";\n"):
        if statement.strip():
            op.execute(statement)
