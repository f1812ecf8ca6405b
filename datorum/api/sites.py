"""Sites."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter
from pydantic import BaseModel, Field

from datorum.api.access import Administrator, Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.sites import SignIn
from datorum.stations import rules, sites
from datorum.stations.descriptions import description_of
from datorum.store import models

router = APIRouter(prefix="/api/sites", tags=["sites"])


class NewSite(BaseModel, extra="forbid"):
    """``address`` is that of the site's OpenAPI document. ``servers``: those that the description names beside its own
    and that the sign-in may be sent to."""

    name: str = Field(min_length=1, max_length=120)
    address: str = Field(min_length=1, max_length=2000)
    sign_in: SignIn = SignIn()
    servers: list[str] = Field([], max_length=20)


class ChangedSite(BaseModel, extra="forbid"):
    """What is to be otherwise about a site; without a sign-in, its own is kept. With nothing it is only tried again."""

    name: str = Field("", max_length=120)
    address: str = Field("", max_length=2000)
    sign_in: SignIn | None = None
    servers: list[str] = Field([], max_length=20)


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


class NewRule(BaseModel):
    """``formula`` is TRUE for a sound record; ``sentence`` is the predicate of what is said where it is not."""

    record_type: str
    formula: str = Field(min_length=1, max_length=20_000)
    sentence: str = Field(min_length=1, max_length=300)
    blocks: bool = True


class RuleView(BaseModel):
    id: int
    record_type: str
    formula: str
    sentence: str
    blocks: bool
    by: str
    at: dt.datetime


@router.get("")
def list_sites(store: Store, _: Viewer) -> list[SiteView]:
    return [_view(site) for site in sites.list_sites(store)]


@router.post("", status_code=201)
async def connect_site(new: NewSite, by: Administrator) -> SiteView:
    """Read the site's description and keep the site; one of the same name is connected anew."""
    return _view(await sites.connect_site(by, new.name, new.address, new.sign_in, new.servers))


@router.put("/{site_id}")
async def change_site(site_id: Id, change: ChangedSite, by: Administrator) -> SiteView:
    """Read the site's description anew, with what is given changed: its name, its address, its sign-in."""
    changed = await sites.change_site(
        by, site_id, name=change.name, address=change.address, sign_in=change.sign_in, servers=change.servers
    )
    return _view(changed)


@router.delete("/{site_id}", status_code=204)
def remove_site(store: Store, by: Administrator, site_id: Id) -> None:
    """Forget a site that no import goes to."""
    sites.remove_site(store, by, site_id)


@router.get("/{site_id}/rules")
def list_rules(store: Store, _: Viewer, site_id: Id, record_type: str) -> list[RuleView]:
    """The rules that were added to a record type."""
    found = rules.rules_of(store, site_id, record_type)
    return [RuleView.model_validate(rule, from_attributes=True) for rule in found]


@router.post("/{site_id}/rules", status_code=201)
def add_rule(store: Store, by: Editor, site_id: Id, new: NewRule) -> RuleView:
    """Add a rule that all imports of this record type are held to."""
    rule = rules.add_rule(store, by, site_id, new.record_type, new.formula, new.sentence, blocks=new.blocks)
    store.refresh(rule)
    return RuleView.model_validate(rule, from_attributes=True)


@router.delete("/{site_id}/rules/{number}", status_code=204)
def remove_rule(store: Store, by: Editor, site_id: Id, number: Id) -> None:
    rules.remove_rule(store, by, site_id, number)


def _view(site: models.Site) -> SiteView:
    description = description_of(site)
    types = [one.record_type for one in description.usable.values()]
    return SiteView(
        id=site.id,
        name=site.name,
        title=description.title,
        address=site.address,
        described_at=site.described_at,
        record_types=[RecordTypeView(name=t.name, title=t.title, fields=len(t.writable)) for t in types],
    )
