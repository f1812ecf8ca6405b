"""Many rows into a table at once, by COPY."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import polars as pl
from psycopg import sql
from sqlalchemy import text
from sqlalchemy.orm import Session

_NULL = "\\N"


def copy_rows(store: Session, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    """COPY rows into a table within the session's transaction."""
    with _cursor(store) as cursor, cursor.copy(_statement(table, columns)) as copy:
        for row in rows:
            copy.write_row(row)


def copy_frame(store: Session, table: str, frame: pl.DataFrame) -> None:
    """COPY a frame whose columns are the table's, as CSV, which is written many times faster than row by row."""
    if not frame.height:
        return
    form = sql.SQL(" (FORMAT csv, NULL {})").format(sql.Literal(_NULL))
    data = frame.write_csv(None, include_header=False, null_value=_NULL, quote_style="non_numeric")
    with _cursor(store) as cursor, cursor.copy(_statement(table, frame.columns) + form) as copy:
        copy.write(data)


def analyze(store: Session, table: str, columns: Sequence[str] = ()) -> None:
    """Have the planner look at a table, or at some of its ``columns``: it takes it for as small as it was, until
    autovacuum comes by."""
    store.execute(text(f"ANALYZE {table} ({', '.join(columns)})" if columns else f"ANALYZE {table}"))


def _statement(table: str, columns: Sequence[str]) -> sql.Composed:
    names = sql.SQL(", ").join(sql.Identifier(column) for column in columns)
    return sql.SQL("COPY {} ({}) FROM STDIN").format(sql.Identifier(table), names)


def _cursor(store: Session) -> Any:
    store.flush()
    raw = store.connection().connection.driver_connection
    assert raw is not None
    return raw.cursor()
