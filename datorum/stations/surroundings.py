"""What there is on a site around an import: which records were read there, and what the site's imports bring."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable
from typing import NamedTuple

from sqlalchemy import Text, case, cast, func, select
from sqlalchemy.orm import Session, object_session

from datorum.stations.imports import Opened
from datorum.stations.migration.order import Order, order_of
from datorum.store import models


class Neighbour(NamedTuple):
    """An import as the links of another see it: the records that it brings and makes for its links, how often its rows
    were changed, the version of its mapping, when its last run was over, its latest frozen plan, and how many of its
    records are ready."""

    id: int
    record_type: str
    makes: frozenset[str]
    revision: int
    version: int | None
    carried_out: dt.datetime | None
    planned: int | None
    ready: int | None


class Surroundings(NamedTuple):
    """``read``: what tells whether the records of a type were read again from the site, by its name; ``neighbours``:
    the site's imports; ``orders``: those of its migrations."""

    read: dict[str, str]
    neighbours: tuple[Neighbour, ...]
    orders: dict[int, Order]

    def known(self, item: models.Import, names: Collection[str], awaited: Collection[int]) -> list[str]:
        """What is known of the records of some types, as an import sees them that has these imports ``awaited``. Of
        those it is what they are to bring: that they have been run by now, and that their records were read back, is
        what was planned. Of those that come later, as both mean each other, only what they are made of counts: nothing
        is awaited of them."""
        waits = [one for one in self.neighbours if one.id in awaited]
        brought = {one.record_type for one in waits}.union(*(one.makes for one in waits))
        order = self.orders.get(item.migration_id) if item.migration_id is not None else None
        later = order.behind(item.id) if order is not None else frozenset[int]()
        read = [(name, self.read[name]) for name in sorted(set(names) - brought) if name in self.read]
        others = [
            (one.id, one.revision, one.version,
             one.carried_out if one.id not in awaited and one.id not in later else None,
             one.planned if one.id in awaited and one.id not in later else None,
             one.ready if one.id not in later else None)
            for one in self.neighbours
            if one.id != item.id and (one.record_type in names or one.id in awaited)
        ]  # fmt: skip
        return [str(row) for rows in (read, others) for row in rows]

    def before(self, item: models.Import) -> list[Neighbour]:
        """The imports of the same migration that bring records of the same type before an import does."""
        order = self.orders.get(item.migration_id) if item.migration_id is not None else None
        if order is None:
            return []
        earlier = order.before(item.id)
        return [one for one in self.neighbours if one.record_type == item.record_type and one.id in earlier]


def surroundings_of(now: Opened) -> Surroundings:
    """What there is on its site around an import."""
    return surroundings(store_of(now), now.item.site_id, [now.item.migration_id])


def store_of(now: Opened) -> Session:
    """The session in which an import was opened."""
    store = object_session(now.item)
    assert store is not None
    return store


def surroundings(store: Session, site_id: int, migrations: Iterable[int | None]) -> Surroundings:
    """What there is on a site around the imports of some migrations, or of none."""
    read = models.Snapshot
    # That it was read again, and is as it was, is no change.
    content = case((read.content == "", cast(read.id, Text)), else_=read.content)
    of_site = select(read.record_type, content).where(read.site_id == site_id, read.as_of.is_not(None))
    orders = {number: order_of(store, number) for number in set(migrations) if number is not None}
    return Surroundings(
        dict(store.execute(of_site.order_by(read.id)).all()), tuple(_neighbours(store, site_id)), orders
    )  # fmt: skip


def _neighbours(store: Session, site_id: int) -> Iterable[Neighbour]:
    other, version, plan, run, check = (
        models.Import, models.MappingVersion, models.Plan, models.Run, models.CheckResult
    )  # fmt: skip
    frozen = select(plan.import_id, plan.made).join(other, other.id == plan.import_id)
    makes: dict[int, set[str]] = {}
    for number, made in store.execute(frozen.where(other.site_id == site_id, plan.frozen_at.is_not(None))):
        makes.setdefault(number, set()).update(made or ())
    latest = select(func.max(version.version)).where(version.import_id == other.id)
    carried_out = (
        select(func.max(run.ended_at)).join(plan, plan.id == run.plan_id)
        .where(plan.import_id == other.id, run.kind != "follow-up")
    )  # fmt: skip
    planned = select(func.max(plan.id)).where(
        plan.import_id == other.id, plan.kind == "main", plan.frozen_at.is_not(None)
    )  # fmt: skip
    ready = select(func.max(check.ready)).where(check.import_id == other.id)
    figures = (asked.correlate(other).scalar_subquery() for asked in (latest, carried_out, planned, ready))
    of_site = select(other.id, other.record_type, other.revision, *figures).where(other.site_id == site_id)
    for number, record_type, revision, *rest in store.execute(of_site.order_by(other.id)):
        yield Neighbour(number, record_type, frozenset(makes.get(number, ())), revision, *rest)
