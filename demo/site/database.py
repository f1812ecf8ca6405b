"""The site's own database: one table, a body as JSON, a version for entity tags."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import psycopg
from psycopg.rows import DictRow, dict_row
from psycopg.types.json import Jsonb
from psycopg_pool import AsyncConnectionPool

_SCHEMA = """
CREATE TABLE IF NOT EXISTS customer (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    email text NOT NULL,
    body jsonb NOT NULL,
    version integer NOT NULL DEFAULT 1,
    created_at timestamptz NOT NULL DEFAULT now(),
    updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX IF NOT EXISTS customer_email ON customer (lower(email));
"""


def prepare(url: str, customers: Iterable[dict[str, Any]]) -> None:
    """Create the table; where it is empty, fill it with the customers that were there before the move."""
    with psycopg.connect(url) as connection:
        connection.execute(_SCHEMA)
        if connection.execute("SELECT 1 FROM customer LIMIT 1").fetchone() is None:
            with connection.cursor() as cursor:
                cursor.executemany(
                    "INSERT INTO customer (email, body) VALUES (%s, %s)",
                    [(body["email"], Jsonb(body)) for body in customers],
                )


class Customers:
    """Queries over the customers."""

    def __init__(self, pool: AsyncConnectionPool[psycopg.AsyncConnection[DictRow]]) -> None:
        self._pool = pool

    async def page(self, number: int, size: int, email: str | None) -> tuple[list[DictRow], int]:
        """One page in the order of ids, and how many there are in all."""
        async with self._pool.connection() as connection:
            wanted = "WHERE lower(email) = lower(%(email)s)" if email else ""
            rows = await connection.execute(
                f"SELECT * FROM customer {wanted} ORDER BY id LIMIT %(size)s OFFSET %(skip)s",
                {"email": email, "size": size, "skip": (number - 1) * size},
            )
            total = await connection.execute(f"SELECT count(*) AS n FROM customer {wanted}", {"email": email})
            counted = await total.fetchone()
            return await rows.fetchall(), counted["n"] if counted else 0

    async def get(self, number: int) -> DictRow | None:
        async with self._pool.connection() as connection:
            return await (await connection.execute("SELECT * FROM customer WHERE id = %s", [number])).fetchone()

    async def add(self, body: dict[str, Any]) -> DictRow | None:
        """The new row, or None where the e-mail is taken."""
        async with self._pool.connection() as connection:
            cursor = await connection.execute(
                "INSERT INTO customer (email, body) VALUES (%s, %s) ON CONFLICT DO NOTHING RETURNING *",
                [body["email"], Jsonb(body)],
            )
            return await cursor.fetchone()

    async def put(self, number: int, body: dict[str, Any], version: int) -> DictRow | None:
        """The changed row, or None where it is no longer at ``version``."""
        async with self._pool.connection() as connection:
            cursor = await connection.execute(
                "UPDATE customer SET email = %s, body = %s, version = version + 1, updated_at = now()"
                " WHERE id = %s AND version = %s RETURNING *",
                [body["email"], Jsonb(body), number, version],
            )
            return await cursor.fetchone()

    async def remove(self, number: int) -> bool:
        async with self._pool.connection() as connection:
            return (await connection.execute("DELETE FROM customer WHERE id = %s", [number])).rowcount == 1


def open_pool(url: str) -> AsyncConnectionPool[psycopg.AsyncConnection[DictRow]]:
    """A pool that is opened by the application's lifespan."""
    return AsyncConnectionPool(
        url,
        open=False,
        min_size=2,
        max_size=12,
        connection_class=psycopg.AsyncConnection[DictRow],
        kwargs={"row_factory": dict_row, "autocommit": True},
    )
