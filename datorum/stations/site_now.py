"""Whether a site is still as it was when a plan was made, by the few requests that this takes."""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from typing import NamedTuple

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.core.model import SiteRecord
from datorum.core.plan import at
from datorum.sites import Site
from datorum.stations.basis import Target
from datorum.stations.described_now import DescribedNow, described_now
from datorum.stations.imports import get_import
from datorum.stations.sites import opened
from datorum.stations.surroundings import surroundings
from datorum.store import models
from datorum.store.database import session

_SECONDS = 6.0


class SiteNow(NamedTuple):
    """``more`` records than there were, or fewer, beside those that the plan itself has made, or those before it in its
    migration, of which it knows; whether any was ``changed`` since; none of both where the site does not tell.
    ``away``: what is wrong where it does not answer; how it is ``described`` by now."""

    more: int | None = None
    changed: bool | None = None
    away: str = ""
    described: DescribedNow = DescribedNow()


async def site_now(plan_id: int) -> SiteNow:
    """How a site is now, held against what it was when a plan was made."""
    records, described = await asyncio.gather(_records_now(plan_id), _described(plan_id))
    return records._replace(described=described)


async def _described(plan_id: int) -> DescribedNow:
    try:
        async with asyncio.timeout(_SECONDS):
            return await described_now(plan_id)
    except TimeoutError:
        return DescribedNow(unknown="its description takes too long to come")


async def _records_now(plan_id: int) -> SiteNow:
    with session() as store:
        plan = store.get_one(models.Plan, plan_id)
        item, target = get_import(store, plan.import_id), Target.kept(plan)
        site, then = item.site, plan.basis.get("newest")
        before = [one.id for one in surroundings(store, site.id, [item.migration_id]).before(item)]
        own, known = _come_of(store, models.PlanItem.plan_id == plan.id), _come_since(store, plan, before)
        expected = plan.records_read + own.made + known.made
        sent = _sent(store, plan) or known.any
    kind = target.description.type(target.record_type.name)
    try:
        async with asyncio.timeout(_SECONDS), opened(site, target.description, kind.name, connections=1) as reached:
            count = await reached.count()
            # What the plan has sent was changed last of all.
            changed = None if sent or not kind.changed_at else await _changed(reached, kind.changed_at, then)
    except TimeoutError:
        return SiteNow(away="it takes too long to answer")
    except DatorumError as error:
        return SiteNow(away=error.message)
    return SiteNow(None if count is None else count - expected, changed)


async def _changed(reached: Site, changed_at: str, then: str | None) -> bool | None:
    """Whether any record was changed after the one that was the newest ``then``; none where the site does not tell."""
    if not then:
        return None
    newest = await reached.newest()
    if newest is not None:
        return _text(newest, changed_at) != then
    since = reached.changed_since(then)
    if since is None:
        return None
    # What was changed at that very moment is among it.
    async for page in since:
        if any(_text(record, changed_at) != then for record in page.records):
            return True
    return False


def _text(record: SiteRecord, path: str) -> str:
    return str(at(record.body, path))


class _Come(NamedTuple):
    """Whether ``any`` of some items was sent, and how many more records the site has by them."""

    any: bool
    made: int


def _come_since(store: Session, plan: models.Plan, imports: Collection[int]) -> _Come:
    """What has come of some imports since the site was read for a plan."""
    if not imports or plan.snapshot_at is None:
        return _Come(any=False, made=0)
    item, of = models.PlanItem, models.Plan
    plans = select(of.id).where(of.import_id.in_(imports), of.kind == "main")
    return _come_of(store, item.plan_id.in_(plans), item.ended_at > plan.snapshot_at)


def _come_of(store: Session, *which: ColumnElement[bool]) -> _Come:
    """What has come of some items by now."""
    item = models.PlanItem
    asked = select(item.action, func.count()).where(
        *which, item.record_type == "", item.of_item.is_(None), item.state == "done"
    )
    counts = dict(store.execute(asked.group_by(item.action)).all())
    return _Come(bool(counts), int(counts.get("create", 0)) - int(counts.get("delete", 0)))


def _sent(store: Session, plan: models.Plan) -> bool:
    return store.scalar(select(models.Run.id).where(models.Run.plan_id == plan.id).limit(1)) is not None
