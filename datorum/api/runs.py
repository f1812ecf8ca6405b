"""Rehearsals, runs and verifications: asked for here, done by a worker."""

from __future__ import annotations

from typing import Annotated, Literal

from anyio import from_thread
from fastapi import APIRouter, BackgroundTasks, Query, Response
from fastapi import Path as ApiPath
from pydantic import BaseModel, Field

from datorum.api.access import Editor, Store, Viewer
from datorum.api.downloads import downloaded
from datorum.api.numbers import Id, Place
from datorum.core.errors import NotReady
from datorum.core.plan import FieldChange
from datorum.jobs import defer
from datorum.stations import history, pilot, rehearse, run
from datorum.stations.history import FailedRow, PastRun, RunReport, run_in
from datorum.stations.imports import get_import
from datorum.stations.made import MadeView, made_of
from datorum.stations.overview import Overview, overview
from datorum.stations.plan_book import PlanDrift, drift_of, write_plan
from datorum.stations.preflight import Point, must_be_agreed_to, preflight
from datorum.stations.record_history import RecordHistory, history_of
from datorum.stations.refusal_rules import RefusalRule, make_it_a_check, rule_offered
from datorum.stations.run_progress import RunProgress, progress_as_json
from datorum.stations.site_now import site_now
from datorum.stations.tree_after import TreeView, tree_after
from datorum.store import models
from datorum.store.database import looking

router = APIRouter(prefix="/api/imports/{import_id}", tags=["runs"])
ItemNumber = Annotated[int, ApiPath(ge=-(2**53), le=2**53)]


class RehearsalView(BaseModel):
    """Which fields change in how many of the records that are updated."""

    changed_fields: list[FieldChange]


class RunAsked(BaseModel, extra="forbid"):
    """``pilot``: the ``telling`` records of the plan, and ``items`` besides, go first. ``deletes``: how many records
    somebody has said are to be deleted, where the plan deletes any. ``agreed``: the names of the points of preflight
    that are not in order, and that somebody agrees to."""

    kind: Literal["main", "pilot"] = "main"
    telling: bool = True
    items: list[int] = Field([], max_length=1_000)
    deletes: int | None = None
    agreed: list[str] = Field([], max_length=20)


class PilotView(BaseModel):
    """The items of a pilot, and how many of them are created, updated and deleted."""

    items: list[int]
    counts: dict[str, int]


@router.post("/rehearsal", status_code=202)
def start_rehearsal(store: Store, by: Editor, import_id: Id, after: BackgroundTasks) -> Overview:
    plan = rehearse.start_rehearsal(store, by, import_id)
    after.add_task(defer, "rehearse", plan.id)
    return overview(store, import_id)


@router.post("/rehearsal/stop")
def stop_rehearsal(store: Store, by: Editor, import_id: Id) -> Overview:
    """Have a rehearsal under way stop; what it has read of the site is kept, to go on from."""
    rehearse.stop_rehearsal(store, by, import_id)
    return overview(store, import_id)


@router.get("/rehearsal")
def get_rehearsal(store: Store, _: Viewer, import_id: Id) -> RehearsalView:
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    return RehearsalView.model_validate({"changed_fields": plan.changed_fields if plan else []})


@router.get("/rehearsal/drift")
def get_drift(store: Store, _: Viewer, import_id: Id) -> PlanDrift:
    """What the plan would do otherwise than the one before it."""
    return drift_of(store, _plan(store, import_id))


@router.get("/rehearsal/plan.{form}", response_class=Response)
def download_plan(store: Store, _: Viewer, import_id: Id, form: Literal["csv", "xlsx"]) -> Response:
    """The whole plan, record by record and field by field; as a workbook with a sheet to be signed."""
    plan = _plan(store, import_id)
    return downloaded(f"plan-{plan.id}.{form}", lambda path: write_plan(store, plan, path))


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


@router.get("/rehearsal/preflight")
def get_preflight(store: Store, _: Viewer, import_id: Id) -> list[Point]:
    """What is to be in order before the plan runs, and whether it is."""
    plan = _plan(store, import_id)
    return preflight(store, plan, from_thread.run(site_now, plan.id))


@router.get("/rehearsal/pilot")
def get_pilot(store: Store, _: Viewer, import_id: Id) -> PilotView:
    """The records that would go first: the fewest that show all that the plan does, and what they mean."""
    plan = _plan(store, import_id)
    items = sorted(pilot.with_all_meant(store, plan.id, pilot.telling_items(store, plan)))
    return PilotView(items=items, counts=pilot.kinds_told(store, plan.id, items))


@router.post("/runs", status_code=202)
def start_run(store: Store, by: Editor, import_id: Id, asked: RunAsked | None = None) -> Overview:
    """Carry out the rehearsed plan, or as a pilot some of it. A second call for the same plan is the same run."""
    asked = asked or RunAsked()
    plan = _plan(store, import_id)
    chosen = None
    if asked.kind == "pilot":
        chosen = {*asked.items, *(pilot.telling_items(store, plan) if asked.telling else ())}
    agreed: list[str] = []
    if run.is_to_begin(store, plan, asked.kind):
        points = preflight(store, plan, from_thread.run(site_now, plan.id), pilot=chosen is not None)
        agreed = must_be_agreed_to(points, asked.agreed)
    run.start_run(store, by, plan.id, deletes=asked.deletes, pilot=chosen, agreed=agreed)
    return overview(store, import_id)


@router.get("/records/{item}/history")
def get_record_history(store: Store, _: Viewer, import_id: Id, item: ItemNumber) -> RecordHistory:
    """What happened to the record of a row: rehearsed, sent, read back, taken back, in every import of its site."""
    return history_of(store, import_id, item)


@router.get("/runs")
def list_runs(store: Store, _: Viewer, import_id: Id) -> list[PastRun]:
    """All runs of the import, the latest first, each with its plan, outcome and verification."""
    return history.runs_of(store, import_id)


@router.get("/runs/{run_id}")
def get_run_report(store: Store, _: Viewer, import_id: Id, run_id: Id) -> RunReport:
    return history.report_of(store, import_id, run_id)


@router.get("/runs/{run_id}/progress", response_model=RunProgress)
def get_run_progress(_: Viewer, import_id: Id, run_id: Id) -> Response:
    """How far each part of a run is, how fast it goes, what happened, and what the site refused."""
    with looking() as store:
        return Response(progress_as_json(store, import_id, run_id), media_type="application/json")


@router.post("/runs/{run_id}/pause")
def pause_run(store: Store, by: Editor, import_id: Id, run_id: Id) -> Overview:
    run.pause(store, by, run_in(store, import_id, run_id).id)
    return overview(store, import_id)


@router.post("/runs/{run_id}/end")
def end_run(store: Store, by: Editor, import_id: Id, run_id: Id) -> Overview:
    """Give up what is left of a paused run."""
    run.end(store, by, run_in(store, import_id, run_id).id)
    return overview(store, import_id)


@router.post("/runs/{run_id}/continue", status_code=202)
def continue_run(store: Store, by: Editor, import_id: Id, run_id: Id) -> Overview:
    run.resume(store, by, run_in(store, import_id, run_id).id)
    return overview(store, import_id)


@router.get("/runs/{run_id}/failed")
def get_failed_rows(
    store: Store, _: Viewer, import_id: Id, run_id: Id, like: Annotated[int | None, Query(ge=-(2**53), le=2**53)] = None
) -> list[FailedRow]:
    """What the site refused, or what it refused in the same words as one item."""
    return history.failed_told(store, run_in(store, import_id, run_id), like)


@router.get("/runs/{run_id}/refused/{item}/rule")
def get_refusal_rule(store: Store, _: Viewer, import_id: Id, run_id: Id, item: ItemNumber) -> RefusalRule:
    """The rule of the site that a refusal tells, and how many of the records to come it would refuse too."""
    return rule_offered(store, run_in(store, import_id, run_id), item)


@router.post("/runs/{run_id}/refused/{item}/rule")
def make_refusal_a_check(store: Store, by: Editor, import_id: Id, run_id: Id, item: ItemNumber) -> Overview:
    """Make that rule a check of the site, and hold what is still to be sent and breaks it."""
    make_it_a_check(store, by, run_in(store, import_id, run_id), item)
    return overview(store, import_id)


def _plan(store: Store, import_id: Id) -> models.Plan:
    get_import(store, import_id)
    plan = rehearse.latest_plan(store, import_id)
    if plan is None:
        raise NotReady("There is no rehearsal to run.", remedy="Rehearse first.")
    return plan
