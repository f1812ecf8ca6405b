"""A check of a large sheet, which a worker makes: its progress can be seen, and it can be stopped."""

from __future__ import annotations

from sqlalchemy.orm import Session

from datorum.core.table import CHUNK_ROWS
from datorum.stations import work
from datorum.stations.check import check_import
from datorum.stations.imports import get_import
from datorum.store import models
from datorum.store.database import session
from datorum.store.people import record
from datorum.store.sheets import drawn_on


def is_large(store: Session, import_id: int) -> bool:
    """Whether an import's sheet has more rows than are checked while a person waits. Raises NotFound."""
    get_import(store, import_id)
    return drawn_on(store, import_id).rows > CHUNK_ROWS


def start_checking(store: Session, by: str, import_id: int) -> models.Work:
    """A check to be made by ``carry_out_check``; one that is under way goes on."""
    get_import(store, import_id)
    return work.ask(store, "check", import_id, by, import_id=import_id)


def stop_checking(store: Session, by: str, import_id: int) -> None:
    """Have a check under way stop; what was checked before stands."""
    work.stop(store, "check", import_id)
    record(store, by, "check stopped", f"import {import_id}")


def carry_out_check(import_id: int) -> None:
    """Make a check that was asked for. On an error it says what happened, and the error is raised."""
    with work.doing("check", import_id) as now:
        if now is None:
            return
        with session() as store:
            asked = work.under_way(store, "check", import_id)
            check_import(store, asked.by if asked else "", import_id, now.tell)
