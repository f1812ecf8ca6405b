"""What is told of an import while work on it goes on: how far that is, and whether anything else of it has changed."""

from __future__ import annotations

import hashlib

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.stations.imports import get_import
from datorum.stations.overview import CheckingState, RunState, checking_state, run_state
from datorum.stations.rehearse import latest_plan
from datorum.stations.run import current_run
from datorum.stations.verify import latest_verification
from datorum.store import models
from datorum.store.sheets import drawn_on


class ReadingOfSite(BaseModel):
    """How far a site is read for a rehearsal or a verification."""

    id: int
    state: str
    records_read: int
    records_on_site: int | None


class Told(BaseModel):
    """``stamp``: another as soon as the stations show anything else than these figures."""

    stamp: str
    checking: CheckingState | None
    rehearse: ReadingOfSite | None
    run: RunState | None
    verify: ReadingOfSite | None


def told(store: Session, import_id: int) -> Told:
    """Raises NotFound."""
    item = get_import(store, import_id)
    plan = latest_plan(store, import_id)
    run = current_run(store, plan.id) if plan else None
    verification = latest_verification(store, run.id) if run else None
    checking = store.get(models.Checking, import_id)
    check, version, undo = models.CheckResult, models.MappingVersion, models.Plan
    seen = (
        item.revision, item.archived_at, item.policy, item.description_id,
        plan and (plan.id, plan.state), run and (run.id, run.state, run.error),
        verification and (verification.id, verification.state), checking and checking.state,
        store.execute(select(func.max(check.id), func.max(check.seconds), func.max(check.held)).where(
            check.import_id == import_id)).one().tuple(),
        store.scalar(select(func.max(version.version)).where(version.import_id == import_id)),
        store.execute(select(undo.id, undo.state).where(undo.import_id == import_id, undo.kind == "undo").order_by(
            undo.id.desc()).limit(1)).first(),
    )  # fmt: skip
    return Told(
        stamp=hashlib.blake2b(repr(seen).encode(), digest_size=8).hexdigest(),
        checking=checking_state(checking, drawn_on(store, import_id).rows) if checking else None,
        rehearse=ReadingOfSite.model_validate(plan, from_attributes=True) if plan else None,
        run=run_state(store, run) if run else None,
        verify=ReadingOfSite.model_validate(verification, from_attributes=True) if verification else None,
    )
