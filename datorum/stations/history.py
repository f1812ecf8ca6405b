"""The runs of an import, each with its plan, its outcome and what reading back proved."""

from __future__ import annotations

import datetime as dt
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from datorum.core.plan import FieldChange
from datorum.stations.imports import get_import
from datorum.stations.run import failed_rows, no_such_run
from datorum.stations.run_progress import refused_alike
from datorum.stations.sites import get_site
from datorum.stations.verify import latest_verification, mismatches_of, places_of
from datorum.store import models, plan_items


class PastVerification(BaseModel):
    """The last reading back of a run. ``state``: reading, done or failed."""

    state: str
    error: str
    compared: int
    differ: int
    ended_at: dt.datetime | None


class PastRun(BaseModel):
    """One run. ``kind``: pilot, main, or undo or follow-up, that of the run ``of_run``; ``counts`` are those of its
    plan by action; ``total`` were to be sent; ``taken_back`` of what was sent were by an undo."""

    id: int
    import_id: int
    import_name: str
    record_type: str
    kind: str
    of_run: int | None
    taken_back: int
    filename: str
    state: str
    error: str
    counts: dict[str, int]
    total: int
    done: int
    failed: int
    started_by: str
    started_at: dt.datetime
    ended_at: dt.datetime | None
    verification: PastVerification | None


class FailedRow(BaseModel):
    """``row`` of the sheet, none where no row stands for it. ``record_type``: that of a record which was to be made
    since links mean it; empty where it is of the sheet."""

    item: int
    row: int | None
    record_type: str
    key: str | None
    action: str
    status: int | None
    message: str
    attempts: int


class Mismatch(BaseModel):
    """One field that the site holds otherwise than it was sent; an empty ``field``: the record is not there.
    ``record_type`` as in ``FailedRow``."""

    item: int
    row: int | None
    record_type: str
    key: str | None
    page: str | None
    field: str
    sent: Any
    found: Any


class RunReport(BaseModel):
    """What a run was to change, what the site refused of it, and what it held otherwise afterwards."""

    changed_fields: list[FieldChange]
    failed: list[FailedRow]
    mismatches: list[Mismatch]


def runs_of(store: Session, import_id: int) -> list[PastRun]:
    """The runs of an import, the latest first. Raises NotFound."""
    get_import(store, import_id)
    plan, run = models.Plan, models.Run
    asked = select(run).join(plan, plan.id == run.plan_id).where(plan.import_id == import_id)
    return _told(store, list(store.scalars(asked.order_by(run.id.desc()))))


def runs_to(store: Session, site_id: int, before: int | None = None, most: int = 200) -> list[PastRun]:
    """The runs to a site, the latest first, or those before the run of a number. Raises NotFound."""
    get_site(store, site_id)
    plan, run, item = models.Plan, models.Run, models.Import
    asked = select(run).join(plan, plan.id == run.plan_id).join(item, item.id == plan.import_id)
    asked = asked.where(item.site_id == site_id)
    if before is not None:
        asked = asked.where(run.id < before)
    return _told(store, list(store.scalars(asked.order_by(run.id.desc()).limit(most))))


def _told(store: Session, runs: list[models.Run]) -> list[PastRun]:
    verification = models.Verification
    latest = (
        select(verification)
        .ext(distinct_on(verification.run_id))
        .where(verification.run_id.in_([one.id for one in runs]))
        .order_by(verification.run_id, verification.id.desc())
    )
    verified = {one.run_id: one for one in store.scalars(latest)}
    differ = dict(
        store.execute(
            select(models.StoredMismatch.verification_id, func.count())
            .where(models.StoredMismatch.verification_id.in_([one.id for one in verified.values()]))
            .group_by(models.StoredMismatch.verification_id)
        ).all()
    )
    names = dict(
        store.execute(
            select(models.StoredSheet.id, models.Original.filename)
            .join(models.Original, models.Original.id == models.StoredSheet.original_id)
            .where(models.StoredSheet.id.in_({one.plan.sheet_id for one in runs}))
        ).all()
    )
    item = models.PlanItem
    undone = select(item.run_id, func.count()).where(
        item.plan_id.in_({one.plan_id for one in runs}), item.state == "undone"
    )
    taken_back = dict(store.execute(undone.group_by(item.run_id)).all())
    ids = {one.plan.import_id for one in runs}
    imports = {one.id: one for one in store.scalars(select(models.Import).where(models.Import.id.in_(ids)))}
    return [
        PastRun(
            id=one.id,
            import_id=one.plan.import_id,
            import_name=imports[one.plan.import_id].name,
            record_type=imports[one.plan.import_id].record_type,
            kind=one.kind,
            of_run=one.plan.of_run_id,
            taken_back=taken_back.get(one.id, 0),
            filename=names[one.plan.sheet_id],
            state=one.state,
            error=one.error,
            counts=one.plan.counts,
            total=one.total,
            done=one.done,
            failed=one.failed,
            started_by=one.started_by,
            started_at=one.started_at or one.created_at,
            ended_at=one.ended_at,
            verification=_verification(verified.get(one.id), differ),
        )
        for one in runs
    ]


def _verification(found: models.Verification | None, differ: dict[int, int]) -> PastVerification | None:
    if found is None:
        return None
    return PastVerification(
        state=found.state,
        error=found.error,
        compared=found.compared,
        differ=differ.get(found.id, 0),
        ended_at=found.ended_at,
    )


def report_of(store: Session, import_id: int, run_id: int) -> RunReport:
    """The details of one run of an import, 500 rows of each kind at most. Raises NotFound."""
    run = run_in(store, import_id, run_id)
    return RunReport(
        changed_fields=[FieldChange.model_validate(one) for one in run.plan.changed_fields],
        failed=failed_told(store, run),
        mismatches=mismatches_told(store, run),
    )


def run_in(store: Session, import_id: int, run_id: int) -> models.Run:
    """A run of an import. Raises NotFound."""
    get_import(store, import_id)
    run = store.get(models.Run, run_id)
    if run is None or run.plan.import_id != import_id:
        raise no_such_run(import_id, run_id)
    return run


def failed_told(store: Session, run: models.Run, like: int | None = None) -> list[FailedRow]:
    """What the site refused of a run, 500 rows at most, or what it refused in the same words as an item ``like`` this;
    what was to be changed once more is told of its row."""
    items = None if like is None else refused_alike(store, run, like)
    return [
        FailedRow(
            item=one.item, row=row.row, record_type=one.record_type, key=row.key, action=one.action, status=one.status,
            message=one.message, attempts=one.attempts,
        )
        for one, row in failed_rows(store, run, items)
    ]  # fmt: skip


def mismatches_told(store: Session, run: models.Run) -> list[Mismatch]:
    """What the last reading back of a run found otherwise than it was sent, 500 fields at most."""
    verification = latest_verification(store, run.id)
    kept = mismatches_of(store, verification.id) if verification else []
    places = places_of(store, run.plan_id, {one.item for one in kept})
    rows = plan_items.rows(store, run.plan_id, {one.item for one in kept})
    return [
        Mismatch(item=one.item, row=rows[one.item].row, record_type=places[one.item].record_type, key=one.key,
                 page=places[one.item].page, field=one.field, sent=one.sent, found=one.found)
        for one in kept
    ]  # fmt: skip
