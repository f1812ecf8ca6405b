"""Run: the plan carried out, row by row, so that nothing happens twice and every row's outcome is kept."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections.abc import Collection, Sequence
from contextlib import AsyncExitStack
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, aliased

from datorum.core.errors import Conflict, NotFound, NotReady, error_sentence
from datorum.core.model import PlanRow, Policy
from datorum.settings import settings
from datorum.stations.at_rest import NOT_OVER, UNDER_WAY, must_be_at_rest
from datorum.stations.basis import Target
from datorum.stations.doubts import Destination
from datorum.stations.following import asked_for, following
from datorum.stations.imports import get_import, open_import
from datorum.stations.led_to import Addressed
from datorum.stations.mail_of import mail_of
from datorum.stations.pilot import assign, with_all_meant
from datorum.stations.rehearse import get_plan, why_stale
from datorum.stations.sender import Part, Sender
from datorum.stations.sites import limits_of, opened
from datorum.stations.snapshots import ready_snapshots
from datorum.stations.turns import LeaseLost, forget_turns
from datorum.stations.undo import taken_back
from datorum.store import models
from datorum.store.among import among
from datorum.store.database import is_away, session
from datorum.store.people import record
from datorum.store.plan_items import counts_by_state, sending_in_turns, told
from datorum.store.queries import QUERIES
from datorum.store.run_notes import note


def start_run(
    store: Session, by: str, plan_id: int, *, deletes: int | None = None, pilot: Collection[int] | None = None,
    agreed: Sequence[str] = (), follows: int | None = None,
) -> models.Run:  # fmt: skip
    """A run of a frozen plan, to be carried out by any worker: of all that is not sent yet or, as a ``pilot``, of some
    items with all that they mean. A second start of the same is the same run. ``deletes``: how many records somebody
    has said are to be deleted, ``follows``: for how many something is done afterwards; ``agreed``: what was not in
    order before it, and agreed to.

    Raises NotReady where the plan is not made or has nothing left to send, Conflict where it is stale, another run of
    the import is not over, or it deletes another number of records than was said.
    """
    plan = get_plan(store, plan_id)
    store.refresh(get_import(store, plan.import_id), with_for_update={"of": models.Import})
    kind = "pilot" if pilot is not None else plan.kind
    by_state = counts_by_state(store, plan_id)
    if by_state.get("undone"):
        raise Conflict("What was sent of the plan was taken back.", remedy="Rehearse again, then run.")
    existing = run_of(store, plan_id)
    if existing and (existing.kind == kind if kind != "pilot" else existing.state in NOT_OVER):
        return existing
    if plan.state != "ready":
        raise NotReady("The rehearsal is not finished.", remedy="Wait for it, or rehearse again.")
    must_be_at_rest(store, get_import(store, plan.import_id))
    stale = (
        why_stale(open_import(store, plan.import_id), plan, begun=existing is not None) if plan.kind == "main" else ""
    )
    if stale:
        raise Conflict(f"The plan is stale: {stale} since the rehearsal.", remedy="Rehearse again, then run.")
    left = by_state.get("pending", 0)
    if not left:
        raise NotReady("The plan has nothing to send.", remedy="There is nothing to run.")
    if kind in ("main", "pilot") and plan.counts.get("delete"):
        _deletes_are_meant(store, plan, deletes)
    if kind == "follow-up" and follows != left:
        raise Conflict(
            f"Something is done for {left:,} records.", remedy="Say the number to show that this is meant.",
            current={"records": left},
        )  # fmt: skip
    run = models.Run(plan_id=plan_id, kind=kind, total=left, state="waiting", started_by=by)
    store.add(run)
    store.flush()
    if pilot is not None:
        run.total = assign(store, plan_id, run.id, with_all_meant(store, plan_id, pilot))
        if not run.total:
            raise NotReady("None of these records is still to be sent.", remedy="Choose others.")
    store.flush()
    store.execute(QUERIES["begin_part" if pilot is not None else "begin_parts"], {"run": run.id, "plan": plan_id})
    said = f"{_CALLED[kind]} of {run.total:,} record{'' if run.total == 1 else 's'} was started by {by}."
    note(store, run.id, "same", said if kind == "follow-up" else f"{said} {_of_mail(plan)}")
    record(store, by, f"{kind} started" if kind != "main" else "run started", f"import {plan.import_id}", plan=plan_id,
           run=run.id, records=run.total, counts=plan.counts, agreed=list(agreed))  # fmt: skip
    for one in agreed:
        note(store, run.id, "warned", f"{by} agreed that {one}.")
    return run


def _of_mail(plan: models.Plan) -> str:
    return mail_of(Target.kept(plan), Policy.model_validate(plan.policy)).sentence


def is_to_begin(store: Session, plan: models.Plan, kind: str) -> bool:
    """Whether a start of a run would begin one, and is not that of one that there is."""
    existing = run_of(store, plan.id)
    return existing is None or (existing.kind != kind if kind == "main" else existing.state not in NOT_OVER)


def _deletes_are_meant(store: Session, plan: models.Plan, said: int | None) -> None:
    """Raises Conflict where records would be deleted that nobody has taken away as a file, or whose number nobody has
    said."""
    item, gone = get_import(store, plan.import_id), int(plan.counts["delete"])
    kept = ready_snapshots(store, item.site_id).get(item.record_type)
    if kept is None or kept.downloaded_at is None:
        raise Conflict(
            f"The plan deletes {gone:,} records, and nobody has downloaded what the site has of them.",
            remedy="Download the snapshot of the site first.",
        )
    if said != gone:
        raise Conflict(
            f"The plan deletes {gone:,} records.", remedy="Say the number to show that this is meant.",
            current={"deletes": gone},
        )  # fmt: skip


_CALLED = {"pilot": "A pilot", "main": "A run", "undo": "An undo", "follow-up": "A follow-up"}


def pause(store: Session, by: str, run_id: int) -> models.Run:
    """Ask a run to pause: what is under way is finished, the rest stays pending."""
    run = get_run(store, run_id, to_change=True)
    if run.state not in UNDER_WAY:
        raise Conflict("The run is not going on, so it cannot be paused.")
    run.state, run.error = "paused", ""
    note(store, run_id, "warned", f"{by} paused it.")
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
    note(store, run_id, "good", f"{by} let it go on.")
    record(store, by, "run continued", f"run {run_id}")
    return run


def end(store: Session, by: str, run_id: int) -> models.Run:
    """Give up the rest of a paused run. What was sent stays as it is, and so does what is known of it."""
    run = get_run(store, run_id, to_change=True)
    if run.state not in ("paused", "failed"):
        raise Conflict("Only a paused run can be ended.", remedy="Pause it first.")
    if sending_in_turns(store, run.plan_id, run_id):
        raise Conflict(
            "What was on its way when the run was paused is still being finished.", remedy="Try again in a moment."
        )
    run.state, run.error = "ended", ""
    note(store, run_id, "warned", f"{by} ended it where it is.")
    record(store, by, "run ended", f"run {run_id}", counts=counts_by_state(store, run.plan_id))
    return run


async def carry_out(run_id: int) -> None:
    """Send what is pending, after settling what was left in doubt in turns that are over.

    May be called at any time, by any number of workers: they share the work.
    """
    with session() as store:
        run = get_run(store, run_id, to_change=True)
        if run.state not in UNDER_WAY:
            return
        run.state = "running"
        run.started_at = run.started_at or dt.datetime.now(dt.UTC)
    try:
        with session() as store:
            run = get_run(store, run_id)
            plan, item = run.plan, get_import(store, run.plan.import_id)
            part = Part(run_id, plan.id, item.site_id, run.kind == "pilot")
            # By what the plan was made for, whatever the import and its site have become since.
            target = Target.kept(plan)
        async with AsyncExitStack() as stack:
            to, follow, addressed = {}, None, {}
            if run.kind == "follow-up":
                follow = await stack.enter_async_context(following(asked_for(plan), target, item.site))
            else:
                for name, record_type, key in target.destinations:
                    reached = opened(item.site, target.description, record_type.name, settings().concurrency)
                    to[name] = Destination(await stack.enter_async_context(reached), record_type, key)
                for name in target.addressed:
                    kind = target.description.type(name)
                    reached = opened(item.site, target.description, name, settings().concurrency)
                    if kind.address_at is not None:
                        addressed[name] = Addressed(await stack.enter_async_context(reached), kind.address_at)
                # Items of the import's own type have no name for it.
                if target.record_type.name in addressed:
                    addressed[""] = addressed[target.record_type.name]
            policy, limits = Policy.model_validate(plan.policy), limits_of(item.site)
            sender = Sender(to, part, policy, limits, follow, addressed)
            finished = await sender.work()
    except LeaseLost:
        # Others have it by now, or it goes on with a new turn.
        return
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
        if run.state in ("ended", "done") or (run.state == "waiting" and state != "done"):
            # A person has ended it, or let it go on, before what was on its way came to its end; or others have.
            return
        if state == "paused" and not error and run.state == "paused":
            # Another worker, or a person, has said why.
            error = run.error
        # A pilot and the rest of its plan are counted apart; what a main run has not begun is of no run.
        counts = counts_by_state(store, run.plan_id, run_id if run.kind == "pilot" else None)
        left = counts.get("pending", 0) + counts.get("sending", 0)
        if state == "done" and left:
            state, error = "paused", f"{left:,} rows are not settled. Continue, and they are looked up on the site."
        run.state, run.error = state, error
        if state == "done":
            refused = f", {run.failed:,} refused" if run.failed else ""
            note(store, run_id, "warned" if refused else "good", f"It is over: {run.done:,} done{refused}.")
        elif error:
            note(store, run_id, "held", error)
        run.ended_at = dt.datetime.now(dt.UTC)
        forget_turns(store, run_id)
        if state == "done" and run.kind == "undo":
            taken_back(store, run)


def get_run(store: Session, run_id: int, *, to_change: bool = False) -> models.Run:
    """A run; where it is to be changed, nobody else changes it until then. Raises NotFound."""
    run = store.get(models.Run, run_id, with_for_update={"of": models.Run} if to_change else None)
    if run is None:
        raise NotFound(f"There is no run {run_id}.")
    return run


def no_such_run(import_id: int, run_id: int) -> NotFound:
    """The error for a run that an import does not have, or has no more."""
    return NotFound(f"Import {import_id} has no run {run_id}.", remedy="Look at the list of its runs.")


def run_of(store: Session, plan_id: int) -> models.Run | None:
    """The latest run of a plan, if any was started."""
    return store.scalars(
        select(models.Run).where(models.Run.plan_id == plan_id).order_by(models.Run.id.desc()).limit(1)
    ).first()


def runs_under_way() -> list[int]:
    """The runs that any worker can take part in."""
    with session() as store:
        under_way = models.Run.state.in_(UNDER_WAY)
        return list(store.scalars(select(models.Run.id).where(under_way).order_by(models.Run.id)))


def current_run(store: Session, plan_id: int) -> models.Run | None:
    """The latest run of a plan or of what takes a run of it back, if any was started."""
    return current_runs(store, [plan_id]).get(plan_id)


def current_runs(store: Session, plans: Collection[int]) -> dict[int, models.Run]:
    """The latest runs of some plans, or of what takes runs of them back, of those of which any was started."""
    plan, run, undone = models.Plan, models.Run, aliased(models.Run)
    own = select(run.id, run.plan_id.label("of")).where(among(run.plan_id, plans))
    back = (
        select(run.id, undone.plan_id.label("of"))
        .join(plan, plan.id == run.plan_id)
        .join(undone, undone.id == plan.of_run_id)
        .where(among(undone.plan_id, plans), plan.kind == "undo")
    )
    either = own.union_all(back).subquery()
    asked = select(either.c.of, run).join(run, run.id == either.c.id).ext(distinct_on(either.c.of))
    return dict(store.execute(asked.order_by(either.c.of, run.id.desc())).all()) if plans else {}


class FailedItem(NamedTuple):
    """What became of an item of a plan, and what it is."""

    item: models.PlanItem
    row: PlanRow


def failed_rows(
    store: Session, run: models.Run, items: Collection[int] | None = None, limit: int = 500
) -> list[FailedItem]:
    """The items of a run that the site refused, or some of them, with what it said."""
    kept = models.PlanItem
    asked = select(kept).where(kept.plan_id == run.plan_id, kept.run_id == run.id, kept.state == "failed")
    if items is not None:
        asked = asked.where(kept.item.in_(items))
    found = list(store.scalars(asked.order_by(kept.item).limit(limit)))
    rows = told(store, run.plan_id, {one.item: one.chunk for one in found})
    return [FailedItem(one, rows[one.item]) for one in found]
