"""The way to the database: one engine a process, and the schema brought up to date."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

import alembic.command
import alembic.config
from sqlalchemy import create_engine
from sqlalchemy.engine import Engine, make_url
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.settings import settings


class DatabaseUnavailable(DatorumError):
    """The database cannot be reached."""

    code = "database-unavailable"


def database_url() -> str:
    """The configured URL, for psycopg. Raises DatabaseUnavailable where none is set."""
    url = settings().database_url
    if not url:
        raise DatabaseUnavailable(
            "No database is set.", remedy="Set DATORUM_DATABASE_URL, or use `datorum serve`, which starts one."
        )
    return make_url(url).set(drivername="postgresql").render_as_string(hide_password=False)


@lru_cache
def engine() -> Engine:
    """The engine of this process."""
    url = make_url(database_url()).set(drivername="postgresql+psycopg")
    return create_engine(url, pool_size=10, max_overflow=10, pool_pre_ping=True)


@contextmanager
def session() -> Iterator[Session]:
    """One unit of work: committed at the end, rolled back on an error."""
    with Session(engine(), expire_on_commit=False) as current, current.begin():
        yield current


def migrate() -> None:
    """Bring the schema up to date (Alembic). Raises DatabaseUnavailable where the database does not answer."""
    config = alembic.config.Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        alembic.command.upgrade(config, "head")
    except OperationalError as error:
        raise DatabaseUnavailable(
            f"The database does not answer: {str(error.orig).splitlines()[0]}.",
            remedy="Look at DATORUM_DATABASE_URL and whether PostgreSQL runs.",
        ) from error
