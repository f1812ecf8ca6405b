"""What is done after a run: it is taken back, something follows for its records, or these are taken away as a list."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from fastapi import APIRouter, BackgroundTasks, Query, Response
from pydantic import BaseModel, Field, model_validator

from datorum.api.access import Editor, Store, Viewer
from datorum.api.downloads import downloaded
from datorum.api.numbers import Id
from datorum.core.errors import NotReady
from datorum.core.model import FollowUp
from datorum.jobs import defer
from datorum.stations import follow_up, run, run_list, undo
from datorum.stations.follow_up import Offered
from datorum.stations.follow_up_view import FollowUpState, follow_up_of, follow_ups
from datorum.stations.history import run_in
from datorum.stations.undo_view import UndoState, undo_state

router = APIRouter(prefix="/api/imports/{import_id}/runs/{run_id}", tags=["runs"])


class UndoAsked(BaseModel, extra="forbid"):
    """The items that are taken back; without them, all of the run, and ``with_earlier`` runs of the import, too.
    ``hold_meant``: what other records of the site point at is not deleted."""

    items: list[int] | None = Field(None, min_length=1, max_length=10_000)
    with_earlier: bool = False
    hold_meant: bool = False

    @model_validator(mode="after")
    def _is_one_of_both(self) -> Self:
        if self.items and self.with_earlier:
            raise ValueError("name items of one run, or take back all runs")
        return self


class FollowUpMeant(BaseModel, extra="forbid"):
    """For how many records something is done, as the rehearsal says."""

    records: int = Field(ge=1)


@router.post("/undo", status_code=202)
def rehearse_undo(
    store: Store, by: Editor, import_id: Id, run_id: Id, after: BackgroundTasks, asked: UndoAsked | None = None
) -> UndoState:
    """Rehearse how a run, some records of it, or it and all runs before it are taken back."""
    found, asked = run_in(store, import_id, run_id), asked or UndoAsked()
    plan = undo.start_undo(
        store, by, found.id, asked.items, with_earlier=asked.with_earlier, hold_meant=asked.hold_meant
    )
    after.add_task(defer, "undo", plan.id)
    return undo_state(store, found)


@router.get("/undo")
def get_undo(store: Store, _: Viewer, import_id: Id, run_id: Id) -> UndoState:
    """What taking a run back would do, and how far that has come."""
    return undo_state(store, run_in(store, import_id, run_id))


@router.post("/undo/run", status_code=202)
def run_undo(store: Store, by: Editor, import_id: Id, run_id: Id) -> UndoState:
    """Take back what was rehearsed to be."""
    found = run_in(store, import_id, run_id)
    plan = undo.undo_of(store, found.id)
    if plan is None:
        raise NotReady("How the run is taken back was not rehearsed.", remedy="Rehearse it first.")
    run.start_run(store, by, plan.id)
    return undo_state(store, found)


@router.get("/follow-ups/offered")
def get_offered_follow_ups(store: Store, _: Viewer, import_id: Id, run_id: Id) -> Offered:
    """What can be done for the records of a run."""
    return follow_up.offered(run_in(store, import_id, run_id))


@router.get("/follow-ups")
def list_follow_ups(store: Store, _: Editor, import_id: Id, run_id: Id) -> list[FollowUpState]:
    """What was done, or would be, for the records of a run, the latest first."""
    return follow_ups(store, run_in(store, import_id, run_id))


@router.post("/follow-ups", status_code=202)
def rehearse_follow_up(
    store: Store, by: Editor, import_id: Id, run_id: Id, after: BackgroundTasks, asked: FollowUp
) -> list[FollowUpState]:
    """Rehearse what is done for the records of a run: nothing is, before that is asked for by itself."""
    found = run_in(store, import_id, run_id)
    plan = follow_up.start_follow_up(store, by, found.id, asked)
    after.add_task(defer, "follow-up", plan.id)
    return follow_ups(store, found)


@router.post("/follow-ups/{plan_id}/run", status_code=202)
def run_follow_up(
    store: Store, by: Editor, import_id: Id, run_id: Id, plan_id: Id, asked: FollowUpMeant
) -> list[FollowUpState]:
    """Have a follow-up carried out, for as many records as whoever asks for it has seen."""
    found = run_in(store, import_id, run_id)
    run.start_run(store, by, follow_up_of(store, found, plan_id).id, follows=asked.records)
    return follow_ups(store, found)


Columns = Annotated[list[str] | None, Query(max_length=500)]


@router.get("/records.{form}", response_class=Response)
def download_records(
    store: Store, _: Viewer, import_id: Id, run_id: Id, form: Literal["csv", "xlsx"], columns: Columns = None
) -> Response:
    """The id map of a run: what each record is on the site, with some columns of the sheet."""
    found = run_in(store, import_id, run_id)
    return downloaded(f"run-{run_id}.{form}", lambda path: run_list.write_list(store, found, columns or [], path))


@router.get("/redirects.{form}", response_class=Response)
def download_redirects(
    store: Store, _: Viewer, import_id: Id, run_id: Id, form: Literal["csv", "xlsx"], column: str
) -> Response:
    """Old and new addresses of the records of a run, the old ones as a column of the sheet has them."""
    found = run_in(store, import_id, run_id)
    name = f"redirects-{run_id}.{form}"
    return downloaded(name, lambda path: run_list.write_redirects(store, found, column, path))
