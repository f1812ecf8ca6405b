"""Rehearsals, runs and verifications: asked for here, done by a worker."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, BackgroundTasks
from pydantic import BaseModel

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.core.errors import NotReady
from datorum.core.plan import FieldChange
from datorum.jobs import defer_rehearsal, defer_run, defer_verification
from datorum.stations import rehearse, run, verify
from datorum.stations.imports import get_import
from datorum.stations.overview import Overview, overview
from datorum.store import models

router = APIRouter(prefix="/api/imports/{import_id}", tags=["runs"])


class RehearsalView(BaseModel):
    """Which fields change in how many of the records that are updated."""

    changed_fields: list[FieldChange]


class FailedRow(BaseModel):
    row: int
    key: str | None
    action: str
    status: int | None
    message: str
    attempts: int


class MismatchView(BaseModel):
    row: int
    key: str | None
    page: str | None
    field: str
    sent: Any
    found: Any


@router.post("/rehearsal", status_code=202)
def start_rehearsal(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    plan = rehearse.start_rehearsal(store, by, import_id)
    after.add_task(defer_rehearsal, plan.id)
    return overview(store, import_id)


@router.get("/rehearsal")
def get_rehearsal(store: Store, _: Viewer, import_id: Id) -> RehearsalView:
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    return RehearsalView.model_validate({"changed_fields": plan.changed_fields if plan else []})


@router.post("/run", status_code=202)
def start_run(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    """Carry out the rehearsed plan. A second call for the same plan is the same run."""
    plan = rehearse.latest_plan(store, import_id)
    if plan is None:
        raise NotReady("There is no rehearsal to run.", remedy="Rehearse first.")
    started = run.start_run(store, by, plan.id)
    after.add_task(defer_run, started.id)
    return overview(store, import_id)


@router.post("/run/pause")
def pause_run(store: Store, by: Editor, import_id: Id) -> Overview:
    run.pause(store, by, _run(store, import_id).id)
    return overview(store, import_id)


@router.post("/run/end")
def end_run(store: Store, by: Editor, import_id: Id) -> Overview:
    """Give up what is left of a paused run."""
    run.end(store, by, _run(store, import_id).id)
    return overview(store, import_id)


@router.post("/run/continue", status_code=202)
def continue_run(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    resumed = run.resume(store, by, _run(store, import_id).id)
    after.add_task(defer_run, resumed.id)
    return overview(store, import_id)


@router.get("/run/failed")
def get_failed_rows(store: Store, _: Viewer, import_id: Id) -> list[FailedRow]:
    plan = rehearse.latest_plan(store, import_id)
    rows = run.failed_rows(store, plan.id) if plan else []
    return [FailedRow.model_validate(row, from_attributes=True) for row in rows]


@router.post("/verification", status_code=202)
def start_verification(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    verification = verify.start_verification(store, by, _run(store, import_id).id)
    after.add_task(defer_verification, verification.id)
    return overview(store, import_id)


@router.get("/verification/mismatches")
def get_mismatches(store: Store, _: Viewer, import_id: Id) -> list[MismatchView]:
    run_now = _run(store, import_id)
    verification = verify.latest_verification(store, run_now.id)
    kept = verify.mismatches_of(store, verification.id) if verification else []
    pages = verify.pages_of(store, run_now.plan_id, {one.row for one in kept})
    return [
        MismatchView(row=one.row, key=one.key, page=pages.get(one.row), field=one.field, sent=one.sent, found=one.found)
        for one in kept
    ]


def _run(store: Store, import_id: Id) -> models.Run:
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    found = run.run_of(store, plan.id) if plan else None
    if found is None:
        raise NotReady("There is no run.", remedy="Rehearse, then run.")
    return found
