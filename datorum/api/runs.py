"""Rehearsals, runs and verifications: asked for here, done by a worker."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Query
from pydantic import BaseModel

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id, Place
from datorum.core.errors import NotReady
from datorum.core.plan import FieldChange
from datorum.jobs import defer_rehearsal, defer_run, defer_verification
from datorum.stations import history, rehearse, run, verify
from datorum.stations.history import FailedRow, Mismatch, PastRun, RunReport
from datorum.stations.imports import get_import
from datorum.stations.made import MadeView, made_of
from datorum.stations.overview import Overview, overview
from datorum.stations.tree_after import TreeView, tree_after
from datorum.store import models

router = APIRouter(prefix="/api/imports/{import_id}", tags=["runs"])


class RehearsalView(BaseModel):
    """Which fields change in how many of the records that are updated."""

    changed_fields: list[FieldChange]


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


@router.get("/rehearsal/made")
def list_made_records(
    store: Store, _: Viewer, import_id: Id, offset: Place = 0, count: Annotated[int, Query(ge=1, le=500)] = 100
) -> MadeView:
    """The records of other types that are made first, since links mean them and find none."""
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    return made_of(store, plan, offset, count) if plan else MadeView(total=0, records=[])


@router.get("/rehearsal/tree")
def get_tree_after(
    store: Store, _: Viewer, import_id: Id, offset: Place = 0, count: Annotated[int, Query(ge=1, le=1000)] = 200
) -> TreeView:
    """The tree as the site would have it after the run, a part of it."""
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    return tree_after(store, plan, offset, count) if plan else TreeView(total=0, nodes=[])


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
    return history.failed_told(store, plan.id) if plan else []


@router.post("/verification", status_code=202)
def start_verification(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    verification = verify.start_verification(store, by, _run(store, import_id).id)
    after.add_task(defer_verification, verification.id)
    return overview(store, import_id)


@router.get("/verification/mismatches")
def get_mismatches(store: Store, _: Viewer, import_id: Id) -> list[Mismatch]:
    return history.mismatches_told(store, _run(store, import_id))


@router.get("/runs")
def list_runs(store: Store, _: Viewer, import_id: Id) -> list[PastRun]:
    """All runs of the import, the latest first, each with its plan, outcome and verification."""
    return history.runs_of(store, import_id)


@router.get("/runs/{run_id}")
def get_run_report(store: Store, _: Viewer, import_id: Id, run_id: Id) -> RunReport:
    return history.report_of(store, import_id, run_id)


def _run(store: Store, import_id: Id) -> models.Run:
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    found = run.run_of(store, plan.id) if plan else None
    if found is None:
        raise NotReady("There is no run.", remedy="Rehearse, then run.")
    return found
