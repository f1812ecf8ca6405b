"""What a run did, proven: the site is read back, what differs is told and accepted by name, and all of it summed up."""

from __future__ import annotations

from fastapi import APIRouter, BackgroundTasks, Response
from fastapi.responses import HTMLResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.jobs import defer
from datorum.stations import history, tolerances, use, verify
from datorum.stations.account import Account, account_of
from datorum.stations.history import Mismatch, run_in
from datorum.stations.overview import Overview, overview
from datorum.stations.proof import Proof, proof_of
from datorum.stations.summary import SignedSummary, as_html, summary_of
from datorum.stations.tolerances import Accepted, DifferGroup
from datorum.store import models
from datorum.store.database import session

router = APIRouter(prefix="/api/imports/{import_id}", tags=["runs"])


class SignInAsked(BaseModel, extra="forbid"):
    """Who signs in on which page, with the password that they had before. It is kept nowhere."""

    address: str = Field(max_length=2_000)
    name: str = Field(min_length=1, max_length=320)
    password: str = Field(min_length=1, max_length=1_000)


class DifferenceAccepted(BaseModel, extra="forbid"):
    """What the site does to a field, by the name of the rule."""

    field: str
    rule: str


@router.get("/account")
def get_account(store: Store, _: Viewer, import_id: Id) -> Account | None:
    """What became of all that was sent of the latest plan, in its pilot and the rest together, and whether the number
    of records on the site is what that comes to."""
    return account_of(store, import_id)


@router.get("/runs/{run_id}/summary")
def get_summary(store: Store, _: Viewer, import_id: Id, run_id: Id) -> SignedSummary:
    """What came of a run, signed by this installation."""
    return summary_of(store, run_in(store, import_id, run_id))


@router.get("/runs/{run_id}/summary.pdf", response_class=Response)
def get_summary_document(store: Store, _: Viewer, import_id: Id, run_id: Id) -> Response:
    """What came of a run, signed, as a document to be printed and filed."""
    found = summary_of(store, run_in(store, import_id, run_id))
    headers = {"Content-Disposition": f'attachment; filename="run-{run_id}.pdf"'}
    # What draws pages takes a good part of the time in which a server starts, and few are ever drawn.
    from datorum.stations.summary_pdf import as_pdf

    return Response(as_pdf(found), media_type="application/pdf", headers=headers)


@router.get("/runs/{run_id}/summary.html", response_class=Response)
def get_summary_page(store: Store, _: Viewer, import_id: Id, run_id: Id) -> HTMLResponse:
    """The same as a page that stands by itself."""
    page = as_html(summary_of(store, run_in(store, import_id, run_id)))
    # It is to be kept, and no page of Datorum's.
    name = f"run-{run_id}.html"
    return HTMLResponse(page, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.post("/runs/{run_id}/verification", status_code=202)
def start_verification(store: Store, by: Editor, import_id: Id, run_id: Id, after: BackgroundTasks) -> Overview:
    verification = verify.start_verification(store, by, run_in(store, import_id, run_id).id)
    after.add_task(defer, "verify", verification.id)
    return overview(store, import_id)


@router.post("/runs/{run_id}/verification/stop")
def stop_verification(store: Store, by: Editor, import_id: Id, run_id: Id) -> Overview:
    """Have the reading back of a run stop."""
    verify.stop_verification(store, by, run_in(store, import_id, run_id).id)
    return overview(store, import_id)


@router.get("/runs/{run_id}/mismatches")
def get_mismatches(store: Store, _: Viewer, import_id: Id, run_id: Id) -> list[Mismatch]:
    return history.mismatches_told(store, run_in(store, import_id, run_id))


@router.get("/runs/{run_id}/mismatches/groups")
def get_mismatch_groups(store: Store, _: Viewer, import_id: Id, run_id: Id) -> list[DifferGroup]:
    """What differs, by field and by what the site does to values."""
    return tolerances.groups_of(store, run_in(store, import_id, run_id))


@router.post("/runs/{run_id}/mismatches/accepted")
def accept_mismatches(store: Store, by: Editor, import_id: Id, run_id: Id, asked: DifferenceAccepted) -> Overview:
    """Count what the site does to a field as no difference, for this record type of the site."""
    tolerances.accept(store, by, run_in(store, import_id, run_id), asked.field, asked.rule)
    return overview(store, import_id)


@router.get("/runs/{run_id}/proof")
def get_proof(store: Store, _: Viewer, import_id: Id, run_id: Id) -> Proof:
    """What the last reading back of a run has looked at: every field, the keys, links from both sides, and pages."""
    return proof_of(store, run_in(store, import_id, run_id))


@router.post("/runs/{run_id}/proof/sign-in")
async def try_to_sign_in(by: Editor, import_id: Id, run_id: Id, asked: SignInAsked) -> Proof:
    """Sign somebody in on a page of the site, as they would by themselves."""
    number = await run_in_threadpool(_run_number, import_id, run_id)
    await use.sign_in_as(by, number, asked.address, asked.name, asked.password)
    return await run_in_threadpool(_proof, number)


def _run_number(import_id: int, run_id: int) -> int:
    with session() as store:
        return run_in(store, import_id, run_id).id


def _proof(run_id: int) -> Proof:
    with session() as store:
        return proof_of(store, store.get_one(models.Run, run_id))


@router.get("/tolerances")
def list_tolerances(store: Store, _: Viewer, import_id: Id) -> list[Accepted]:
    """What the site does to values and somebody has accepted."""
    return tolerances.list_accepted(store, import_id)


@router.delete("/tolerances/{number}", status_code=204)
def remove_tolerance(store: Store, by: Editor, import_id: Id, number: Id) -> None:
    """Count something as a difference again, from the next reading back on."""
    tolerances.take_back(store, by, import_id, number)
