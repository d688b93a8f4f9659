"""How Alembic runs here: on the connection that the caller hands over."""

from alembic import context

from jorvik.store.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
