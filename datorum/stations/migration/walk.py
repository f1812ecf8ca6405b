"""All imports of a migration taken further together, in their order; their runs stop where one passes the limit that
somebody set."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import Literal, NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, DatorumError, NotReady, error_sentence
from datorum.stations import checking, rehearse, run, snapshots, undo, verify, work
from datorum.stations.imports import open_import
from datorum.stations.migration.migrations import get_migration, imports_of
from datorum.stations.migration.order import in_layers, linked, links_between
from datorum.stations.overview import Overview, overview
from datorum.stations.preflight import must_be_agreed_to, preflight
from datorum.stations.rehearse import get_plan, latest_plan
from datorum.stations.site_now import SiteNow, site_now
from datorum.stations.undo_view import undo_state
from datorum.store import models
from datorum.store.database import session
from datorum.store.people import record

Goal = Literal["check", "rehearse", "run", "rehearse undo", "undo"]


class Asked(NamedTuple):
    """Work that was asked for, and that a worker is to be told of."""

    kind: str
    subject: int


class ToBegin(NamedTuple):
    """A plan that is to be run, once its site has been looked at."""

    import_id: int
    plan_id: int


class _Stop(Exception):
    """Why none goes further."""


Step = Asked | ToBegin | None
"""What is done next for an import: nothing where work on it is under way. ``_THROUGH`` where it is through."""
_THROUGH = Asked("", 0)


def go(store: Session, by: str, migration_id: int, goal: Goal, agreed: Collection[str] = ()) -> models.Migration:
    """Have all imports of a migration taken to a station, one layer after the other. ``agreed``: what of preflight is
    not in order, and agreed to by name. Raises NotFound, NotReady where there is nothing to take, and Conflict where
    they are being taken to another."""
    migration = get_migration(store, migration_id, lock=True)
    if migration.going_to not in (None, goal):
        raise Conflict(f"They are being taken to {migration.going_to}.", remedy="Stop that first.")
    items = imports_of(store, migration_id)
    if not items:
        raise NotReady("The migration has no imports yet.", remedy="Drop files on its board.")
    if goal == "run":
        _must_be_rehearsed([overview(store, item.id) for item in items])
    if migration.going_to is None:
        migration.going_to, migration.going_by, migration.stopped = goal, by, ""
        migration.agreed, migration.going_since = sorted(agreed), dt.datetime.now(dt.UTC)
        record(store, by, f"migration: {goal} all", f"migration {migration_id}", agreed=migration.agreed)
    return migration


def _must_be_rehearsed(seen: Collection[Overview]) -> None:
    """What runs is what was rehearsed, and seen. Raises NotReady."""
    lacking = [one.name for one in seen if not _is_over(one) and (
        one.rehearse is None or one.rehearse.state != "ready" or one.rehearse.stale)]  # fmt: skip
    if lacking:
        raise NotReady(f"Not rehearsed as they stand: {', '.join(lacking)}.", remedy="Rehearse all first.")


def halt(store: Session, by: str, migration_id: int) -> models.Migration:
    """Have no import of a migration taken further; what is under way comes to its end."""
    migration = get_migration(store, migration_id, lock=True)
    if migration.going_to is not None:
        record(store, by, "migration stopped", f"migration {migration_id}", at=migration.going_to)
        migration.going_to, migration.stopped = None, f"{by} stopped it."
    return migration


def under_way(store: Session) -> list[int]:
    """The migrations whose imports are being taken further."""
    return list(store.scalars(select(models.Migration.id).where(models.Migration.going_to.is_not(None))))


async def go_on(migration_id: int) -> list[Asked]:
    """Take what comes next of a migration, as far as it waits for nothing. Gives the work that is asked for. May be
    called at any time, by any number of workers."""
    asked, begin = await asyncio.to_thread(_next, migration_id)
    for one in begin:
        there = await site_now(one.plan_id)
        await asyncio.to_thread(_begin, migration_id, one, there)
    return asked


async def looked_at(plans: Sequence[int]) -> list[SiteNow]:
    """How the sites of some plans are now."""
    return list(await asyncio.gather(*map(site_now, plans)))


def _next(migration_id: int) -> tuple[list[Asked], list[ToBegin]]:
    with session() as store:
        of = models.Migration
        mine = select(of).where(of.id == migration_id, of.going_to.is_not(None))
        migration = store.scalars(mine.with_for_update(of=of, skip_locked=True)).first()
        if migration is None:
            return [], []
        try:
            steps = list(_steps(store, migration))
        except _Stop as why:
            _stopped(store, migration, str(why))
            return [], []
        except DatorumError as error:
            _stopped(store, migration, error_sentence(error))
            return [], []
        if not steps:
            done = f"migration: {migration.going_to} all, done"
            record(store, migration.going_by, done, f"migration {migration_id}")
            migration.going_to = None
        asked = [one for one in steps if isinstance(one, Asked)]
        return asked, [one for one in steps if isinstance(one, ToBegin)]


def break_off(migration_id: int, error: Exception) -> None:
    """Take a migration no further over which an error came up that nobody foresaw."""
    with session() as store:
        migration = get_migration(store, migration_id, lock=True)
        if migration.going_to is not None:
            _stopped(store, migration, f"An error that nobody foresaw: {error_sentence(error)}")


def _stopped(store: Session, migration: models.Migration, why: str) -> None:
    record(store, migration.going_by, "migration stopped", f"migration {migration.id}", why=why)
    migration.going_to, migration.stopped = None, why


def _begin(migration_id: int, one: ToBegin, there: SiteNow) -> None:
    """Begin a run that is in order, or stop where it is not."""
    with session() as store:
        migration = get_migration(store, migration_id, lock=True)
        if migration.going_to is None:
            return
        plan = get_plan(store, one.plan_id)
        name = store.get_one(models.Import, one.import_id).name
        try:
            agreed: list[str] = []
            if plan.kind == "main" and run.is_to_begin(store, plan, "main"):
                # What those before it have not brought is refused, and counts by the limit.
                agreed = must_be_agreed_to(preflight(store, plan, there), [*migration.agreed, "linked imports"])
            run.start_run(store, migration.going_by, plan.id, agreed=agreed)
        except DatorumError as error:
            _stopped(store, migration, f"{name}: {error_sentence(error)}")


def _steps(store: Session, migration: models.Migration) -> Iterator[Step]:
    """What is to be done now: nothing at all where all are through. Raises _Stop."""
    opened = [open_import(store, item.id) for item in imports_of(store, migration.id)]
    imports = [linked(one) for one in opened]
    order = in_layers(links_between(imports), imports)
    goal = migration.going_to or ""
    if goal in ("check", "rehearse"):
        types = {one.item.record_type for one in opened}
        yield from (reading := list(_readings(store, migration, types)))
        if reading:
            return
    forwards = goal in ("check", "rehearse", "run")
    again = {one for one, _ in order.later if goal == "run" and _goes_again(store, one)}
    for layer in order.rows if forwards else reversed(order.rows):
        waiting = list(_of_layer(store, migration, goal, sorted(set(layer) - again)))
        if waiting:
            yield from waiting
            return
    if goal == "run":
        yield from _second_pass(store, migration, order.later)


def _of_layer(store: Session, migration: models.Migration, goal: str, imports: Sequence[int]) -> Iterator[Step]:
    """What is to be done now for the imports of a layer. Those that bring records of the same type go one after the
    other, as the ones behind know of what those before them make."""
    under_way: set[str] = set()
    for number in imports:
        now = overview(store, number)
        if goal in _IN_TURN and now.record_type in under_way:
            continue
        step = _GOALS[goal](store, migration, now)
        if step is not _THROUGH:
            under_way.add(now.record_type)
            yield step


_IN_TURN = ("rehearse", "run")


def _second_pass(store: Session, migration: models.Migration, later: Collection[tuple[int, int]]) -> Iterator[Step]:
    """What was sent without what it means of those behind it, as both mean each other, is given that now."""
    for number in sorted({one for one, _ in later}):
        now, plan = overview(store, number), latest_plan(store, number)
        behind = _ended(store, {other for one, other in later if one == number})
        if plan is not None and plan.state == "reading":
            yield None
        elif plan is None or (behind is not None and plan.created_at < behind):
            if not _is_over(now):
                continue
            yield Asked("rehearse", rehearse.start_rehearsal(store, migration.going_by, number).id)
        elif (step := _run(store, migration, now)) is not _THROUGH:
            yield step


def _ended(store: Session, imports: Collection[int]) -> dt.datetime | None:
    """When the last run of some imports was over."""
    plan, of = models.Plan, models.Run
    asked = select(func.max(of.ended_at)).join(plan, plan.id == of.plan_id)
    return store.scalar(asked.where(plan.import_id.in_(imports), plan.kind == "main"))


def _goes_again(store: Session, import_id: int) -> bool:
    """Whether an import has run and is rehearsed once more."""
    plan, of = models.Plan, models.Run
    runs = select(func.max(of.plan_id)).join(plan, plan.id == of.plan_id)
    ran = store.scalar(runs.where(plan.import_id == import_id, plan.kind == "main", of.kind == "main"))
    latest = latest_plan(store, import_id)
    return ran is not None and latest is not None and latest.id > ran


def _readings(store: Session, migration: models.Migration, types: Collection[str]) -> Iterator[Step]:
    """The readings of the site that are to be made, or waited for: of what the imports are of, and what they mean."""
    wanted = set(types)
    for item in imports_of(store, migration.id):
        wanted |= set(overview(store, item.id).map.unread)
    wanted -= snapshots.ready_snapshots(store, migration.site_id).keys()
    latest = snapshots.latest_snapshots(store, migration.site_id)
    failed = [latest[name] for name in sorted(wanted) if name in latest and latest[name].state == "failed"]
    if failed and _is_of_now(migration, failed[0].started_at):
        raise _Stop(f"The site’s {failed[0].record_type} cannot be read: {failed[0].error}")
    missing = [name for name in sorted(wanted) if name not in latest or latest[name].state != "reading"]
    if missing:
        made = snapshots.start_snapshots(store, migration.going_by, migration.site_id, missing)
        yield from (Asked("snapshot", one.id) for one in made)
    elif wanted:
        yield None


def _check(store: Session, migration: models.Migration, now: Overview) -> Step:
    going = work.under_way(store, "check", now.id)
    if going is not None and going.state in work.OPEN:
        return None
    if going is not None and going.state == "failed" and _is_of_now(migration, going.asked_at):
        raise _Stop(f"{now.name} cannot be checked: {going.error}")
    if now.check is None or (now.check.stale and not _is_over(now)):
        checking.start_checking(store, migration.going_by, now.id)
        return Asked("check", now.id)
    return _THROUGH


def _rehearse(store: Session, migration: models.Migration, now: Overview) -> Step:
    refused = now.run is not None and now.run.failed > 0
    over = _is_over(now)
    if over and not refused:
        return _THROUGH
    plan = now.rehearse
    if plan is not None and plan.state == "reading":
        return None
    # What is held is looked at before, and how many links find whom they mean.
    if (check := _check(store, migration, now)) is not _THROUGH:
        return check
    if plan is not None and plan.state in ("failed", "stopped") and _is_of_now(migration, plan.created_at):
        raise _Stop(f"{now.name} cannot be rehearsed: {plan.error or 'it was stopped'}")
    # What the site refused may be settled by now, and is all that would be sent again.
    if plan is None or plan.state != "ready" or plan.stale or over:
        made = rehearse.start_rehearsal(store, migration.going_by, now.id)
        return Asked("rehearse", made.id)
    return _THROUGH


def _run(store: Session, migration: models.Migration, now: Overview) -> Step:
    going = now.run if now.run is not None and now.run.kind != "undo" else None
    if going is not None and going.state in ("waiting", "running"):
        return None
    if going is not None and going.state in ("paused", "failed"):
        raise _Stop(f"The run of {now.name} is paused. {going.error}".strip())
    if going is not None and (going.kind == "main" or not going.left):
        _must_be_few(migration, now.name, going.failed, going.total, "refused")
        return _verify(store, migration, now)
    plan = now.rehearse
    if plan is None or plan.state != "ready" or plan.stale:
        raise _Stop(f"{now.name} is not rehearsed as it stands{f': {plan.stale}' if plan and plan.stale else ''}.")
    goes = sum(plan.counts.get(action, 0) for action in ("create", "update", "unchanged", "delete"))
    held = plan.counts.get("held", 0)
    _must_be_few(migration, now.name, held, goes + held, "held")
    return ToBegin(now.id, plan.id) if plan.to_send else _THROUGH


def _verify(store: Session, migration: models.Migration, now: Overview) -> Step:
    assert now.run is not None
    proof = now.verify
    if proof is None:
        made = verify.start_verification(store, migration.going_by, now.run.id)
        return Asked("verify", made.id)
    if proof.state == "reading":
        return None
    if proof.state != "done":
        raise _Stop(f"{now.name} cannot be verified: {proof.error or 'it was stopped'}")
    _must_be_few(migration, now.name, proof.mismatches, max(proof.fields_compared, proof.mismatches), "otherwise there")
    return _THROUGH


def _rehearse_undo(store: Session, migration: models.Migration, now: Overview) -> Step:
    for one in _to_take_back(store, migration, now):
        state = undo_state(store, one)
        plan = store.get(models.Plan, state.plan_id) if state.plan_id is not None else None
        if plan is not None and state.state == "reading":
            return None
        broken = plan is not None and state.run_id is None and state.state in ("failed", "stopped")
        if broken and plan is not None and _is_of_now(migration, plan.created_at):
            raise _Stop(f"How {now.name} is taken back cannot be told: {state.error or 'it was stopped'}")
        # How it would be taken back was looked at as the site was then.
        old = plan is not None and state.run_id is None and not _is_of_now(migration, plan.created_at)
        if plan is None or broken or old:
            return Asked("undo", undo.start_undo(store, migration.going_by, one.id).id)
    return _THROUGH


def _undo(store: Session, migration: models.Migration, now: Overview) -> Step:
    taken: dt.datetime | None = None
    for one in _to_take_back(store, migration, now):
        state = undo_state(store, one)
        plan = store.get(models.Plan, state.plan_id) if state.plan_id is not None else None
        if taken is not None and plan is not None and state.run_id is None and plan.created_at < taken:
            # What a later run of the import did is taken back by now: it is looked at as it is since.
            return Asked("undo", undo.start_undo(store, migration.going_by, one.id).id)
        if taken is not None and state.state == "reading":
            return None
        if state.plan_id is None or (state.state != "ready" and state.run_id is None):
            raise _Stop(f"How {now.name} is taken back was not rehearsed.")
        if state.state in ("waiting", "running"):
            return None
        if state.state in ("paused", "failed"):
            raise _Stop(f"Taking back {now.name} is paused. {state.error}".strip())
        if state.run_id is None and state.total:
            return ToBegin(now.id, state.plan_id)
        if state.run_id is not None:
            taken = store.get_one(models.Run, state.run_id).ended_at
    return _THROUGH


def _to_take_back(store: Session, migration: models.Migration, now: Overview) -> list[models.Run]:
    """The runs of an import since the migration was begun that have anything on the site, the latest first."""
    plan, of = models.Plan, models.Run
    runs = select(of).join(plan, plan.id == of.plan_id).where(plan.import_id == now.id, of.done > 0)
    ours = runs.where(of.kind.in_(("main", "pilot")), of.created_at >= migration.created_at)
    return list(store.scalars(ours.order_by(of.id.desc())))


_GOALS: dict[str, Callable[[Session, models.Migration, Overview], Step]] = {
    "check": _check, "rehearse": _rehearse, "run": _run, "rehearse undo": _rehearse_undo, "undo": _undo,
}  # fmt: skip


def _is_of_now(migration: models.Migration, moment: dt.datetime) -> bool:
    """Whether something was begun since all are being taken further; what failed before is begun anew."""
    return migration.going_since is not None and moment >= migration.going_since


def _is_over(now: Overview) -> bool:
    """Whether the plan of an import was carried out, and was not taken back since."""
    return now.run is not None and now.run.kind == "main" and now.run.state in ("done", "ended")


def _must_be_few(migration: models.Migration, name: str, amiss: int, total: int, how: str) -> None:
    """Raises _Stop where more than the limit is amiss."""
    share = 100 * amiss / total if total else 0.0
    if share > migration.held_most:
        raise _Stop(f"{name}: {amiss:,} of {total:,} are {how}, {share:.1f} %. The limit is {migration.held_most:g} %.")
