"""What the stand-ins keep: a table for each kind of record, a body as JSON, a version for entity tags."""

from __future__ import annotations

import datetime as dt
from collections.abc import AsyncIterator, Iterable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass
from typing import Any

import psycopg
from fastapi import FastAPI
from psycopg import sql
from psycopg.rows import DictRow, dict_row
from psycopg.types.json import Jsonb
from psycopg_pool import AsyncConnectionPool

_TABLE = sql.SQL("""
CREATE TABLE IF NOT EXISTS {table} (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    body jsonb NOT NULL,
    version integer NOT NULL DEFAULT 1,
    created_at timestamptz NOT NULL DEFAULT now(),
    updated_at timestamptz NOT NULL DEFAULT now()
)""")
_FILES = sql.SQL("""
CREATE TABLE IF NOT EXISTS kept_file (
    of text NOT NULL,
    record bigint NOT NULL,
    media text NOT NULL,
    data bytea NOT NULL,
    PRIMARY KEY (of, record)
)""")
_UNIQUE = sql.SQL("CREATE UNIQUE INDEX IF NOT EXISTS {index} ON {table} (lower(body ->> {field}))")
_FOUND = sql.SQL("CREATE INDEX IF NOT EXISTS {index} ON {table} (lower(body ->> {field}))")
Connection = psycopg.AsyncConnection[DictRow]
Pool = AsyncConnectionPool[Connection]


@dataclass(frozen=True)
class Table:
    """Where records of a kind are kept. No two share what they have in a field of ``unique``; ``sought`` are others
    that they are looked for by; ``counts`` is numbered on where it is left out."""

    name: str
    unique: tuple[str, ...] = ()
    sought: tuple[str, ...] = ()
    counts: str | None = None

    @property
    def identifier(self) -> sql.Identifier:
        return sql.Identifier(self.name)


def prepare(url: str, tables: Iterable[Table], starter: Mapping[str, Iterable[dict[str, Any]]]) -> None:
    """Create the tables; fill those that are empty with what a stand-in has from its start, by the tables' names."""
    with psycopg.connect(url) as connection:
        connection.execute(_FILES)
        known = {table.name: table for table in tables}
        for table in known.values():
            connection.execute(_TABLE.format(table=table.identifier))
            for field in (*table.unique, *table.sought):
                made = _UNIQUE if field in table.unique else _FOUND
                index = sql.Identifier(f"{table.name}_{field}")
                connection.execute(made.format(index=index, table=table.identifier, field=sql.Literal(field)))
        _fill(connection, known, starter)


def begin_anew(url: str, tables: Iterable[Table], starter: Mapping[str, Iterable[dict[str, Any]]]) -> None:
    """Take everything out, number what had anything from one again, and have what a stand-in has from its start."""
    known = {table.name: table for table in tables}
    with psycopg.connect(url) as connection:
        # Few have anything in them, and to empty one takes longer than to look.
        used = sql.SQL(" UNION ALL ").join(
            sql.SQL("SELECT {} WHERE EXISTS (SELECT FROM {})").format(sql.Literal(name), table.identifier)
            for name, table in known.items()
        )
        filled = [known[name].identifier for (name,) in connection.execute(used)]
        connection.execute("DELETE FROM kept_file")
        if filled:
            connection.execute(sql.SQL("TRUNCATE {} RESTART IDENTITY").format(sql.SQL(", ").join(filled)))
        _fill(connection, known, starter)


def _fill(
    connection: psycopg.Connection, known: Mapping[str, Table], starter: Mapping[str, Iterable[dict[str, Any]]]
) -> None:
    for name, bodies in starter.items():
        table = known[name].identifier
        if connection.execute(sql.SQL("SELECT 1 FROM {} LIMIT 1").format(table)).fetchone() is None:
            with connection.cursor().copy(sql.SQL("COPY {} (body) FROM STDIN").format(table)) as copy:
                for body in bodies:
                    copy.write_row([Jsonb(body)])


class Records:
    """Queries over the records of one kind."""

    def __init__(self, pool: Pool, table: Table) -> None:
        self._pool = pool
        self._counts = table.counts
        self._table = table.identifier
        self._name = table.name

    async def page(
        self, number: int, size: int, asked: Mapping[str, str], since: dt.datetime | None = None
    ) -> tuple[list[DictRow], int]:
        """One page in the order of ids, of records that have what is asked for and were changed ``since`` then, and how
        many there are in all."""
        wanted = [
            sql.SQL("lower(body ->> {}) = lower({})").format(sql.Literal(field), sql.Literal(value))
            for field, value in asked.items()
        ]
        if since is not None:
            wanted.append(sql.SQL("updated_at >= {}").format(sql.Literal(since)))
        where = sql.SQL("WHERE {}").format(sql.SQL(" AND ").join(wanted)) if wanted else sql.SQL("")
        async with self._pool.connection() as connection:
            rows = await connection.execute(
                sql.SQL("SELECT * FROM {} {} ORDER BY id LIMIT {} OFFSET {}").format(
                    self._table, where, sql.Literal(size), sql.Literal((number - 1) * size)
                )
            )
            total = await connection.execute(sql.SQL("SELECT count(*) AS n FROM {} {}").format(self._table, where))
            counted = await total.fetchone()
            return await rows.fetchall(), counted["n"] if counted else 0

    async def get(self, number: int) -> DictRow | None:
        return await self._one(sql.SQL("SELECT * FROM {} WHERE id = %s").format(self._table), [number])

    async def by(self, field: str, value: str) -> DictRow | None:
        """The record that has this in a field, whatever its case."""
        asked = sql.SQL("SELECT * FROM {} WHERE lower(body ->> {}) = lower(%s)")
        return await self._one(asked.format(self._table, sql.Literal(field)), [value])

    async def add(self, body: dict[str, Any]) -> DictRow | None:
        """The new row, or None where another has what only one may have."""
        counts = self._counts
        if counts and body.get(counts) is None:
            largest = sql.SQL("SELECT coalesce(max((body ->> {})::bigint), 0) + 1 AS n FROM {}")
            following = await self._one(largest.format(sql.Literal(counts), self._table), [])
            body = {**body, counts: following["n"] if following else 1}
        made = sql.SQL("INSERT INTO {} (body) VALUES (%s) ON CONFLICT DO NOTHING RETURNING *").format(self._table)
        return await self._one(made, [Jsonb(body)])

    async def put(self, number: int, body: dict[str, Any], version: int) -> DictRow | None:
        """The changed row, or None where it is no longer at ``version``. Raises psycopg's UniqueViolation."""
        changed = sql.SQL(
            "UPDATE {} SET body = %s, version = version + 1, updated_at = now()"
            " WHERE id = %s AND version = %s RETURNING *"
        )
        return await self._one(changed.format(self._table), [Jsonb(body), number, version])

    async def remove(self, number: int) -> bool:
        async with self._pool.connection() as connection:
            done = await connection.execute(sql.SQL("DELETE FROM {} WHERE id = %s").format(self._table), [number])
            return done.rowcount == 1

    async def keep_file(self, number: int, media: str, data: bytes) -> None:
        """Keep the file of a record, in the place of the one that it had."""
        kept = (
            "INSERT INTO kept_file (of, record, media, data) VALUES (%s, %s, %s, %s)"
            " ON CONFLICT (of, record) DO UPDATE SET media = excluded.media, data = excluded.data"
        )
        async with self._pool.connection() as connection:
            await connection.execute(kept, [self._name, number, media, data])

    async def file(self, number: int) -> tuple[str, bytes] | None:
        """The media type and the bytes of a record's file."""
        asked = sql.SQL("SELECT media, data FROM kept_file WHERE of = {} AND record = %s").format(
            sql.Literal(self._name)
        )
        row = await self._one(asked, [number])
        return (row["media"], bytes(row["data"])) if row else None

    async def lacks(self, by: str, values: Iterable[Any], part: str | None = None) -> set[str]:
        """Those of some values that no record of this kind has, by id or by a field, nor any ``part`` of one."""
        asked = {str(value).lower() for value in values}
        column = sql.SQL("id::text") if by == "id" else sql.SQL("lower(body ->> {})").format(sql.Literal(by))
        found = sql.SQL("SELECT {column} AS value FROM {table} WHERE {column} = ANY(%s)")
        async with self._pool.connection() as connection:
            rows = await connection.execute(found.format(column=column, table=self._table), [list(asked)])
            missing = asked - {row["value"] for row in await rows.fetchall()}
            if not missing or part is None:
                return missing
            within = sql.SQL(
                "SELECT lower(part ->> {by}) AS value FROM {table}, jsonb_array_elements(body -> {part}) AS part"
                " WHERE jsonb_typeof(body -> {part}) = 'array' AND lower(part ->> {by}) = ANY(%s)"
            ).format(by=sql.Literal(by), part=sql.Literal(part), table=self._table)
            rows = await connection.execute(within, [list(missing)])
            return missing - {row["value"] for row in await rows.fetchall()}

    async def _one(self, query: sql.Composed, values: list[Any]) -> DictRow | None:
        async with self._pool.connection() as connection:
            return await (await connection.execute(query, values)).fetchone()


@asynccontextmanager
async def pool_of(app: FastAPI) -> AsyncIterator[None]:
    """The lifespan of an application that has a pool in its state."""
    await app.state.pool.open()
    yield
    await app.state.pool.close()


def open_pool(url: str) -> Pool:
    """A pool that is opened by the application's lifespan, ``pool_of``."""
    return AsyncConnectionPool(
        url,
        open=False,
        min_size=2,
        max_size=12,
        connection_class=psycopg.AsyncConnection[DictRow],
        kwargs={"row_factory": dict_row, "autocommit": True},
    )
