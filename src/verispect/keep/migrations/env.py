"""How Alembic reaches the book: by the connection that opened it."""

from alembic import context

from verispect.keep.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
