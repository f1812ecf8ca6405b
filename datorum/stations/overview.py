"""Where an import stands: the counts that the station ribbon always shows."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Hashable, Iterable, Mapping, Sequence
from typing import Any

from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check import required_unfed
from datorum.core.mapping import Drift
from datorum.core.model import Policy
from datorum.core.table import SheetRef
from datorum.sites import SiteType
from datorum.stations import work
from datorum.stations.basis import Target, basis_of, what_changed
from datorum.stations.descriptions import description_of
from datorum.stations.going import CheckingState, RunState, checking_state, records_read, run_state
from datorum.stations.imports import no_such_import
from datorum.stations.leading import types_unread
from datorum.stations.links import types_made
from datorum.stations.map import missing_columns, unplaced_columns
from datorum.stations.named_files import may_take_files
from datorum.stations.rehearse import stale_by
from datorum.stations.remembered import Remembered, states_of
from datorum.stations.standing import Standing, standings
from datorum.stations.tree_after import has_tree
from datorum.stations.versions import drift_of
from datorum.store import models


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
    return overview_and_state(store, import_id)[0]


def overview_and_state(store: Session, import_id: int) -> tuple[Overview, Hashable]:
    """An import, and what is another as soon as anything of it is but for the figures of work that goes on. Raises
    NotFound."""
    states = states_of(store, [import_id])
    found = _in_states(store, states)
    if import_id not in found:
        raise no_such_import(import_id)
    return found[import_id], states[import_id]


def overviews(store: Session, imports: Sequence[int]) -> dict[int, Overview]:
    """Several imports at once, those that are there."""
    return _in_states(store, states_of(store, imports))


def _in_states(store: Session, states: Mapping[int, Hashable]) -> dict[int, Overview]:
    seen = _SEEN.several(states, lambda changed: _overviews(store, changed))
    return {number: one.model_copy(update=_figures(store, one)) for number, one in seen.items()}


def _overviews(store: Session, imports: Collection[int]) -> dict[int, Overview]:
    return {number: _overview(store, standing) for number, standing in standings(store, imports).items()}


def _figures(store: Session, seen: Overview) -> dict[str, Any]:
    """How far the work has come by now that goes on."""
    now: dict[str, Any] = {}
    if seen.checking is not None:
        now["checking"] = checking_state(work.under_way(store, "check", seen.id), seen.sheet.rows)
    # What was on its way when a run was paused comes to its end after it.
    if seen.run is not None and seen.run.state not in ("done", "ended"):
        now["run"] = run_state(store, store.get_one(models.Run, seen.run.id))
    for station in ("rehearse", "verify"):
        state: RehearseState | VerifyState | None = getattr(seen, station)
        if state is not None and state.state == "reading":
            now[station] = state.model_copy(update=records_read(work.under_way(store, station, state.id), None))
    return now


def _overview(store: Session, stands: Standing) -> Overview:
    now = stands.now
    description = description_of(now.item)
    by_hand = {role: ByHand(corrected=stands.corrected.get(role, 0), left_out=0, accepted=0) for role in now.beside}
    main = ByHand(corrected=stands.corrected.get("", 0), left_out=stands.left_out, accepted=stands.accepted)
    kinds = [description.type(name) for name in (now.item.record_type, *types_made(now))]
    basis = basis_of(now, stands.around)
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
        site_can_be_silenced=all(kind.mails for kind in kinds),
        mails=_kinds_of_mail(kinds),
        site_says_otherwise=now.item.description_id != now.item.site.description_id,
        policy=now.policy,
        sheet=_sheet(now.sheet, "", main),
        beside=[_sheet(sheet, role, by_hand[role]) for role, sheet in now.beside.items()],
        map=_map(store, stands),
        check=_check(stands.check, basis) if stands.check else None,
        checking=checking_state(stands.under_way("check", now.item.id), now.sheet.rows),
        rehearse=_rehearse(stands, stands.plan, basis) if stands.plan else None,
        run=run_state(store, stands.run) if stands.run else None,
        verify=_verify(stands, stands.verification) if stands.verification else None,
    )


def _kinds_of_mail(types: Iterable[SiteType]) -> list[KindOfMail]:
    found = {one.name: one.says for kind in types for one in kind.mails}
    return [KindOfMail(name=name, says=says) for name, says in found.items()] if len(found) > 1 else []


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


def _map(store: Session, stands: Standing) -> MapState:
    now = stands.now
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
        unread=types_unread(now, stands.around.read),
    )


def _check(result: models.CheckResult, basis: dict[str, str]) -> CheckState:
    return CheckState(
        rows=result.rows,
        ready=result.ready,
        held=result.held,
        left_out=result.left_out,
        warned=result.warned,
        seconds=result.seconds,
        stale=what_changed(result.basis, basis),
    )


def _rehearse(stands: Standing, plan: models.Plan, basis: dict[str, str]) -> RehearseState:
    run = stands.run
    over = {"main": "carried out; the site has changed", "undo": "taken back; the site has changed"}
    stale = stale_by(stands.now, plan, basis, stands.around, begun=run is not None)
    return RehearseState(
        id=plan.id,
        state=plan.state,
        error=plan.error,
        stale=stale or over.get(run.kind if run else "", ""),
        counts=plan.counts,
        **records_read(stands.under_way("rehearse", plan.id), plan.records_read if plan.frozen_at else None),
        created_at=plan.created_at,
        snapshot_at=plan.snapshot_at,
        to_send=plan.to_send,
        made=plan.made,
        put_right=plan.put_right,
        handed_in=plan.handed_in,
        seconds_expected=plan.to_send * stands.pace if stands.pace is not None else None,
        in_tree=has_tree(Target.kept(plan)),
        policy=Policy.model_validate(plan.policy),
    )


def _verify(stands: Standing, verification: models.Verification) -> VerifyState:
    return VerifyState(
        id=verification.id,
        state=verification.state,
        error=verification.error,
        **records_read(stands.under_way("verify", verification.id), verification.records_on_site),
        compared=verification.compared,
        fields_compared=verification.fields_compared,
        mismatches=stands.mismatches,
        tolerated=verification.tolerated,
    )
