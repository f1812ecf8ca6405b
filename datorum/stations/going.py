"""How far work on an import has come that goes on: a check, the reading of a site, a run."""

from __future__ import annotations

import datetime as dt
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.stations import work
from datorum.stations.at_rest import UNDER_WAY
from datorum.store import models
from datorum.store.plan_items import counts_by_state, sending_in_turns


class CheckingState(BaseModel):
    """A check that is under way. ``state``: waiting, going or failed."""

    state: str
    error: str
    done: int
    total: int
    seconds_left: float | None


class RunState(BaseModel):
    """``kind``: pilot or main; ``total`` rows are sent; ``done``, ``failed`` and what is left add up to it.
    ``in_doubt`` of what is left were on their way when the run stopped; while ``workers`` are still at what was on its
    way when it was paused, that is not in doubt, and the run cannot be ended."""

    id: int
    kind: str
    state: str
    error: str
    total: int
    done: int
    failed: int
    in_doubt: int
    left: int
    """How many of its plan are still to be sent when it is over, as those of a pilot's."""
    rate: float
    response_ms: float
    concurrency: int
    workers: int
    seconds_left: float | None
    started_at: dt.datetime | None
    ended_at: dt.datetime | None
    started_by: str


def checking_state(found: models.Work | None, rows: int) -> CheckingState | None:
    """How far the check of so many rows is that is under way, if any is."""
    if found is None or found.state == "stopped":
        return None
    left = work.seconds_left(found, dt.datetime.now(dt.UTC), rows)
    return CheckingState(state=found.state, error=found.error, done=found.done, total=rows, seconds_left=left)


def records_read(found: models.Work | None, there: int | None) -> dict[str, Any]:
    """How many records of how many on the site are read by work; once all are, how many are ``there``."""
    if there is not None or found is None or found.state not in work.OPEN:
        return {"records_read": there or 0, "records_on_site": there}
    return {"records_read": found.done, "records_on_site": found.total}


def run_state(store: Session, run: models.Run) -> RunState:
    """How far a run is."""
    under_way = run.state in UNDER_WAY
    turn = models.Turn
    alive = select(turn).where(turn.run_id == run.id, turn.lease_until > func.clock_timestamp())
    turns = list(store.scalars(alive)) if run.state not in ("done", "ended") else []
    rate = sum(one.rate for one in turns) if under_way else 0.0
    open_rows = run.total - run.done - run.failed
    in_doubt = 0
    if open_rows and not under_way:
        still = sending_in_turns(store, run.plan_id, run.id) if turns else 0
        # What has come to its end between the two questions is in neither.
        in_doubt = max(counts_by_state(store, run.plan_id, run.id).get("sending", 0) - still, 0)
    return RunState(
        id=run.id,
        kind=run.kind,
        state=run.state,
        error=run.error,
        total=run.total,
        done=run.done,
        failed=run.failed,
        in_doubt=in_doubt,
        left=counts_by_state(store, run.plan_id).get("pending", 0) if run.kind == "pilot" and not under_way else 0,
        rate=rate,
        response_ms=sum(one.response_ms for one in turns) / len(turns) if turns else 0.0,
        concurrency=sum(one.share for one in turns),
        workers=len(turns),
        seconds_left=open_rows / rate if rate and run.state == "running" else None,
        started_at=run.started_at,
        ended_at=run.ended_at,
        started_by=run.started_by,
    )
