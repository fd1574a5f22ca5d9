"""Alembic's entry: run the migrations on the address it was given."""

from alembic import context
from sqlalchemy import NullPool, create_engine

from zealous_sieve.storage.models import Table

address = context.config.get_main_option("sqlalchemy.url") or ""
engine = create_engine(
    address.replace("postgresql://", "postgresql+psycopg://", 1), poolclass=NullPool
)
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Table.metadata)
    with context.begin_transaction():
        context.run_migrations()
