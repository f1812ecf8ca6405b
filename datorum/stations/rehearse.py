"""Rehearse: the site is read, and the plan is frozen record by record, field by field."""

from __future__ import annotations

import asyncio
import datetime as dt
from collections import Counter
from collections.abc import Iterator

from psycopg.types.json import Jsonb
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.errors import NotFound, NotReady, error_sentence
from datorum.core.link import rows_meant
from datorum.core.model import Action, PlanRow, SiteRecord
from datorum.core.plan import ChangedFields, Made, Planner, held_reasons, made_for
from datorum.sites.snapshot import read_whole
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.basis import Target, basis_of, links_known, what_changed
from datorum.stations.check import checker_of, passes
from datorum.stations.imports import Opened, get_import, open_import
from datorum.stations.links import linked_types, links_of
from datorum.stations.order import put_in_order
from datorum.stations.sites import opened
from datorum.stations.snapshots import start_snapshots, take
from datorum.store import models
from datorum.store.bulk import analyze, copy_rows
from datorum.store.database import is_away, session
from datorum.store.people import record
from datorum.store.plan_rows import leave_out

_SENT = (Action.CREATE, Action.UPDATE)


def start_rehearsal(store: Session, by: str, import_id: int) -> models.Plan:
    """A plan to be made by ``rehearse``. Raises NotReady where the mapping has no match key."""
    must_be_at_rest(store, get_import(store, import_id))
    now = open_import(store, import_id)
    if not now.mapping.keys or not all(is_fed(now.mapping, path) for path in now.mapping.keys):
        raise NotReady(
            "No match key is chosen, so rows cannot be told from records that are already on the site.",
            remedy="At Map, feed the e-mail or another unique field and choose it as match key.",
        )
    plan = models.Plan(
        import_id=import_id,
        sheet_id=now.sheet.id,
        policy=now.item.policy,
        basis=basis_of(now),
        target=Target.of(now).model_dump(mode="json"),
        state="reading",
        created_by=by,
    )
    store.add(plan)
    record(store, by, "rehearsed", f"import {import_id}")
    store.flush()
    return plan


async def rehearse(plan_id: int) -> None:
    """Read the site and freeze the plan; on an error the plan says what happened and the error is raised."""
    try:
        await _rehearse(plan_id)
    except Exception as error:
        if is_away(error):
            # It is made again when the database is back.
            raise
        with session() as store:
            plan = get_plan(store, plan_id)
            plan.state, plan.error = "failed", error_sentence(error)
        raise


async def _rehearse(plan_id: int) -> None:
    with session() as store:
        plan = get_plan(store, plan_id)
        now = open_import(store, plan.import_id)
        if why_stale(now, plan):
            raise NotReady(f"While the site was being read, {why_stale(now, plan)}.", remedy="Rehearse again.")
        target, site_kept = Target.kept(plan), now.item.site
        # Whom links mean is looked up as the site is now.
        names = [kind.name for kind in linked_types(now)]
        linked = [one.id for one in start_snapshots(store, plan.created_by, now.item.site_id, names)] if names else []

    def progress(read: int, total: int | None) -> None:
        with session() as store:
            plan = get_plan(store, plan_id)
            plan.records_read, plan.records_on_site = read, total

    for one in linked:
        await take(one)
    async with opened(site_kept, target.description, target.record_type.name) as site:
        on_site = await read_whole(site.read_all, progress)
    await asyncio.to_thread(_freeze, plan_id, list(on_site.values()))


_COLUMNS = ("plan_id", "row", "action", "key", "reason", "record_id", "etag", "page", "changes", "on_site", "state",
            "attempts", "message", "record_type")  # fmt: skip


def _freeze(plan_id: int, on_site: list[SiteRecord]) -> None:
    with session() as store:
        plan = get_plan(store, plan_id, lock=True)
        if plan.state != "reading":
            # Another worker, thought dead, was faster; one plan is frozen once.
            return
        now = open_import(store, plan.import_id)
        plan.basis = {**plan.basis, "links": links_known(now)}
        if why_stale(now, plan):
            raise NotReady(f"While the site was being read, {why_stale(now, plan)}.", remedy="Rehearse again.")
        counts: Counter[Action] = Counter()
        changed = ChangedFields()
        waiting: dict[int, set[int]] = {}
        held, made = _first_look(store, now)
        for rows in _plan(store, now, on_site, held, made):
            copy_rows(store, "plan_row", _COLUMNS, (_stored(plan_id, row) for row in rows))
            for row in rows:
                counts[row.action] += 1
                changed.see(row)
                if meant := _rows_meant(row):
                    waiting[row.row] = meant
        # What only held records mean is not made.
        needed = made.needed(set().union(*waiting.values()))
        copy_rows(store, "plan_row", _COLUMNS, (_stored(plan_id, row) for row in needed))
        waiting |= {row.row: meant for row in needed if (meant := _rows_meant(row))}
        analyze(store, "plan_row")
        kinds = {name: kind for name, kind, _ in Target.kept(plan).destinations}
        ordered = put_in_order(store, plan_id, waiting, kinds)
        for was in [was for row, was in ordered.held.items() if row >= 0]:
            counts[Action(was)] -= 1
            counts[Action.HELD] += 1
        going = [meant for row, meant in waiting.items() if row not in ordered.held and row >= 0]
        still = made.needed(set().union(*going))
        leave_out(store, plan_id, [row.row for row in needed if row not in still])
        plan.put_right = ordered.put_right
        plan.state = "ready"
        plan.made = dict(Counter(row.record_type for row in still))
        plan.counts = {action.value: counts[action] for action in Action}
        plan.changed_fields = [change.model_dump(mode="json") for change in changed.done()]
        plan.records_read = plan.records_on_site = len(on_site)
        plan.snapshot_at = dt.datetime.now(dt.UTC)


def _rows_meant(row: PlanRow) -> set[int]:
    return rows_meant({path: {"after": change.after} for path, change in row.changes.items()})


def _first_look(store: Session, now: Opened) -> tuple[dict[int, str], Made]:
    """What holds records, by their numbers, and what links have made: either may stand far behind the first record
    that it concerns."""
    held: dict[int, str] = {}
    checker = checker_of(store, now)
    for one in passes(store, now, checker):
        for row, why in held_reasons(one.findings, now.titles).items():
            held.setdefault(row, why)
        for row, why in (one.checked.awaiting(now.record_type) if one.checked is not None else {}).items():
            held.setdefault(row, why)
    return held, made_for(checker.makers)


def _plan(
    store: Session, now: Opened, on_site: list[SiteRecord], held: dict[int, str], made: Made
) -> Iterator[list[PlanRow]]:
    """The plan of the sheet's records, some at a time."""
    planner = Planner(now.record_type, now.mapping, now.policy, on_site, held, links_of(now))
    for checked, _, left_out in passes(store, now, checker_of(store, now, made=made)):
        yield [PlanRow(row=row, action=Action.LEFT_OUT, reason=reason) for row, reason in left_out.iter_rows()]
        if checked is not None:
            yield list(planner.records(checked.where, checked.sent))


def _stored(plan_id: int, row: PlanRow) -> tuple[object, ...]:
    changes = {path: {"before": change.before, "after": change.after} for path, change in row.changes.items()}
    state = "pending" if row.action in _SENT else "none"
    on_site = None if row.on_site is None else Jsonb(row.on_site)
    return (
        plan_id, row.row, row.action.value, row.key, row.reason, row.record_id, row.etag, None, Jsonb(changes), on_site,
        state, 0, "", row.record_type,
    )  # fmt: skip


def get_plan(store: Session, plan_id: int, *, lock: bool = False) -> models.Plan:
    """Raises NotFound. ``lock`` keeps others from changing it until the transaction ends."""
    plan = store.get(models.Plan, plan_id, with_for_update=lock)
    if plan is None:
        raise NotFound(f"There is no rehearsal {plan_id}.", remedy="Rehearse again.")
    return plan


def latest_plan(store: Session, import_id: int) -> models.Plan | None:
    """The newest rehearsal of an import, if any."""
    return store.scalar(
        select(models.Plan).where(models.Plan.import_id == import_id).order_by(models.Plan.id.desc()).limit(1)
    )


def why_stale(now: Opened, plan: models.Plan) -> str:
    """Why a plan no longer says what a run would do; empty while it does."""
    changed = what_changed(plan.basis, basis_of(now))
    return changed or ("the policy changed" if plan.policy != now.item.policy else "")
