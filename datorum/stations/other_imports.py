"""What other imports to a site bring, and have brought: the records that links mean among them."""

from __future__ import annotations

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.stations.imports import Opened
from datorum.store import models


def others_bringing(store: Session, now: Opened, record_type: str) -> list[int]:
    """The other imports to the site of an import that bring records of a type: those of its own migration, then the
    newest first, since an earlier one of the same sheet may have been given up."""
    kept = models.Import
    asked = select(kept.id).where(
        kept.site_id == now.item.site_id,
        kept.record_type == record_type,
        kept.id != now.item.id,
        kept.archived_at.is_(None),
    )
    apart = kept.migration_id.is_distinct_from(now.item.migration_id) | kept.migration_id.is_(None)
    return list(store.scalars(asked.order_by(apart, kept.id.desc())))


def latest_frozen(store: Session, import_id: int) -> models.Plan | None:
    """The latest plan of an import that is frozen."""
    plan = models.Plan
    asked = select(plan).where(plan.import_id == import_id, plan.kind == "main", plan.frozen_at.is_not(None))
    return store.scalar(asked.order_by(plan.id.desc()).limit(1))


def was_run(store: Session, import_id: int) -> bool:
    """Whether the latest plan of an import was carried out to its end. One that was rehearsed again since, as it was
    taken back or some of it refused, is still to bring what that plan says."""
    plan, run = latest_frozen(store, import_id), models.Run
    if plan is None:
        return False
    asked = select(run.state).where(run.plan_id == plan.id, run.kind == "main")
    return store.scalar(asked.order_by(run.id.desc()).limit(1)) in ("done", "failed", "ended")


def stays_behind(store: Session, import_id: int) -> set[int]:
    """The records of an import that was not run which it is not to bring: those that are held or left out, by its plan
    or, before there is one, by its check."""
    plan, item = latest_frozen(store, import_id), models.PlanItem
    if plan is not None:
        asked = select(item.item).where(item.plan_id == plan.id, item.action.in_(("held", "left out")))
        return set(store.scalars(asked))
    finding, check = models.StoredFinding, models.CheckResult
    held = (
        select(finding.record)
        .join(check, check.id == finding.check_id)
        .where(check.import_id == import_id, finding.blocks, ~finding.accepted, finding.record.is_not(None))
    )
    return {record for record in store.scalars(held.distinct()) if record is not None}


def records_brought(store: Session, import_id: int) -> pl.DataFrame:
    """The id map of an import: the record on the site that each of its rows became."""
    item, plan = models.PlanItem, models.Plan
    last = select(plan.id).where(plan.import_id == import_id, plan.kind == "main").order_by(plan.id.desc()).limit(1)
    # What was taken back has no record any more.
    asked = select(item.item, item.record_id).where(
        item.plan_id == last.scalar_subquery(), item.record_id.is_not(None), item.state != "undone"
    )
    return pl.DataFrame(store.execute(asked).all(), schema={"record": pl.Int64, "record_id": pl.String}, orient="row")
