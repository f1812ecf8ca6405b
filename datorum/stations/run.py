"""Run: the plan carried out, row by row, so that nothing happens twice and every row's outcome is kept."""

from __future__ import annotations

import asyncio
import datetime as dt
from contextlib import AsyncExitStack

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound, NotReady, error_sentence
from datorum.core.model import Policy
from datorum.settings import settings
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.basis import Target
from datorum.stations.imports import get_import, open_import
from datorum.stations.rehearse import get_plan, why_stale
from datorum.stations.sender import Destination, Sender
from datorum.stations.sites import limits_of, opened
from datorum.store import models
from datorum.store.database import is_away, session
from datorum.store.people import record
from datorum.store.plan_rows import counts_by_state, only_worker_on


def start_run(store: Session, by: str, plan_id: int) -> models.Run:
    """A run of a frozen plan, to be made by ``carry_out``; a second start of the same plan gives the same run.

    Raises NotReady where the plan is not made or has nothing to send, Conflict where it is stale or another run of
    the import is not over.
    """
    plan = get_plan(store, plan_id)
    store.refresh(get_import(store, plan.import_id), with_for_update={"of": models.Import})
    existing = run_of(store, plan_id)
    if existing:
        return existing
    if plan.state != "ready":
        raise NotReady("The rehearsal is not finished.", remedy="Wait for it, or rehearse again.")
    must_be_at_rest(store, get_import(store, plan.import_id))
    stale = why_stale(open_import(store, plan.import_id), plan)
    if stale:
        raise Conflict(f"The plan is stale: {stale} since the rehearsal.", remedy="Rehearse again, then run.")
    if not plan.to_send:
        raise NotReady("The plan creates and updates nothing.", remedy="There is nothing to run.")
    run = models.Run(plan_id=plan_id, state="waiting", started_by=by)
    store.add(run)
    store.flush()
    record(store, by, "run started", f"import {plan.import_id}", plan=plan_id, counts=plan.counts)
    return run


def pause(store: Session, by: str, run_id: int) -> models.Run:
    """Ask a run to pause: what is under way is finished, the rest stays pending."""
    run = get_run(store, run_id, to_change=True)
    if run.state not in ("waiting", "running"):
        raise Conflict("The run is not going on, so it cannot be paused.")
    run.state, run.error = "paused", ""
    record(store, by, "run paused", f"run {run_id}")
    return run


def resume(store: Session, by: str, run_id: int) -> models.Run:
    """Let a paused run go on."""
    run = get_run(store, run_id, to_change=True)
    if run.state not in ("paused", "failed"):
        raise Conflict("The run is not paused.")
    item = get_import(store, run.plan.import_id)
    if item.site.address != Target.kept(run.plan).address:
        raise Conflict(
            "The site was connected anew at another address, and this run belongs to the one before.",
            remedy="End the run, and rehearse again.",
        )
    run.state, run.error = "waiting", ""
    record(store, by, "run continued", f"run {run_id}")
    return run


def end(store: Session, by: str, run_id: int) -> models.Run:
    """Give up the rest of a paused run. What was sent stays as it is, and so does what is known of it."""
    run = get_run(store, run_id, to_change=True)
    if run.state not in ("paused", "failed"):
        raise Conflict("Only a paused run can be ended.", remedy="Pause it first.")
    with only_worker_on(run_id) as alone:
        if alone is None:
            raise Conflict(
                "What was on its way when the run was paused is still being finished.", remedy="Try again in a moment."
            )
    run.state, run.error = "ended", ""
    record(store, by, "run ended", f"run {run_id}", counts=counts_by_state(store, run.plan_id))
    return run


async def carry_out(run_id: int) -> None:
    """Send what is pending, after settling what an earlier worker left in doubt.

    May be called again at any time, by any worker; only one at a time does the work.
    """
    with only_worker_on(run_id) as alone:
        if alone is None:
            return
        with session() as store:
            run = get_run(store, run_id, to_change=True)
            if run.state not in ("waiting", "running"):
                return
            run.state = "running"
            run.started_at = run.started_at or dt.datetime.now(dt.UTC)
            plan, item = run.plan, get_import(store, run.plan.import_id)
        # By what the plan was made for, whatever the import and its site have become since.
        target = Target.kept(plan)
        try:
            async with AsyncExitStack() as stack:
                to = {}
                for name, record_type, key in target.destinations:
                    reached = opened(item.site, target.description, record_type.name, settings().concurrency)
                    to[name] = Destination(await stack.enter_async_context(reached), record_type, key)
                policy, limits = Policy.model_validate(plan.policy), limits_of(item.site)
                sender = Sender(to, run_id, plan.id, policy, limits)
                finished = await sender.work(alone)
        except Exception as error:
            if is_away(error):
                # It goes on when the database is back, and looks up first what was on its way.
                raise
            await asyncio.to_thread(_end, run_id, "failed", error_sentence(error))
            raise
        await asyncio.to_thread(_end, run_id, "done" if finished else "paused", sender.why_paused)


def _end(run_id: int, state: str, error: str) -> None:
    with session() as store:
        run = get_run(store, run_id, to_change=True)
        if run.state == "ended" or (run.state == "waiting" and state != "done"):
            # A person has ended it, or let it go on, before what was on its way came to its end.
            return
        counts = counts_by_state(store, run.plan_id)
        left = counts.get("pending", 0) + counts.get("sending", 0)
        if state == "done" and left:
            state, error = "paused", f"{left:,} rows are not settled. Continue, and they are looked up on the site."
        run.state, run.error = state, error
        run.ended_at = dt.datetime.now(dt.UTC)


def get_run(store: Session, run_id: int, *, to_change: bool = False) -> models.Run:
    """A run; where it is to be changed, nobody else changes it until then. Raises NotFound."""
    run = store.get(models.Run, run_id, with_for_update={"of": models.Run} if to_change else None)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    return run


def run_of(store: Session, plan_id: int) -> models.Run | None:
    """The run of a plan, if it was started."""
    return store.scalar(select(models.Run).where(models.Run.plan_id == plan_id))


def failed_rows(store: Session, plan_id: int, limit: int = 500) -> list[models.StoredPlanRow]:
    """The rows that the site refused, with what it said."""
    return list(
        store.scalars(
            select(models.StoredPlanRow)
            .where(models.StoredPlanRow.plan_id == plan_id, models.StoredPlanRow.state == "failed")
            .order_by(models.StoredPlanRow.row)
            .limit(limit)
        )
    )
