"""The rows of a plan on their way: pending → sending → done or failed."""

from __future__ import annotations

import contextlib
import datetime as dt
import json
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from threading import Lock
from typing import Any

from psycopg.types.json import Jsonb
from sqlalchemy import delete, func, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from datorum.store.bulk import copy_rows
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
    record_type: str = ""
    """Where it is another than the import's own."""
    of_row: int | None = None
    """The row whose record it changes once more."""


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


def claim(plan_id: int, count: int, wave: int = 0) -> list[RowToSend]:
    """Mark the next rows of a wave as being sent, and commit that before anything leaves."""
    with session() as store:
        asked = {"plan": plan_id, "count": count, "wave": wave}
        found = [RowToSend(**row) for row in store.execute(QUERIES["claim"], asked).mappings()]
    return sorted(found, key=lambda row: row.row)


def open_waves(plan_id: int) -> list[int]:
    """The waves of which anything is still to be sent, or on its way, in order."""
    with session() as store:
        return list(store.scalars(QUERIES["open_waves"], {"plan": plan_id}))


def record_ids(plan_id: int, rows: Sequence[int]) -> dict[int, str]:
    """The records on the site of some rows, where they have one by now."""
    with session() as store:
        return dict(store.execute(QUERIES["record_ids"], {"plan": plan_id, "rows": list(rows)}).all())


def keep_changes(store: Session, plan_id: int, rows: Sequence[RowToSend]) -> None:
    """Keep what rows are sent with, and of which record where that has come to be known."""
    if rows:
        asked = {"rows": [row.row for row in rows], "changes": [json.dumps(row.changes) for row in rows],
                 "records": [row.record_id for row in rows]}  # fmt: skip
        store.execute(QUERIES["keep_changes"], {"plan": plan_id, **asked})


def next_number(store: Session, plan_id: int) -> int:
    """The number of a further row that is none of the sheet: they count down from -1."""
    least = store.scalar(select(func.min(StoredPlanRow.row)).where(StoredPlanRow.plan_id == plan_id))
    return min(least or 0, 0) - 1


def add(store: Session, plan_id: int, rows: Sequence[tuple[RowToSend, int]]) -> None:
    """Add further rows to a plan, each with its wave."""
    columns = ("plan_id", "row", "action", "key", "reason", "record_id", "changes", "state", "wave", "attempts",
               "message", "record_type", "of_row")  # fmt: skip
    copy_rows(store, "plan_row", columns, (
        (plan_id, row.row, row.action, row.key, "", row.record_id, Jsonb(row.changes), "pending", wave, 0, "",
         row.record_type, row.of_row) for row, wave in rows
    ))  # fmt: skip


def rows_to_send(store: Session, plan_id: int, rows: Collection[int]) -> dict[int, RowToSend]:
    """Some rows of a plan for which anything is sent."""
    known = StoredPlanRow
    asked = select(known.row, known.action, known.key, known.record_id, known.etag, known.changes, known.record_type,
                   known.of_row).where(known.plan_id == plan_id, known.row.in_(rows))  # fmt: skip
    return {row["row"]: RowToSend(**row) for row in store.execute(asked).mappings()}


def put_in_waves(store: Session, plan_id: int, waves: Mapping[int, int]) -> None:
    """Have rows be sent when those of the waves before are over."""
    moved = [{"plan": plan_id, "r": row, "w": number} for row, number in waves.items() if number]
    if moved:
        store.execute(QUERIES["put_in_wave"], moved)


def hold(store: Session, plan_id: int, reasons: Mapping[int, str]) -> None:
    """Hold rows that were to be sent."""
    held = [{"plan": plan_id, "row": row, "reason": why} for row, why in reasons.items()]
    if held:
        store.execute(QUERIES["hold_row"], held)


def leave_out(store: Session, plan_id: int, rows: Sequence[int]) -> None:
    """Take rows out of a plan again."""
    store.execute(delete(StoredPlanRow).where(StoredPlanRow.plan_id == plan_id, StoredPlanRow.row.in_(rows)))


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
