"""What a site has and had: snapshots that are read, looked at again and taken away, and the runs to it."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from datorum.api.access import Editor, Store, Viewer
from datorum.api.numbers import Id, Place
from datorum.jobs import defer
from datorum.stations import sites, snapshots, work
from datorum.stations.backup import backup_of
from datorum.stations.history import PastRun, runs_to
from datorum.stations.languages import Completeness, completeness
from datorum.stations.samples import samples_of
from datorum.store import models

router = APIRouter(prefix="/api/sites", tags=["sites"])


class Wanted(BaseModel, extra="forbid"):
    """``types``: record types by name; all that can be read, where none is named."""

    types: list[str] = Field([], max_length=500)


class SnapshotView(BaseModel):
    """A record type that is read, or was. ``state``: reading, ready, stopped or failed; ``records`` of ``on_site`` are
    read. ``as_of``: when those of the last whole reading, ``kept`` in all, were so."""

    record_type: str
    state: str
    error: str
    records: int
    on_site: int | None
    seconds_left: float | None
    kept: int | None
    as_of: dt.datetime | None


class KeySampleView(BaseModel):
    fields: list[str]
    records: int
    shared: int
    stated: bool
    example: str


class LinkSampleView(BaseModel):
    field: str
    to: str
    by: str
    values: int
    found: int
    stated: bool


class NameView(BaseModel):
    """A name that ``records`` so many use in an open part."""

    name: str
    records: int


class SampleView(BaseModel):
    """What the records of a type that were read say of it; ``names``: by open part, those in use and how often."""

    record_type: str
    records: int
    keys: list[KeySampleView]
    links: list[LinkSampleView]
    names: dict[str, list[NameView]]


class FreshnessView(BaseModel):
    record_type: str
    verdict: str
    changed: int
    why: str


@router.get("/{site_id}/snapshot")
def list_snapshots(store: Store, _: Viewer, site_id: Id) -> list[SnapshotView]:
    """What is kept of each record type, and what is being read."""
    sites.get_site(store, site_id)
    ready = snapshots.ready_snapshots(store, site_id)
    latest = snapshots.latest_snapshots(store, site_id)
    return [_snapshot_view(store, one, ready.get(name)) for name, one in latest.items()]


@router.post("/{site_id}/snapshot", status_code=202)
def read_site(store: Store, by: Editor, site_id: Id, wanted: Wanted, after: BackgroundTasks) -> list[SnapshotView]:
    """Have all records of the record types read, or of all that can be; what was cut short goes on."""
    for one in snapshots.start_snapshots(store, by, site_id, wanted.types):
        after.add_task(defer, "snapshot", one.id)
    return list_snapshots(store, by, site_id)


@router.post("/{site_id}/snapshot/stop")
def stop_reading_site(store: Store, by: Editor, site_id: Id) -> list[SnapshotView]:
    """Stop reading; what was read is kept, to go on from."""
    snapshots.stop_snapshots(store, by, site_id)
    return list_snapshots(store, by, site_id)


@router.post("/{site_id}/snapshot/check")
async def check_snapshot(by: Editor, site_id: Id) -> list[FreshnessView]:
    """Ask the site, with few requests, whether what is kept is as it is, and take what has changed where it gives
    that."""
    return [FreshnessView.model_validate(one, from_attributes=True) for one in await snapshots.recheck(by, site_id)]


@router.get("/{site_id}/samples")
def look_at_samples(store: Store, _: Viewer, site_id: Id) -> list[SampleView]:
    """What the records that were read say of keys, links and the names of open fields."""
    return [SampleView.model_validate(one, from_attributes=True) for one in samples_of(store, site_id)]


@router.delete("/{site_id}/snapshot", status_code=204)
def forget_snapshot(store: Store, by: Editor, site_id: Id) -> None:
    """Keep no records of the site any more."""
    snapshots.forget_snapshots(store, by, site_id)


@router.get("/{site_id}/backup", response_class=StreamingResponse)
def download_backup(
    by: Editor, site_id: Id, types: Annotated[list[str] | None, Query(max_length=200)] = None
) -> StreamingResponse:
    """The site's snapshot, of the record types named or of all that were read, as a ZIP of NDJSON and CSV."""
    headers = {"Content-Disposition": f'attachment; filename="site-{site_id}-{dt.date.today():%Y-%m-%d}.zip"'}
    return StreamingResponse(backup_of(site_id, types or []), media_type="application/zip", headers=headers)


@router.get("/{site_id}/runs")
def list_runs_to_site(
    store: Store, _: Viewer, site_id: Id, before: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None
) -> list[PastRun]:
    """What was done to the site: its runs, the latest 200, or as many before the run of a number."""
    return runs_to(store, site_id, before)


def _snapshot_view(store: Session, one: models.Snapshot, ready: models.Snapshot | None) -> SnapshotView:
    reading = work.under_way(store, "snapshot", one.id)
    # It may have come to its end since it was asked which are ready.
    ready = one if one.state == "ready" else ready
    return SnapshotView(
        record_type=one.record_type,
        state=one.state,
        error=one.error,
        records=reading.done if reading and one.state == "reading" else one.records_read,
        on_site=reading.total if reading and one.state == "reading" else one.records_read,
        seconds_left=work.seconds_left(reading, dt.datetime.now(dt.UTC)) if reading else None,
        kept=ready.records_read if ready else None,
        as_of=ready.as_of if ready else None,
    )


@router.get("/{site_id}/languages/{record_type}")
def get_languages(
    store: Store, _: Viewer, site_id: Id, record_type: str, only_open: bool = False, offset: Place = 0,
    count: Annotated[int, Query(ge=1, le=500)] = 100,
) -> Completeness:  # fmt: skip
    """Originals and languages: what is there, missing, or older than its original, by the last reading of the site."""
    return completeness(store, site_id, record_type, only_open=only_open, offset=offset, count=count)
