"""The records that a plan makes first since links mean them: what each has, and what became of it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.link import row_meant, rows_meant
from datorum.core.model import Action
from datorum.stations.basis import Target
from datorum.store import models
from datorum.store.plan_items import rows, told


class MadeField(BaseModel):
    title: str
    value: str


class MadeRecord(BaseModel):
    """One record, with what it has beside its key; ``state`` as that of a row of the plan, with what the site said,
    and its page once it has one."""

    record_type: str
    key: str | None
    fields: list[MadeField]
    state: str
    message: str
    page: str | None


class MadeView(BaseModel):
    total: int
    records: list[MadeRecord]


def keys_of_items(store: Session, plan: models.Plan, items: set[int]) -> dict[int, str | None]:
    """The keys of some items of a plan."""
    return {item: row.key for item, row in rows(store, plan.id, items).items()} if items else {}


def made_of(store: Session, plan: models.Plan, offset: int, count: int) -> MadeView:
    """Some of the records that a plan makes, those above others first."""
    kept = models.PlanItem
    asked = select(kept).where(kept.plan_id == plan.id, kept.record_type != "", kept.of_item.is_(None),
                               kept.action != Action.AWAITED)  # fmt: skip
    items = list(store.scalars(asked.order_by(kept.item.desc()).offset(offset).limit(count)))
    of = told(store, plan.id, {one.item: one.chunk for one in items})
    types = {name: kind for name, kind, _ in Target.kept(plan).destinations}
    keys = keys_of_items(store, plan, set().union(*(rows_meant(row.changes) for row in of.values())))
    called = Target.kept(plan).made

    def text(value: Any) -> str:
        number = row_meant(value)
        return str(value) if number is None else str(keys[number])

    return MadeView(
        total=store.scalar(asked.with_only_columns(func.count())) or 0,
        records=[
            MadeRecord(
                record_type=one.record_type, key=of[one.item].key, state=one.state, message=one.message, page=one.page,
                fields=[MadeField(title=types[one.record_type].field(path).title, value=text(change.after))
                        for path, change in of[one.item].changes.items()
                        if change.after is not None and path != called[one.record_type]],
            )
            for one in items
        ],
    )  # fmt: skip
