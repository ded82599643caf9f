"""Alembic's way into the records."""

from alembic import context
from sqlalchemy import create_engine, pool

from openpail.records.schema import METADATA

engine = create_engine(context.config.attributes["url"], poolclass=pool.NullPool)
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=METADATA, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
