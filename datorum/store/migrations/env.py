"""Alembic's entry: migrations run over the process's own engine."""

from alembic import context

from datorum.store.database import engine
from datorum.store.models import Base

with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
