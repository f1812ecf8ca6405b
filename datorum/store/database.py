"""The way to the database: one engine a process, and the schema brought up to date."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

import orjson
import psycopg
from psycopg.types.json import set_json_dumps
from sqlalchemy import create_engine
from sqlalchemy.engine import Engine, make_url
from sqlalchemy.exc import DBAPIError, OperationalError, SQLAlchemyError, StatementError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, DatorumError
from datorum.settings import settings


class DatabaseUnavailable(DatorumError):
    """The database cannot be reached."""

    code = "database-unavailable"


class DiskFull(DatorumError):
    """The database has no room for more."""

    code = "disk-full"


class InvalidValue(DatorumError):
    """A value that the database cannot keep: a number that is too great, or a character that no text has."""

    code = "invalid-value"


def is_away(error: BaseException) -> bool:
    """Whether an error says that the database is away for a while, so that what failed is worth doing again."""
    if isinstance(error, BaseExceptionGroup):
        return any(map(is_away, error.exceptions))
    if isinstance(error, DBAPIError) and isinstance(error.orig, psycopg.Error):
        error = error.orig
    return isinstance(error, (psycopg.OperationalError, PoolTimeout, DatabaseUnavailable)) and not _is_full(error)


def as_ours(error: SQLAlchemyError | psycopg.Error) -> DatorumError:
    """What the database said, as an error that a person can act on. Raises the error where nobody expected it."""
    cause = error.orig if isinstance(error, DBAPIError | StatementError) else error
    if _is_full(cause):
        return DiskFull(
            "The disk of the database is full; nothing was changed.",
            remedy="Make room, then do it again: what was kept before is still there.",
        )
    if is_away(error):
        return DatabaseUnavailable(
            "The database does not answer just now.", remedy="Nothing was changed; wait a moment, and do it again."
        )
    if isinstance(cause, (psycopg.DataError, UnicodeError, OverflowError)):
        return InvalidValue(
            "The request has a value that cannot be kept.",
            remedy="Look for characters that cannot be seen, and for numbers that are too great.",
        )
    if isinstance(cause, psycopg.IntegrityError):
        return Conflict("Somebody changed this at the same time.", remedy="Look at it again, and do it once more.")
    raise error


def _is_full(error: BaseException | None) -> bool:
    return isinstance(error, psycopg.errors.DiskFull)


def database_url() -> str:
    """The configured URL, for psycopg. Raises DatabaseUnavailable where none is set."""
    url = settings().database_url
    if not url:
        raise DatabaseUnavailable(
            "No database is set.", remedy="Set DATORUM_DATABASE_URL, or use `datorum serve`, which starts one."
        )
    return make_url(url).set(drivername="postgresql").render_as_string(hide_password=False)


def _json(value: Any) -> bytes:
    """A value as the database keeps it. It keeps no character of number 0, and no half of a pair of surrogates: where
    sites have one, another stands for it."""
    try:
        data = orjson.dumps(value)
    except TypeError:
        # A whole number of more than 64 bits, which the standard library writes as well.
        data = json.dumps(value, ensure_ascii=False).encode("utf-8", "replace")
    return _NOTHING.sub(rb"\1\\ufffd", data) if b"\\u0000" in data else data


_NOTHING = re.compile(rb"(?<!\\)((?:\\\\)*)\\u0000")


set_json_dumps(_json)


@lru_cache
def engine() -> Engine:
    """The engine of this process. A connection that the database has dropped is found out by its next use, which fails
    as one of a database that is away, and has all others opened anew."""
    url = make_url(database_url()).set(drivername="postgresql+psycopg")
    return create_engine(
        url,
        json_serializer=lambda value: _json(value).decode(),
        pool_size=24,
        max_overflow=16,
        pool_timeout=10,
        connect_args={"connect_timeout": 5},
        # What is logged of an error may not have in it what people are called.
        hide_parameters=True,
    )


def new_session() -> Session:
    """A unit of work that whoever asked for it commits and closes."""
    return Session(engine(), expire_on_commit=False)


@contextmanager
def session() -> Iterator[Session]:
    """One unit of work: committed at the end, rolled back on an error."""
    with new_session() as current, current.begin():
        yield current


@lru_cache
def _by_statement(of: Engine) -> Engine:
    return of.execution_options(isolation_level="AUTOCOMMIT")


@contextmanager
def looking() -> Iterator[Session]:
    """A session for who only looks, each statement by itself. Beginning and ending a transaction takes as long as a
    small statement each, and at READ COMMITTED makes no two of them see the same."""
    with Session(_by_statement(engine()), expire_on_commit=False) as current:
        yield current


def migrate() -> None:
    """Bring the schema up to date (Alembic). Raises DatabaseUnavailable where the database does not answer."""
    # It is asked for once, at the start of a server; every command and worker would wait for it.
    import alembic.command
    import alembic.config

    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        alembic.command.upgrade(config, "head")
    except OperationalError as error:
        raise DatabaseUnavailable(
            f"The database does not answer: {str(error.orig).splitlines()[0]}.",
            remedy="Look at DATORUM_DATABASE_URL and whether PostgreSQL runs.",
        ) from error
