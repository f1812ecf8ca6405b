"""How a run is taken back: what would happen, what cannot be taken back and why, and how far it has come."""

from __future__ import annotations

from collections import Counter
from itertools import islice

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.stations.run import run_of
from datorum.stations.undo import undo_of
from datorum.store import models, plan_items

_SHOWN = 200


class LeftAsItIs(BaseModel):
    """A record that cannot be taken back, and why."""

    item: int
    key: str | None
    reason: str
    page: str | None


class UndoState(BaseModel):
    """``state``: none where it was not asked for, else that of its rehearsal or, once it was begun, of its run.
    ``runs``: how many runs are taken back as one. ``counts`` by action of what is planned: deleted, put back
    (``update``), created again; ``held``: cannot be taken back. ``why``: how many of these there are for each reason,
    ``left`` the first of them."""

    plan_id: int | None = None
    run_id: int | None = None
    state: str = "none"
    error: str = ""
    runs: int = 1
    hold_meant: bool = False
    """Whether what other records point at was to stay."""
    meant: list[LeftAsItIs] = []
    """The first of the records that would be deleted though others point at them."""
    counts: dict[str, int] = {}
    why: dict[str, int] = {}
    left: list[LeftAsItIs] = []
    total: int = 0
    done: int = 0
    failed: int = 0


def undo_state(store: Session, of_run: models.Run) -> UndoState:
    """Where the undo of a run stands."""
    plan = undo_of(store, of_run.id)
    if plan is None:
        return UndoState()
    run = run_of(store, plan.id)
    left = _told(store, plan.id, "held") if plan.state == "ready" else []
    return UndoState(
        plan_id=plan.id,
        run_id=run.id if run else None,
        state=run.state if run else plan.state,
        error=run.error if run else plan.error,
        runs=len(plan.basis.get("runs") or [0]),
        hold_meant=bool(plan.basis.get("hold_meant")),
        counts=plan.counts,
        why=dict(Counter(one.reason.partition(":")[0] for one in left)),
        left=left[:_SHOWN],
        meant=_told(store, plan.id, "delete", _SHOWN) if plan.state == "ready" and run is None else [],
        total=run.total if run else plan.to_send,
        done=run.done if run else 0,
        failed=run.failed if run else 0,
    )


def _told(store: Session, plan_id: int, action: str, most: int | None = None) -> list[LeftAsItIs]:
    """The records of an action of which a plan says something."""
    item = models.PlanItem
    asked = select(item.item, item.chunk).where(item.plan_id == plan_id, item.action == action).order_by(item.item)
    rows = plan_items.told(store, plan_id, dict(store.execute(asked).all()))
    told = (LeftAsItIs(item=one.item, key=one.key, reason=one.reason, page=one.page) for one in rows.values())
    return list(islice((one for one in told if one.reason), most))
