"""Many rows into a table at once, by COPY."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from psycopg import sql
from sqlalchemy import text
from sqlalchemy.orm import Session


def copy_rows(store: Session, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    """COPY rows into a table within the session's transaction, and have the planner know of them."""
    store.flush()
    statement = sql.SQL("COPY {} ({}) FROM STDIN").format(
        sql.Identifier(table), sql.SQL(", ").join(sql.Identifier(column) for column in columns)
    )
    raw = store.connection().connection.driver_connection
    assert raw is not None
    with raw.cursor() as cursor, cursor.copy(statement) as copy:
        for row in rows:
            copy.write_row(row)
    # Without this the planner takes the table for as small as it was, until autovacuum comes by.
    store.execute(text(f"ANALYZE {table}"))
