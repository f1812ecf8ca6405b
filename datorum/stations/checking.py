"""A check of a large sheet, which a worker makes: its progress can be seen, and it can be stopped."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, update
from sqlalchemy.orm import Session

from datorum.core.errors import error_sentence
from datorum.core.table import CHUNK_ROWS
from datorum.stations.check import check_import
from datorum.stations.imports import get_import
from datorum.store import models
from datorum.store.database import is_away, session
from datorum.store.people import record
from datorum.store.sheets import drawn_on


class _Stopped(Exception):
    """Somebody asked for the check to stop."""


def is_large(store: Session, import_id: int) -> bool:
    """Whether an import's sheet has more rows than are checked while a person waits. Raises NotFound."""
    get_import(store, import_id)
    return drawn_on(store, import_id).rows > CHUNK_ROWS


def start_checking(store: Session, by: str, import_id: int) -> models.Checking:
    """A check to be made by ``carry_out_check``; one that is under way goes on."""
    get_import(store, import_id)
    now = store.get(models.Checking, import_id, with_for_update=True)
    if now is None:
        now = models.Checking(import_id=import_id, by=by, state="waiting")
        store.add(now)
    elif now.state == "failed":
        now.state, now.by, now.error, now.rows_done, now.stop, now.started_at = "waiting", by, "", 0, False, None
    store.flush()
    return now


def stop_checking(store: Session, by: str, import_id: int) -> None:
    """Have a check under way stop; what was checked before stands."""
    store.execute(update(models.Checking).where(models.Checking.import_id == import_id).values(stop=True))
    record(store, by, "check stopped", f"import {import_id}")


def carry_out_check(import_id: int) -> None:
    """Make a check that was asked for. On an error it says what happened, and the error is raised."""
    with session() as store:
        now = store.get(models.Checking, import_id)
        if now is None or now.state == "failed":
            # Another worker, thought dead, was faster.
            return
        now.state, now.rows_done, now.started_at = "checking", 0, dt.datetime.now(dt.UTC)
        by = now.by

    def progress(rows: int) -> None:
        with session() as store:
            asked = update(models.Checking).where(models.Checking.import_id == import_id).values(rows_done=rows)
            if store.scalar(asked.returning(models.Checking.stop)) is not False:
                raise _Stopped

    try:
        with session() as store:
            check_import(store, by, import_id, progress)
    except _Stopped:
        pass
    except Exception as error:
        if is_away(error):
            # It is made again when the database is back.
            raise
        with session() as store:
            failed = update(models.Checking).where(models.Checking.import_id == import_id)
            store.execute(failed.values(state="failed", error=error_sentence(error)))
        raise
    with session() as store:
        store.execute(delete(models.Checking).where(models.Checking.import_id == import_id))
