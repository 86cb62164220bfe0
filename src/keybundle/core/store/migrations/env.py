"""Runs the numbered changes inside the transaction that ``Database.migrate`` opened."""

from alembic import context

context.configure(connection=context.config.attributes["connection"], transactional_ddl=False)
context.run_migrations()
