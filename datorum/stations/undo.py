"""Undo: the inverse of what a run did, rehearsed like any other plan, and carried out in the reverse order."""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import polars as pl
from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, SiteRefused, SiteUnavailable
from datorum.core.model import OF_RECORDS, Action, Change, FieldType, PlanRow, RecordType, SiteRecord
from datorum.core.plan.frame import frame_of
from datorum.core.values import at, same
from datorum.core.verify.tolerance import explained
from datorum.sites import Can
from datorum.stations import work
from datorum.stations.at_rest import NOT_OVER, run_with_records
from datorum.stations.basis import Target
from datorum.stations.descriptions import description_of
from datorum.stations.done_by_runs import done_in_all, done_items, in_question, items_of
from datorum.stations.freeze import Freezing
from datorum.stations.imports import get_import
from datorum.stations.pointed_at import in_words, pointers, types_pointing
from datorum.stations.sites import opened
from datorum.stations.snapshots import held_snapshot, read_fresh
from datorum.store import models, snapshots
from datorum.store.accepted import accepted_by_name
from datorum.store.database import session
from datorum.store.people import record


def start_undo(
    store: Session, by: str, run_id: int, items: Collection[int] | None = None, *, with_earlier: bool = False,
    hold_meant: bool = False,
) -> models.Plan:  # fmt: skip
    """A plan that takes a run back, to be made by ``plan_undo``: all of it, or some items of it, or ``with_earlier``
    it and all runs of its import before it as one. ``hold_meant``: records that others point at stay.

    Raises NotFound, and Conflict where the run is not over, did nothing, or was taken back.
    """
    run = run_with_records(store, run_id)
    item = get_import(store, run.plan.import_id)
    if run.kind == "undo":
        raise Conflict("An undo is not taken back.", remedy="Rehearse the import again, and run it.")
    if run.kind == "follow-up":
        raise Conflict("What a follow-up did cannot be taken back.", remedy="Take back the run that it followed.")
    runs = [run, *(_runs_before(store, run) if with_earlier else ())]
    if any(item.site.address != Target.kept(one.plan).address for one in runs):
        raise Conflict("The site was connected anew at another address, and this run belongs to the one before.")
    if items is not None and not done_items(store, run, items):
        raise Conflict("The run has sent none of these records.", remedy="Choose rows that it has sent.")
    plan = models.Plan(
        import_id=item.id, kind="undo", of_run_id=run_id, sheet_id=run.plan.sheet_id,
        # Nobody is written to about what is taken back.
        policy={"send_mail": False},
        basis={"items": sorted(items) if items is not None else None, "runs": [one.id for one in runs],
               "hold_meant": hold_meant},
        target=_target_of(runs).model_dump(mode="json"), created_by=by,
    )  # fmt: skip
    store.add(plan)
    record(store, by, "undo rehearsed", f"import {item.id}", run=run_id, runs=[one.id for one in runs])
    store.flush()
    work.ask(store, "undo", plan.id, by, import_id=item.id)
    return plan


def _runs_before(store: Session, run: models.Run) -> list[models.Run]:
    """The runs of the same import before one, of which anything is on the site still, the latest first."""
    plan, earlier = models.Plan, models.Run
    asked = select(earlier).join(plan, plan.id == earlier.plan_id).where(
        plan.import_id == run.plan.import_id, earlier.id < run.id, earlier.kind.in_(("main", "pilot")),
        earlier.state.not_in(NOT_OVER),
    )  # fmt: skip
    return [one for one in store.scalars(asked.order_by(earlier.id.desc())) if done_items(store, one, None)]


def _target_of(runs: Sequence[models.Run]) -> Target:
    """Where the records of some runs are: by what the latest knew, and of types that it does not know by what those
    before it did."""
    target = Target.kept(runs[0].plan)
    for run in runs[1:]:
        earlier = Target.kept(run.plan)
        types = {**earlier.description.types, **target.description.types}
        described = target.description.model_copy(update={"types": types})
        target = target.model_copy(update={"made": {**earlier.made, **target.made}, "description": described})
    return target


async def plan_undo(plan_id: int) -> None:
    """Read the site and freeze the inverse plan; on an error the plan says what happened and the error is raised."""
    with work.doing("undo", plan_id) as now:
        if now is not None:
            await _plan_undo(plan_id, now)


async def _plan_undo(plan_id: int, doing: work.Doing) -> None:
    with session() as store:
        plan = store.get_one(models.Plan, plan_id)
        if plan.frozen_at is not None:
            return
        target, by = Target.kept(plan), plan.created_by
        site = get_import(store, plan.import_id).site

    kinds = {name or target.record_type.name: name for name, _, _ in target.destinations}
    await read_fresh(by, site.id, list(kinds), doing.tell, anyhow=True)
    # Whoever points at what goes is told, and that may be of any type.
    with contextlib.suppress(SiteUnavailable, SiteRefused):
        pointing = types_pointing(description_of(site), kinds)
        await read_fresh(by, site.id, [name for name in pointing if name not in kinds], doing.tell)
    can = {}
    for kind, name in kinds.items():
        async with opened(site, target.description, kind) as reached:
            can[name] = reached.can
    await asyncio.to_thread(_freeze, plan_id, can)


def _freeze(plan_id: int, can: dict[str, frozenset[Can]]) -> None:
    with session() as store:
        plan = store.get_one(models.Plan, plan_id, with_for_update=True)
        if plan.frozen_at is not None:
            return
        runs, target = runs_of(store, plan), Target.kept(plan)
        site_id = get_import(store, plan.import_id).site_id
        kinds = {name: kind for name, kind, _ in target.destinations}
        done = done_in_all(store, runs, kinds, plan.basis.get("items"))
        read = 0
        there = {}
        for name in kinds:
            snapshot = held_snapshot(store, site_id, name or target.record_type.name)
            read += snapshot.records_read if not name else 0
            ids = {one.row.record_id for one in done if one.row.record_id is not None}
            there[name] = _records(store, snapshot.id, ids)
        accepted = accepted_by_name(store, get_import(store, plan.import_id))
        planned: dict[int, list[PlanRow]] = {}
        for row, wave, uncertain in done:
            now = there[row.record_type].get(row.record_id or "")
            # What is of records that links have made was accepted of none.
            otherwise = _otherwise(row, kinds[row.record_type], now, () if row.record_type else accepted)
            inverse = _inverse(row, kinds[row.record_type], now, otherwise, can[row.record_type])
            if uncertain:
                inverse = _of_question(row, inverse, otherwise)
            planned.setdefault(wave, []).append(inverse)
        _see_pointers(store, plan, there, planned)
        with Freezing(store, plan_id, ()) as freezing:
            for wave, inverses in planned.items():
                freezing.add(frame_of(inverses), wave)
            freezing.done()
        counts = Counter(row.action for inverses in planned.values() for row in inverses)
        plan.counts = {action.value: counts[action] for action in OF_RECORDS}
        plan.changed_fields = freezing.changed_fields
        plan.records_read = read
        plan.frozen_at = dt.datetime.now(dt.UTC)


def _see_pointers(
    store: Session, plan: models.Plan, there: Mapping[str, Mapping[str, SiteRecord]], planned: dict[int, list[PlanRow]]
) -> None:
    """Say of each record that would be deleted who still points at it, and hold it where that is wanted."""
    site, own = get_import(store, plan.import_id).site, Target.kept(plan).record_type.name
    going: dict[str, dict[str, SiteRecord]] = {}
    for row in (row for rows in planned.values() for row in rows if row.action is Action.DELETE):
        now = there[row.record_type].get(row.record_id or "")
        if now is not None:
            going.setdefault(row.record_type or own, {})[now.id] = now
    meant = pointers(store, site.id, description_of(site), going) if going else {}
    for wave, rows in planned.items():
        planned[wave] = [_said_of_pointers(row, meant.get((row.record_type or own, row.record_id or "")), plan)
                         for row in rows]  # fmt: skip


def _said_of_pointers(row: PlanRow, counts: Mapping[str, int] | None, plan: models.Plan) -> PlanRow:
    if row.action is not Action.DELETE or not counts:
        return row
    said = in_words(counts)
    return _held(row, said) if plan.basis.get("hold_meant") else replace(row, reason=said)


def runs_of(store: Session, plan: models.Plan) -> list[models.Run]:
    """The runs that a plan takes back, the latest first."""
    return [store.get_one(models.Run, number) for number in plan.basis.get("runs") or [plan.of_run_id]]


def _otherwise(
    row: PlanRow, kind: RecordType, now: SiteRecord | None, accepted: Collection[tuple[str, str]]
) -> list[str]:
    """The fields that somebody has changed since a run sent them. A site that keeps them otherwise than they were sent
    is nobody: where a rule explains that, and the record's entity tag is the one that the site gave then, or the rule
    was ``accepted`` of the field by name."""
    if now is None:
        return []
    # A date in its place is told to the second, in which somebody may have come between.
    as_left = row.etag is not None and row.etag == now.etag and not row.etag.endswith("GMT")
    found = []
    for path, change in row.changes.items():
        field, value = kind.field(path), at(now.body, path)
        if not same(field, change.after, value):
            rule = explained(field, change.after, value)
            if not (rule and as_left) and (path, rule) not in accepted:
                found.append(path)
    return found


def _inverse(
    row: PlanRow, kind: RecordType, now: SiteRecord | None, otherwise: Collection[str], can: Collection[Can]
) -> PlanRow:
    """What takes back what was done with a record, which the site has as it is ``now``, with some fields ``otherwise``
    than the run has left them; or why nothing can. ``can``: what the site allows beside being read."""
    own = replace(row, reason="", on_site=now.body if now else None, etag=now.etag if now else None,
                  page=now.page if now else row.page, of_item=None)  # fmt: skip
    if row.action is Action.LEFT_OUT:
        return replace(_held(own, "one run made it, and another took it away"), action=Action.UNCHANGED)
    if row.action is Action.DELETE:
        if now is not None:
            return _held(own, "it is there again")
        return _created_again(row, kind)
    if now is None:
        gone = "it is gone already" if row.action is Action.CREATE else "it is no longer on the site"
        return replace(_held(own, gone), action=Action.UNCHANGED if row.action is Action.CREATE else Action.HELD)
    if row.action is Action.CREATE:
        if Can.DELETE not in can:
            return _held(own, "the site has no way to delete it")
        if otherwise:
            titles = ", ".join(kind.field(path).title for path in otherwise)
            return _held(own, f"somebody has changed it since: {titles}")
        return replace(own, action=Action.DELETE, changes={path: Change(at(now.body, path)) for path in row.changes})
    back = {path: Change(at(now.body, path), change.before) for path, change in row.changes.items()
            if path not in otherwise and kind.field(path).type is not FieldType.FILE}  # fmt: skip
    if not back and not otherwise:
        return _held(own, "nobody knows the file that it had before")
    if not back:
        return _held(own, "somebody has changed all of it since")
    if Can.UPDATE not in can:
        return _held(own, "the site has no way to change it back")
    why = (
        f"left as they are, changed since: {', '.join(kind.field(path).title for path in otherwise)}"
        if otherwise
        else ""
    )
    return replace(own, action=Action.UPDATE, changes=back, reason=why)


def _of_question(row: PlanRow, inverse: PlanRow, otherwise: Collection[str]) -> PlanRow:
    """What takes back an item of which it was not known whether it arrived, as the site says now."""
    if row.action is Action.CREATE and inverse.action is Action.HELD and otherwise:
        return _held(inverse, "it is not known whether this run made it, and it is not what was sent")
    if row.action is Action.UPDATE and set(otherwise) >= set(row.changes):
        return replace(_held(inverse, "it did not arrive"), action=Action.UNCHANGED)
    return replace(inverse, reason=inverse.reason or "its connection broke; it is as it was sent")


def _held(row: PlanRow, why: str) -> PlanRow:
    return replace(row, action=Action.HELD, reason=why, changes={})


def _created_again(row: PlanRow, kind: RecordType) -> PlanRow:
    """A record that was deleted, as it was, with an id that the site gives anew."""
    body = row.on_site or {}
    paths = [field.path for field in kind.writable if not field.in_list]
    paths += sorted(path for path in kind.lists if not any(path.startswith(f"{other}.") for other in kind.lists))
    changes: dict[str, Any] = {path: Change(None, value) for path in paths if (value := at(body, path)) is not None}
    return replace(row, action=Action.CREATE, changes=changes, record_id=None, etag=None,
                   reason="under an id that the site gives anew")  # fmt: skip


def _records(store: Session, snapshot_id: int, ids: set[str]) -> dict[str, SiteRecord]:
    """Some records of a snapshot by their ids."""
    found: dict[str, SiteRecord] = {}
    for chunk in snapshots.chunks(store, snapshot_id):
        wanted = chunk.filter(pl.col(snapshots.ID).is_in(list(ids)))
        found |= {one.id: one for one in snapshots.records_in(wanted)}
    return found


def taken_back(store: Session, run: models.Run) -> None:
    """Mark what an undo has taken back of the runs that it is of."""
    was, undone = models.PlanItem, models.PlanItem
    asked = select(undone.item, undone.record_type, undone.record_id).where(
        undone.plan_id == run.plan_id, undone.state.in_(("done", "none")), undone.action != Action.HELD.value
    )
    settled = store.execute(asked).all()
    items, records = {one.item for one in settled}, {(one.record_type, one.record_id) for one in settled}
    for place, of_run in enumerate(runs_of(store, run.plan)):
        own = items_of(place, items)
        # Of a record that several runs had to do with the latest names it.
        again = {one.item for one in done_items(store, of_run, None) if (one.record_type, one.record_id) in records}
        wanted = list(own | again if place else own)
        store.execute(
            update(was)
            .where(was.plan_id == of_run.plan_id, was.run_id == of_run.id, or_(was.state == "done", in_question()))
            .where(was.item.in_(wanted) | was.of_item.in_(wanted))
            .values(state="undone")
            .execution_options(synchronize_session=False)
        )


def undo_of(store: Session, run_id: int) -> models.Plan | None:
    """The latest plan that takes a run back, if there is one."""
    return store.scalars(
        select(models.Plan)
        .where(models.Plan.of_run_id == run_id, models.Plan.kind == "undo")
        .order_by(models.Plan.id.desc())
        .limit(1)
    ).first()


def count_taken_back(store: Session, run: models.Run) -> int:
    """How many items of a run were taken back."""
    kept = models.PlanItem
    asked = select(func.count()).where(kept.plan_id == run.plan_id, kept.run_id == run.id, kept.state == "undone")
    return store.scalar(asked) or 0
