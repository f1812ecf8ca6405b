"""Whether a site is still as it was when a plan was made, by the few requests that this takes."""

from __future__ import annotations

import asyncio
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.core.model import SiteRecord
from datorum.core.plan import at
from datorum.sites import Site
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.sites import opened
from datorum.store import models
from datorum.store.database import session

_SECONDS = 6.0


class SiteNow(NamedTuple):
    """``more`` records than there were, or fewer, beside those that the plan itself has made; whether any was
    ``changed`` since; none of both where the site does not tell. ``away``: what is wrong where it does not answer."""

    more: int | None = None
    changed: bool | None = None
    away: str = ""


async def site_now(plan_id: int) -> SiteNow:
    """How a site is now, held against what it was when a plan was made."""
    with session() as store:
        plan = store.get_one(models.Plan, plan_id)
        site, target = get_import(store, plan.import_id).site, Target.kept(plan)
        expected, sent, then = plan.records_read + _made(store, plan), _sent(store, plan), plan.basis.get("newest")
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


def _made(store: Session, plan: models.Plan) -> int:
    """How many more records the site has by what was sent of a plan."""
    item = models.PlanItem
    asked = select(item.action, func.count()).where(
        item.plan_id == plan.id, item.record_type == "", item.of_item.is_(None), item.state == "done"
    )
    counts = dict(store.execute(asked.group_by(item.action)).all())
    return int(counts.get("create", 0)) - int(counts.get("delete", 0))


def _sent(store: Session, plan: models.Plan) -> bool:
    return store.scalar(select(models.Run.id).where(models.Run.plan_id == plan.id).limit(1)) is not None
