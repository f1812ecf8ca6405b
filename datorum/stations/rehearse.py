"""Rehearse: the site is read, and the plan is frozen record by record, field by field."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections import Counter

from psycopg.types.json import Jsonb
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound, NotReady, told
from datorum.core.model import Action, PlanRow, SiteRecord
from datorum.core.plan import changed_fields, plan_rows
from datorum.core.table import ROW
from datorum.stations.check import check_opened
from datorum.stations.imports import Opened, open_import
from datorum.stations.sites import opened
from datorum.store import models
from datorum.store.bulk import copy_rows
from datorum.store.database import session
from datorum.store.people import record

_SENT = (Action.CREATE, Action.UPDATE)


def start_rehearsal(store: Session, by: str, import_id: int) -> models.Plan:
    """A plan to be made by ``rehearse``. Raises NotReady where the mapping has no match key."""
    now = open_import(store, import_id)
    if not now.mapping.match_key or not now.mapping.fields.get(now.mapping.match_key):
        raise NotReady(
            "No match key is chosen, so rows cannot be told from records that are already on the site.",
            remedy="At Map, feed the e-mail or another unique field and choose it as match key.",
        )
    plan = models.Plan(
        import_id=import_id,
        sheet_id=now.sheet.id,
        mapping_version=now.mapping_version,
        policy=now.item.policy,
        state="reading",
        created_by=by,
    )
    store.add(plan)
    record(store, by, "rehearsed", f"import {import_id}")
    store.flush()
    return plan


async def rehearse(plan_id: int) -> None:
    """Read the site and freeze the plan; on an error the plan says what happened and the error is raised."""
    try:
        await _rehearse(plan_id)
    except Exception as error:
        with session() as store:
            plan = get_plan(store, plan_id)
            plan.state, plan.error = "failed", told(error)
        raise


async def _rehearse(plan_id: int) -> None:
    with session() as store:
        plan = get_plan(store, plan_id)
        now = open_import(store, plan.import_id)
        if now.sheet.id != plan.sheet_id or now.mapping_version != plan.mapping_version:
            raise NotReady("The sheet or the mapping changed while the site was being read.", remedy="Rehearse again.")
    on_site: list[SiteRecord] = []
    async with opened(now.item.site, now.item.record_type) as site:
        async for page, total in site.read_all():
            on_site += page
            with session() as store:
                plan = get_plan(store, plan_id)
                plan.records_read, plan.records_on_site = len(on_site), total
    await asyncio.to_thread(_freeze, plan_id, now, on_site)


def _freeze(plan_id: int, now: Opened, on_site: list[SiteRecord]) -> None:
    rows = plan_rows(now.frame[ROW], check_opened(now), now.record_type, now.mapping, now.policy, on_site)
    counts = Counter(row.action for row in rows)
    with session() as store:
        if get_plan(store, plan_id, lock=True).state != "reading":
            # Another worker, thought dead, was faster; one plan is frozen once.
            return
        copy_rows(
            store,
            "plan_row",
            ("plan_id", "row", "action", "key", "reason", "record_id", "etag", "page", "changes", "on_site",
             "state", "attempts", "message"),
            (_stored(plan_id, row) for row in rows),
        )  # fmt: skip
        plan = get_plan(store, plan_id)
        plan.state = "ready"
        plan.counts = {action.value: counts[action] for action in Action}
        plan.changed_fields = [change.model_dump(mode="json") for change in changed_fields(rows)]
        plan.records_read = plan.records_on_site = len(on_site)
        plan.snapshot_at = dt.datetime.now(dt.UTC)


def _stored(plan_id: int, row: PlanRow) -> tuple[object, ...]:
    changes = {path: change.model_dump() for path, change in row.changes.items()}
    state = "pending" if row.action in _SENT else "none"
    on_site = None if row.on_site is None else Jsonb(row.on_site)
    return (
        plan_id, row.row, row.action.value, row.key, row.reason, row.record_id, row.etag, None, Jsonb(changes), on_site,
        state, 0, "",
    )  # fmt: skip


def get_plan(store: Session, plan_id: int, *, lock: bool = False) -> models.Plan:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    plan = store.get(models.Plan, plan_id, with_for_update=lock)
    if plan is None:
        raise NotFound(f"There is no rehearsal {plan_id}.", remedy="Rehearse again.")
    return plan


def latest_plan(store: Session, import_id: int) -> models.Plan | None:
    """The newest rehearsal of an import, if any."""
    return store.scalar(
        select(models.Plan).where(models.Plan.import_id == import_id).order_by(models.Plan.id.desc()).limit(1)
    )


def why_stale(now: Opened, plan: models.Plan) -> str:
    """Why a plan no longer says what a run would do; empty while it does."""
    if plan.sheet_id != now.sheet.id:
        return "the sheet was read again"
    if plan.mapping_version != now.mapping_version:
        return "mapping changed"
    if plan.policy != now.item.policy:
        return "policy changed"
    return ""
