"""What is told of an import while work on it goes on: how far that is, and whether anything else of it has changed."""

from __future__ import annotations

import hashlib

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.stations.at_rest import UNDER_WAY
from datorum.stations.going import CheckingState, RunState
from datorum.stations.overview import RehearseState, VerifyState, overview_and_state
from datorum.stations.run_progress import RunProgress, progress_of
from datorum.store import models


class ReadingOfSite(BaseModel):
    """How far a site is read for a rehearsal or a verification."""

    id: int
    state: str
    records_read: int
    records_on_site: int | None


class Told(BaseModel):
    """``stamp``: another as soon as the stations show anything else than these figures. ``progress``: what one looks at
    while a run is under way. ``afterwards``: how far what was begun last after a run has come, as it is taken back or
    something follows for its records."""

    stamp: str
    checking: CheckingState | None
    rehearse: ReadingOfSite | None
    run: RunState | None
    progress: RunProgress | None
    verify: ReadingOfSite | None
    afterwards: int | None


def told(store: Session, import_id: int) -> Told:
    """Raises NotFound."""
    now, state = overview_and_state(store, import_id)
    plan, run = models.Plan, models.Run
    afterwards = select(run.done).select_from(plan).outerjoin(run, run.plan_id == plan.id)
    afterwards = afterwards.where(plan.import_id == import_id, plan.kind != "main").order_by(plan.id.desc()).limit(1)
    return Told(
        stamp=hashlib.blake2b(repr(state).encode(), digest_size=8).hexdigest(),
        checking=now.checking,
        rehearse=_reading(now.rehearse),
        run=now.run,
        progress=_progress(store, now.run),
        verify=_reading(now.verify),
        afterwards=store.scalar(afterwards),
    )


def _progress(store: Session, run: RunState | None) -> RunProgress | None:
    under_way = run is not None and run.state in UNDER_WAY
    return progress_of(store, store.get_one(models.Run, run.id)) if run is not None and under_way else None


def _reading(seen: RehearseState | VerifyState | None) -> ReadingOfSite | None:
    return ReadingOfSite.model_validate(seen, from_attributes=True) if seen else None
