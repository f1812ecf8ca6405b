"""Where an import stands: the counts that the station ribbon always shows."""

from __future__ import annotations

import datetime as dt
from collections.abc import Hashable, Iterable, Sequence
from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.check import required_unfed
from datorum.core.mapping import Drift
from datorum.core.model import Policy
from datorum.core.table import SheetRef
from datorum.sites import SiteType
from datorum.stations import work
from datorum.stations.at_rest import UNDER_WAY
from datorum.stations.basis import Target, basis_of, what_changed
from datorum.stations.check import latest_check
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, open_import
from datorum.stations.leading import types_unread
from datorum.stations.links import types_made
from datorum.stations.map import missing_columns, unplaced_columns
from datorum.stations.named_files import may_take_files
from datorum.stations.rehearse import latest_plan, why_stale
from datorum.stations.remembered import Remembered, state_of, states_of
from datorum.stations.run import current_run
from datorum.stations.tree_after import has_tree
from datorum.stations.verify import count_mismatches, latest_verification
from datorum.stations.versions import drift_of
from datorum.store import models
from datorum.store.plan_items import counts_by_state


class ByHand(BaseModel):
    """What people did to the rows of a sheet, which goes when another file is read."""

    corrected: int
    left_out: int
    accepted: int


class SheetState(BaseModel):
    """A sheet on which an import draws, in its ``role``; the main one has none."""

    role: str
    source_id: int
    filename: str
    rows: int
    columns: int
    dialect: dict[str, Any]
    headers: list[str]
    notes: list[str]
    flags: dict[str, int]
    blank_lines: int
    offered: list[SheetRef]
    attachments: list[str]
    confidence: float
    by_hand: ByHand


class MapState(BaseModel):
    version: int
    fed: int
    fields: int
    unplaced: list[str]
    missing: list[str]
    drift: Drift
    required_unfed: list[str]
    take_files: list[str]
    """The titles of the fields that can take files, their own or those of records that they link to."""
    match_key: str | None
    unread: list[str]
    """The record types of the site that links mean and look for there, and that have not been read."""


class CheckState(BaseModel):
    """``ready``, ``held`` and ``left_out`` add up to ``rows``."""

    rows: int
    ready: int
    held: int
    left_out: int
    warned: int
    seconds: float
    stale: str


class CheckingState(BaseModel):
    """A check that is under way. ``state``: waiting, going or failed."""

    state: str
    error: str
    done: int
    total: int
    seconds_left: float | None


class RehearseState(BaseModel):
    id: int
    state: str
    error: str
    stale: str
    counts: dict[str, int]
    records_read: int
    records_on_site: int | None
    created_at: dt.datetime
    snapshot_at: dt.datetime | None
    to_send: int
    """For how many records anything would be sent, those counted that are made first or changed once more."""
    made: dict[str, int]
    """How many records of other types are made first, since links mean them."""
    put_right: int
    """How many records are changed once more at the end, as they mean each other."""
    handed_in: int
    """How many files are handed in for records."""
    seconds_expected: float | None
    """How long sending takes at the pace of the last run to the site."""
    in_tree: bool
    """Whether the records stand in a tree."""
    policy: Policy


class RunState(BaseModel):
    """``kind``: pilot or main; ``total`` rows are sent; ``done``, ``failed`` and what is left add up to it.
    ``in_doubt`` of what is left were on their way when the run stopped."""

    id: int
    kind: str
    state: str
    error: str
    total: int
    done: int
    failed: int
    in_doubt: int
    left: int
    """How many of its plan are still to be sent when it is over, as those of a pilot's."""
    rate: float
    response_ms: float
    concurrency: int
    workers: int
    seconds_left: float | None
    started_at: dt.datetime | None
    ended_at: dt.datetime | None
    started_by: str


class VerifyState(BaseModel):
    id: int
    state: str
    error: str
    records_read: int
    records_on_site: int | None
    compared: int
    fields_compared: int
    mismatches: int
    tolerated: int
    """How many fields differ in what somebody has accepted."""


class KindOfMail(BaseModel):
    """A kind of mail by the name of its switch, and what the site says of it."""

    name: str
    says: str


class Overview(BaseModel):
    """One import with what each station has to say."""

    id: int
    name: str
    archived_at: dt.datetime | None
    site: str
    site_id: int
    site_title: str
    site_address: str
    record_type: str
    site_can_be_silenced: bool
    mails: list[KindOfMail]
    """The kinds of mail that the site sends about these records, where it has several that can be silenced apart."""
    site_says_otherwise: bool
    """Whether the site has described these records otherwise since, in what the import does not rest on yet."""
    policy: Policy
    sheet: SheetState
    beside: list[SheetState]
    map: MapState
    check: CheckState | None
    checking: CheckingState | None
    rehearse: RehearseState | None
    run: RunState | None
    verify: VerifyState | None


_SEEN: Remembered[Overview] = Remembered(512)


def overview(store: Session, import_id: int) -> Overview:
    """Raises NotFound."""
    return _seen(store, import_id, state_of(store, import_id))


def overviews(store: Session, imports: Sequence[int]) -> dict[int, Overview]:
    """Several imports at once."""
    states = states_of(store, imports)
    return {number: _seen(store, number, states[number]) for number in imports if number in states}


def _seen(store: Session, import_id: int, state: Hashable) -> Overview:
    found = _SEEN.get(import_id, state, lambda: _overview(store, import_id))
    return found.model_copy(update=_figures(store, found))


def _figures(store: Session, seen: Overview) -> dict[str, Any]:
    """How far the work has come by now that goes on."""
    now: dict[str, Any] = {}
    if seen.checking is not None:
        now["checking"] = checking_state(store, seen.id, seen.sheet.rows)
    # What was on its way when a run was paused comes to its end after it.
    if seen.run is not None and seen.run.state not in ("done", "ended"):
        now["run"] = run_state(store, store.get_one(models.Run, seen.run.id))
    for station, kind in (("rehearse", "rehearse"), ("verify", "verify")):
        state: RehearseState | VerifyState | None = getattr(seen, station)
        if state is not None and state.state == "reading":
            now[station] = state.model_copy(update=records_read(store, kind, state.id, None))
    return now


def _overview(store: Session, import_id: int) -> Overview:
    now = open_import(store, import_id)
    plan = latest_plan(store, import_id)
    run = current_run(store, plan.id) if plan else None
    verification = latest_verification(store, run.id) if run else None
    description = description_of(now.item)
    by_hand = _by_hand(store, now)
    return Overview(
        id=now.item.id,
        name=now.item.name,
        archived_at=now.item.archived_at,
        site=now.item.site.name,
        site_id=now.item.site_id,
        site_title=description.title,
        site_address=now.item.site.address,
        record_type=now.item.record_type,
        # What is made for links may bring mail as well.
        site_can_be_silenced=all(description.type(name).mails for name in (now.item.record_type, *types_made(now))),
        mails=_kinds_of_mail(description.type(name) for name in (now.item.record_type, *types_made(now))),
        site_says_otherwise=now.item.description_id != now.item.site.description_id,
        policy=now.policy,
        sheet=_sheet(now.sheet, "", by_hand[""]),
        beside=[_sheet(sheet, role, by_hand[role]) for role, sheet in now.beside.items()],
        map=_map(store, now),
        check=_check(store, now),
        checking=checking_state(store, import_id, now.sheet.rows),
        rehearse=_rehearse(store, now, plan, run) if plan else None,
        run=run_state(store, run) if run else None,
        verify=_verify(store, verification) if verification else None,
    )


def _kinds_of_mail(types: Iterable[SiteType]) -> list[KindOfMail]:
    found = {one.name: one.says for kind in types for one in kind.mails}
    return [KindOfMail(name=name, says=says) for name, says in found.items()] if len(found) > 1 else []


def _by_hand(store: Session, now: Opened) -> dict[str, ByHand]:
    """What was done by hand to the rows of each sheet, by role."""
    cell, row, finding = models.StoredCorrection, models.LeftOutRow, models.StoredAcceptance
    corrected = select(cell.role, func.count()).where(cell.import_id == now.item.id, cell.value.is_not(None))
    counts = dict(store.execute(corrected.group_by(cell.role)).all())
    counted = (
        select(func.count()).where(row.import_id == now.item.id, row.out).scalar_subquery(),
        select(func.count()).where(finding.import_id == now.item.id).scalar_subquery(),
    )
    left_out, accepted = store.execute(select(*counted)).one()
    beside = {role: ByHand(corrected=counts.get(role, 0), left_out=0, accepted=0) for role in now.beside}
    return {"": ByHand(corrected=counts.get("", 0), left_out=left_out, accepted=accepted), **beside}


def _sheet(sheet: models.StoredSheet, role: str, by_hand: ByHand) -> SheetState:
    return SheetState(
        role=role,
        source_id=sheet.original.source_id,
        filename=sheet.original.filename,
        rows=sheet.rows,
        columns=len(sheet.headers),
        dialect=sheet.dialect,
        headers=sheet.headers,
        notes=sheet.notes,
        flags=sheet.flags,
        blank_lines=sheet.blank_lines,
        offered=[SheetRef.model_validate(ref) for ref in sheet.offered],
        attachments=sheet.attachments,
        confidence=sheet.confidence,
        by_hand=by_hand,
    )


def _map(store: Session, now: Opened) -> MapState:
    fed = {path for path, mapping in now.mapping.fields.items() if mapping.fed}
    return MapState(
        version=now.mapping_version,
        fed=len(fed),
        fields=len(now.record_type.writable),
        unplaced=unplaced_columns(now),
        missing=missing_columns(now),
        drift=drift_of(store, now) if missing_columns(now) else Drift(),
        required_unfed=required_unfed(now.mapping, now.record_type),
        take_files=may_take_files(now),
        match_key=now.mapping.match_key,
        unread=types_unread(store, now),
    )


def _check(store: Session, now: Opened) -> CheckState | None:
    result = latest_check(store, now.item.id)
    if result is None:
        return None
    return CheckState(
        rows=result.rows,
        ready=result.ready,
        held=result.held,
        left_out=result.left_out,
        warned=result.warned,
        seconds=result.seconds,
        stale=what_changed(result.basis, basis_of(now)),
    )


def checking_state(store: Session, import_id: int, rows: int) -> CheckingState | None:
    """How far a check of so many rows is, if one is under way."""
    found = work.under_way(store, "check", import_id)
    if found is None or found.state == "stopped":
        return None
    left = work.seconds_left(found, dt.datetime.now(dt.UTC), rows)
    return CheckingState(state=found.state, error=found.error, done=found.done, total=rows, seconds_left=left)


def _rehearse(store: Session, now: Opened, plan: models.Plan, run: models.Run | None) -> RehearseState:
    over = {"main": "carried out; the site has changed", "undo": "taken back; the site has changed"}
    return RehearseState(
        id=plan.id,
        state=plan.state,
        error=plan.error,
        stale=why_stale(now, plan, begun=run is not None) or over.get(run.kind if run else "", ""),
        counts=plan.counts,
        **records_read(store, "rehearse", plan.id, plan.records_read if plan.frozen_at else None),
        created_at=plan.created_at,
        snapshot_at=plan.snapshot_at,
        to_send=plan.to_send,
        made=plan.made,
        put_right=plan.put_right,
        handed_in=plan.handed_in,
        seconds_expected=_expected(store, now, plan),
        in_tree=has_tree(Target.kept(plan)),
        policy=Policy.model_validate(plan.policy),
    )


def records_read(store: Session, kind: str, subject: int, there: int | None) -> dict[str, Any]:
    """How many records of how many on the site are read; once all are, how many are ``there``."""
    found = work.under_way(store, kind, subject)
    if there is not None or found is None or found.state not in work.OPEN:
        return {"records_read": there or 0, "records_on_site": there}
    return {"records_read": found.done, "records_on_site": found.total}


def _expected(store: Session, now: Opened, plan: models.Plan) -> float | None:
    """How long a plan takes at the pace of the last run to its site that tells one."""
    run, of = models.Run, models.Plan
    asked = (
        select(run.done, run.started_at, run.ended_at)
        .join(of, of.id == run.plan_id)
        .join(models.Import, models.Import.id == of.import_id)
        .where(models.Import.site_id == now.item.site_id, run.state == "done", run.done >= _TELLS_A_PACE)
        .where(run.kind != "follow-up")
    )
    last = store.execute(asked.order_by(run.id.desc()).limit(1)).first()
    if last is None or last.started_at is None or last.ended_at is None:
        return None
    took: float = (last.ended_at - last.started_at).total_seconds()
    return plan.to_send * took / float(last.done)


_TELLS_A_PACE = 20


def run_state(store: Session, run: models.Run) -> RunState:
    """How far a run is."""
    under_way = run.state in UNDER_WAY
    turn = models.Turn
    alive = select(turn).where(turn.run_id == run.id, turn.lease_until > func.clock_timestamp())
    turns = list(store.scalars(alive)) if under_way else []
    rate = sum(one.rate for one in turns)
    open_rows = run.total - run.done - run.failed
    in_doubt = counts_by_state(store, run.plan_id, run.id).get("sending", 0) if open_rows and not under_way else 0
    return RunState(
        id=run.id,
        kind=run.kind,
        state=run.state,
        error=run.error,
        total=run.total,
        done=run.done,
        failed=run.failed,
        in_doubt=in_doubt,
        left=counts_by_state(store, run.plan_id).get("pending", 0) if run.kind == "pilot" and not under_way else 0,
        rate=rate,
        response_ms=sum(one.response_ms for one in turns) / len(turns) if turns else 0.0,
        concurrency=sum(one.share for one in turns),
        workers=len(turns),
        seconds_left=open_rows / rate if rate and run.state == "running" else None,
        started_at=run.started_at,
        ended_at=run.ended_at,
        started_by=run.started_by,
    )


def _verify(store: Session, verification: models.Verification) -> VerifyState:
    return VerifyState(
        id=verification.id,
        state=verification.state,
        error=verification.error,
        **records_read(store, "verify", verification.id, verification.records_on_site),
        compared=verification.compared,
        fields_compared=verification.fields_compared,
        mismatches=count_mismatches(store, verification.id),
        tolerated=verification.tolerated,
    )
