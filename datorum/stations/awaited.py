"""What a plan awaits of other imports: items that stand for the records which they are to bring."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from datorum.core.model import Action, PlanRow
from datorum.core.plan.awaited import Brought
from datorum.stations.other_imports import latest_frozen
from datorum.store import models, plan_items
from datorum.store.queries import QUERIES


def awaited_rows(store: Session, awaited: Mapping[int, Brought]) -> Iterator[PlanRow]:
    """The items of a plan that stand for what other imports are to bring, each called as it is there."""
    by_import: dict[int, list[int]] = {}
    for one in awaited.values():
        by_import.setdefault(one.import_id, []).append(one.record)
    items = {number: store.get_one(models.Import, number) for number in by_import}
    planned = {number: _planned(store, number, records) for number, records in by_import.items()}
    for item, (import_id, record) in awaited.items():
        row = planned[import_id].get(record)
        # What it makes for its links has a type of its own.
        yield PlanRow(
            item=item, action=Action.AWAITED, key=(row.key if row else None) or f"row {record:,}",
            reason=f"to be brought by {items[import_id].name}",
            record_type=(row.record_type if row else "") or items[import_id].record_type,
        )  # fmt: skip


def _planned(store: Session, import_id: int, records: list[int]) -> dict[int, PlanRow]:
    """Some records of an import as its latest plan has them, where it has one."""
    plan = latest_frozen(store, import_id)
    return plan_items.rows(store, plan.id, records) if plan is not None else {}


def keep_awaited(store: Session, plan_id: int, awaited: Mapping[int, Brought]) -> None:
    """Keep for which record of which import each item stands."""
    kept = [{"plan_id": plan_id, "item": item, "import_id": one.import_id, "of_item": one.record}
            for item, one in awaited.items()]  # fmt: skip
    if kept:
        store.execute(insert(models.Awaited), kept)


def brought_by_others(store: Session, plan_id: int) -> dict[int, str]:
    """The records on the site that other imports have brought, by the items of a plan that stand for them."""
    items = list(store.scalars(select(models.Awaited.item).where(models.Awaited.plan_id == plan_id)))
    return dict(store.execute(QUERIES["record_ids"], {"plan": plan_id, "items": items}).all()) if items else {}


class Lacking(NamedTuple):
    """An import that a plan awaits, and how many of its records it means that are not on the site by now."""

    name: str
    records: int


def lacking(store: Session, plan_id: int) -> list[Lacking]:
    """The imports that are still to bring what a plan means."""
    of = models.Awaited
    asked = select(of.item, models.Import.name).join(models.Import, models.Import.id == of.import_id)
    by_item = dict(store.execute(asked.where(of.plan_id == plan_id)).all())
    if not by_item:
        return []
    gone = Counter(by_item[item] for item in by_item.keys() - brought_by_others(store, plan_id).keys())
    return [Lacking(name, count) for name, count in gone.most_common()]
