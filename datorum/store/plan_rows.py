"""The rows of a plan on their way: pending → sending → done or failed."""

from __future__ import annotations

import contextlib
import datetime as dt
import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from threading import Lock
from typing import Any

from sqlalchemy import delete, func, select
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
    record_type: str = ""
    """Where it is another than the import's own."""


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


def fill_in(plan_id: int, changes: Mapping[int, dict[str, dict[str, Any]]]) -> None:
    """Keep what rows are sent with, now that the records are known that they mean."""
    with session() as store:
        texts = [json.dumps(one) for one in changes.values()]
        store.execute(QUERIES["fill_in"], {"plan": plan_id, "rows": list(changes), "changes": texts})


def put_in_waves(store: Session, plan_id: int, waiting: Mapping[int, set[int]]) -> dict[int, str]:
    """Have rows that mean records of other rows wait for these: a wave behind them. What means a row that goes nowhere
    is held with it, and so is what means itself, by way of others; what was to become of those is given back."""
    if not waiting:
        return {}
    known = StoredPlanRow
    mentioned = sorted(set(waiting) | set().union(*waiting.values()))
    asked = select(known.row, known.action, known.record_id).where(known.plan_id == plan_id, known.row.in_(mentioned))
    rows = {row: (action, record_id) for row, action, record_id in store.execute(asked)}
    there = {row for row, (action, record_id) in rows.items() if record_id is not None or action == "create"}
    wave = {row: 0 for row in there if row not in waiting}
    open_rows = {row: meant for row, meant in waiting.items() if row in there}
    while ready := {row for row, meant in open_rows.items() if all(one in wave for one in meant)}:
        for row in ready:
            wave[row] = 1 + max(wave[one] for one in open_rows[row])
        open_rows = {row: meant for row, meant in open_rows.items() if row not in ready}
    moved = [{"r": row, "w": number} for row, number in wave.items() if number]
    if moved:
        store.execute(QUERIES["put_in_wave"], [{"plan": plan_id, **one} for one in moved])
    for row, meant in open_rows.items():
        lacking = next((one for one in sorted(meant) if one not in there), None)
        why = "it means itself, by way of others" if lacking is None else f"it means row {lacking:,}, which does not go"
        store.execute(QUERIES["hold_row"], {"plan": plan_id, "row": row, "reason": why})
    return {row: rows[row][0] for row in open_rows}


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
