"""Alembic's entry: runs the migrations on the connection that the program hands over."""

from alembic import context

from zesty_abacus.core.library.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, transactional_ddl=True)
with context.begin_transaction():
    context.run_migrations()
