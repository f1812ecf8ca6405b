"""The audit log: who did what to what, and when; searched, downloaded, and held against its chain."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import Annotated, Any

import orjson
from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from datorum.api.access import Administrator, Store
from datorum.core.table.csv_writer import write_csv
from datorum.store import audit
from datorum.store.database import session

router = APIRouter(prefix="/api/audit", tags=["audit"])
_TOGETHER = 1_000
Searched = Annotated[str, Query(max_length=200)]


class AuditView(BaseModel):
    """One change of data."""

    id: int
    at: dt.datetime
    person: str
    action: str
    subject: str
    detail: dict[str, Any]


class AuditPage(BaseModel):
    """Some entries, the latest first, of ``total`` that there are."""

    total: int
    entries: list[AuditView]


class AuditFault(BaseModel):
    """A place at which the chain of the log is broken."""

    number: int
    audit_id: int
    what: str


class AuditChain(BaseModel):
    """The last seal of the log, and where its chain is broken."""

    sealed: int
    last: str
    faults: list[AuditFault]


@router.get("")
def read_audit(
    store: Store,
    _: Administrator,
    search: Searched = "",
    before: Annotated[int | None, Query(ge=1, le=2**53)] = None,
    count: Annotated[int, Query(ge=1, le=500)] = 100,
) -> AuditPage:
    """Entries in which all words of a search stand, the latest first."""
    found, total = audit.entries(store, search, before, count)
    return AuditPage(total=total, entries=[AuditView.model_validate(one, from_attributes=True) for one in found])


@router.get("/chain")
def check_audit(store: Store, _: Administrator) -> AuditChain:
    """Whether any entry was removed or altered since it was sealed."""
    audit.seal_new(store)
    store.flush()
    number, last = audit.last_seal(store)
    faults = [AuditFault.model_validate(fault._asdict()) for fault in audit.faults(store)]
    return AuditChain(sealed=number, last=last, faults=faults)


@router.get("/audit.csv", response_class=StreamingResponse)
def download_audit(_: Administrator, search: Searched = "") -> StreamingResponse:
    """All entries in which all words of a search stand, as CSV, the latest first."""
    headers = {"Content-Disposition": f'attachment; filename="audit-{dt.date.today():%Y-%m-%d}.csv"'}
    return StreamingResponse(_lines(search), media_type="text/csv; charset=utf-8", headers=headers)


def _lines(search: str) -> Iterator[bytes]:
    header = ("At (UTC)", "Person", "Action", "Subject", "Detail", "Number")
    mark = write_csv(header, ())
    yield mark
    before: int | None = None
    while True:
        with session() as store:
            found, _ = audit.entries(store, search, before, _TOGETHER)
            rows = [
                (f"{one.at.astimezone(dt.UTC):%Y-%m-%d %H:%M:%S}", one.person, one.action, one.subject,
                 orjson.dumps(one.detail).decode(), str(one.id))
                for one in found
            ]  # fmt: skip
        if not found:
            return
        yield write_csv(header, rows).removeprefix(mark)
        before = found[-1].id
