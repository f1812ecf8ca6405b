"""The follow-ups of a run: what would be done, what was, and for which records not."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.model import Action, FollowUp, PlanRow
from datorum.stations.following import asked_for, texts
from datorum.store import models, plan_items


class Example(BaseModel):
    """What would be done for one record: ``says`` by name."""

    item: int
    key: str | None
    page: str | None
    says: dict[str, str]


class NotFollowed(BaseModel):
    """A record for which nothing is done, and why; or for which it was refused."""

    item: int
    key: str | None
    reason: str
    page: str | None


class FollowUpState(BaseModel):
    """A follow-up: ``state`` is that of its rehearsal or, once it was begun, of its run. ``records``: for how many it
    is done; ``held``: for how many not, ``why`` for each reason, ``left`` the first of them."""

    plan_id: int
    run_id: int | None
    asked: FollowUp
    by: str
    at: dt.datetime
    state: str
    error: str
    records: int
    held: int
    why: dict[str, int]
    left: list[NotFollowed]
    examples: list[Example]
    done: int
    failed: int
    refused: list[NotFollowed]


_SHOWN, _EXAMPLES = 200, 3


def follow_ups(store: Session, of_run: models.Run) -> list[FollowUpState]:
    """The follow-ups of a run, the latest first."""
    plan = models.Plan
    asked = select(plan).where(plan.of_run_id == of_run.id, plan.kind == "follow-up").order_by(plan.id.desc())
    return [_state(store, one) for one in store.scalars(asked)]


def follow_up_of(store: Session, of_run: models.Run, plan_id: int) -> models.Plan:
    """One of the follow-ups of a run. Raises NotFound."""
    plan = store.get(models.Plan, plan_id)
    if plan is None or plan.kind != "follow-up" or plan.of_run_id != of_run.id:
        raise NotFound(f"Run {of_run.id} has no follow-up {plan_id}.", remedy="Look at the list of its follow-ups.")
    return plan


def _state(store: Session, plan: models.Plan) -> FollowUpState:
    run = store.scalars(select(models.Run).where(models.Run.plan_id == plan.id)).first()
    left = list(_rows(store, plan.id, Action.HELD.value)) if plan.frozen_at else []
    said = _rows(store, plan.id, Action.FOLLOW_UP.value, _EXAMPLES) if plan.frozen_at else ()
    refused = _rows(store, plan.id, Action.FOLLOW_UP.value, _SHOWN, models.PlanItem.state == "failed")
    return FollowUpState(
        plan_id=plan.id,
        run_id=run.id if run else None,
        asked=asked_for(plan),
        by=plan.created_by,
        at=plan.created_at,
        state=run.state if run else plan.state,
        error=run.error if run else plan.error,
        records=int(plan.counts.get(Action.FOLLOW_UP.value, 0)),
        held=int(plan.counts.get(Action.HELD.value, 0)),
        why=dict(Counter(row.reason for row, _ in left)),
        left=[_not_followed(row, row.reason) for row, _ in left[:_SHOWN]],
        examples=[Example(item=row.item, key=row.key, page=row.page, says=texts(row.changes)) for row, _ in said],
        done=run.done if run else 0,
        failed=run.failed if run else 0,
        refused=[_not_followed(row, message) for row, message in refused],
    )


def _not_followed(row: PlanRow, why: str) -> NotFollowed:
    return NotFollowed(item=row.item, key=row.key, reason=why, page=row.page)


def _rows(
    store: Session, plan_id: int, action: str, most: int | None = None, *which: Any
) -> Iterator[tuple[PlanRow, str]]:
    """Items of a plan of which the same is done, with what was said of each."""
    item = models.PlanItem
    asked = select(item.item, item.chunk, item.message).where(item.plan_id == plan_id, item.action == action, *which)
    found = store.execute(asked.order_by(item.item).limit(most)).all()
    rows = plan_items.told(store, plan_id, {number: chunk for number, chunk, _ in found})
    return ((rows[number], message) for number, _, message in found)
