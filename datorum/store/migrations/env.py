"""Alembic's entry: migrations run over the process's own engine."""

from typing import Any

from alembic import context

from datorum.store.database import engine
from datorum.store.models import Base


def ours(_object: Any, name: str | None, kind: str, reflected: bool, _compared: Any) -> bool:
    """Whether a thing of the database is one of the models' and not the job queue's."""
    return not (kind == "table" and reflected and name not in Base.metadata.tables)


with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True, include_object=ours)
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
