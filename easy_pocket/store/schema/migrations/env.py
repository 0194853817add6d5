"""Alembic's entry: migrations run on the connection the application gives."""

from alembic import context

from easy_pocket.store.schema.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
