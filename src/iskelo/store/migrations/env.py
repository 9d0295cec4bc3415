"""Alembic's entry: run the migrations on the connection that ``store.database.migrate`` hands over."""

from alembic import context
from sqlmodel import SQLModel

from iskelo.store import tables

assert tables.RigRow.metadata is SQLModel.metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=SQLModel.metadata)
with context.begin_transaction():
    context.run_migrations()
