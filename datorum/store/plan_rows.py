"""The rows of a plan on their way: pending → sending → done or failed."""

from __future__ import annotations

import contextlib
import datetime as dt
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from threading import Lock
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from datorum.store.database import engine, session
from datorum.store.models import StoredPlanRow
from datorum.store.queries import QUERIES


@dataclass(frozen=True)
class RowToSend:
    """One row of a plan that something is to be sent for."""

    row: int
    action: str
    key: str | None
    record_id: str | None
    etag: str | None
    changes: dict[str, dict[str, Any]]


@dataclass(frozen=True)
class Settled:
    """What became of one row. ``state``: done, failed, or pending where it is to be tried another time."""

    row: int
    state: str
    record_id: str | None = None
    etag: str | None = None
    page: str | None = None
    status: int | None = None
    message: str = ""


def claim(plan_id: int, count: int) -> list[RowToSend]:
    """Mark the next rows as being sent, and commit that before anything leaves."""
    with session() as store:
        found = [
            RowToSend(**row) for row in store.execute(QUERIES["claim"], {"plan": plan_id, "count": count}).mappings()
        ]
    return sorted(found, key=lambda row: row.row)


def in_doubt(plan_id: int) -> list[RowToSend]:
    """Rows that were being sent when a worker ended."""
    with session() as store:
        return [RowToSend(**row) for row in store.execute(QUERIES["in_doubt"], {"plan": plan_id}).mappings()]


def settle(plan_id: int, rows: Sequence[Settled]) -> None:
    """Keep what became of some rows."""
    if not rows:
        return
    with session() as store:
        store.execute(
            QUERIES["settle"],
            {
                "plan": plan_id,
                "at": dt.datetime.now(dt.UTC),
                "rows": [one.row for one in rows],
                "states": [one.state for one in rows],
                "records": [one.record_id for one in rows],
                "etags": [one.etag for one in rows],
                "pages": [one.page for one in rows],
                "statuses": [one.status for one in rows],
                "messages": [one.message for one in rows],
            },
        )
        states = Counter(one.state for one in rows)
        store.execute(QUERIES["count_settled"], {"plan": plan_id, "done": states["done"], "failed": states["failed"]})


def counts_by_state(store: Session, plan_id: int) -> dict[str, int]:
    """How many rows of a plan are in each state; ``none`` are those for which nothing is sent."""
    counted = store.execute(
        select(StoredPlanRow.state, func.count()).where(StoredPlanRow.plan_id == plan_id).group_by(StoredPlanRow.state)
    )
    return {row.state: row[1] for row in counted}


@contextmanager
def only_worker_on(run_id: int) -> Iterator[Callable[[], None] | None]:
    """None where another process is on a run; else this one alone is, for as long as the block lasts and the process
    and its connection live. What is given then raises where the connection is gone, and others may be on the run."""
    with engine().connect() as connection:
        keys = {"space": 0x0DA7, "run": run_id}
        taken = bool(connection.scalar(QUERIES["take_run"], keys))
        connection.commit()
        one_at_a_time = Lock()

        def alone() -> None:
            with one_at_a_time:
                connection.scalar(QUERIES["still_there"])
                connection.commit()

        try:
            yield alone if taken else None
        finally:
            if taken:
                # With its connection the lock is gone as well.
                with contextlib.suppress(DBAPIError):
                    connection.scalar(QUERIES["let_go_of_run"], keys)
