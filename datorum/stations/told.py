"""What is told of an import while work on it goes on: how far that is, and whether anything else of it has changed."""

from __future__ import annotations

import hashlib

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.stations import work
from datorum.stations.going import CheckingState, RunState, checking_state, records_read, run_state
from datorum.stations.imports import get_import
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
    """``stamp``: another as soon as the stations show anything else than these figures. ``afterwards``: how far what
    was begun last after a run has come, as it is taken back or something follows for its records."""

    stamp: str
    checking: CheckingState | None
    rehearse: ReadingOfSite | None
    run: RunState | None
    verify: ReadingOfSite | None
    afterwards: int | None


def told(store: Session, import_id: int) -> Told:
    """Raises NotFound."""
    item = get_import(store, import_id)
    plan = latest_plan(store, import_id)
    run = current_run(store, plan.id) if plan else None
    verification = latest_verification(store, run.id) if run else None
    under_way = work.of_imports(store, [import_id])
    checking = checking_state(under_way("check", import_id), drawn_on(store, import_id).rows)
    check, version, after, of = models.CheckResult, models.MappingVersion, models.Plan, models.Run
    afterwards = store.execute(
        select(after.id, after.state.label("plan_state"), of.state.label("run_state"), of.done)
        .outerjoin(of, of.plan_id == after.id)
        .where(after.import_id == import_id, after.kind != "main")
        .order_by(after.id.desc())
        .limit(1)
    ).first()
    seen = (
        item.revision, item.archived_at, item.policy, item.description_id,
        plan and (plan.id, plan.state), run and (run.id, run.state, run.error),
        verification and (verification.id, verification.state), checking and checking.state,
        store.execute(select(func.max(check.id), func.max(check.seconds), func.max(check.held)).where(
            check.import_id == import_id)).one().tuple(),
        store.scalar(select(func.max(version.version)).where(version.import_id == import_id)),
        afterwards and (afterwards.id, afterwards.plan_state, afterwards.run_state),
    )  # fmt: skip
    return Told(
        stamp=hashlib.blake2b(repr(seen).encode(), digest_size=8).hexdigest(),
        checking=checking,
        rehearse=ReadingOfSite(
            id=plan.id,
            state=plan.state,
            **records_read(under_way("rehearse", plan.id), plan.records_read if plan.frozen_at else None),
        )
        if plan
        else None,
        run=run_state(store, run) if run else None,
        afterwards=afterwards.done if afterwards else None,
        verify=ReadingOfSite(
            id=verification.id,
            state=verification.state,
            **records_read(under_way("verify", verification.id), verification.records_on_site),
        )
        if verification
        else None,
    )
