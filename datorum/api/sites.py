"""Sites."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter
from pydantic import BaseModel, Field

from datorum.api.access import Administrator, Store, Viewer
from datorum.stations import sites
from datorum.store import models

router = APIRouter(prefix="/api/sites", tags=["sites"])


class NewSite(BaseModel):
    """``address`` is that of the site's OpenAPI document."""

    name: str = Field(min_length=1, max_length=120)
    address: str = Field(min_length=1, max_length=2000)
    token: str = Field(max_length=4000)


class RecordTypeView(BaseModel):
    name: str
    title: str
    fields: int


class SiteView(BaseModel):
    id: int
    name: str
    title: str
    address: str
    described_at: dt.datetime
    record_types: list[RecordTypeView]


@router.get("")
def list_sites(store: Store, _: Viewer) -> list[SiteView]:
    return [_view(site) for site in sites.list_sites(store)]


@router.post("", status_code=201)
async def connect_site(new: NewSite, by: Administrator) -> SiteView:
    """Read the site's description and keep the site; one of the same name is connected anew."""
    return _view(await sites.connect_site(by, new.name, new.address, new.token))


def _view(site: models.Site) -> SiteView:
    description = sites.description_of(site)
    types = [one.record_type for one in description.collections.values()]
    return SiteView(
        id=site.id,
        name=site.name,
        title=description.title,
        address=site.address,
        described_at=site.described_at,
        record_types=[RecordTypeView(name=t.name, title=t.title, fields=len(t.writable)) for t in types],
    )
