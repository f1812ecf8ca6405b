"""The records that a plan makes first since links mean them: what each has, and what became of it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.link import row_meant, rows_meant
from datorum.stations.basis import Target
from datorum.store import models


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


def keys_of_rows(store: Session, plan: models.Plan, rows: set[int]) -> dict[int, str | None]:
    """The keys of some rows of a plan."""
    kept = models.StoredPlanRow
    asked = select(kept.row, kept.key).where(kept.plan_id == plan.id, kept.row.in_(rows))
    return dict(store.execute(asked).all()) if rows else {}


def made_of(store: Session, plan: models.Plan, offset: int, count: int) -> MadeView:
    """Some of the records that a plan makes, those above others first."""
    kept = models.StoredPlanRow
    asked = select(kept).where(kept.plan_id == plan.id, kept.record_type != "")
    rows = list(store.scalars(asked.order_by(kept.row.desc()).offset(offset).limit(count)))
    types = {name: kind for name, kind, _ in Target.kept(plan).destinations}
    keys = keys_of_rows(store, plan, set().union(*(rows_meant(row.changes) for row in rows)))
    called = Target.kept(plan).made

    def text(value: Any) -> str:
        number = row_meant(value)
        return str(value) if number is None else str(keys[number])

    return MadeView(
        total=store.scalar(asked.with_only_columns(func.count())) or 0,
        records=[
            MadeRecord(
                record_type=row.record_type, key=row.key, state=row.state, message=row.message, page=row.page,
                fields=[MadeField(title=types[row.record_type].field(path).title, value=text(change["after"]))
                        for path, change in row.changes.items()
                        if change["after"] is not None and path != called[row.record_type]],
            )
            for row in rows
        ],
    )  # fmt: skip
