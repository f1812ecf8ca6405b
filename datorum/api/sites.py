"""Sites."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from datorum.api.access import Administrator, Editor, Store, Viewer
from datorum.api.numbers import Id
from datorum.sites import Correction, SignIn, SiteLimits, SiteType
from datorum.stations import corrections, earlier, rules, sites
from datorum.stations.descriptions import Difference, description_of, history_of, version_of
from datorum.stations.earlier import Learnt, learnt
from datorum.stations.health import health_of, sign_in_words, ways_of
from datorum.stations.languages import is_translated
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


class RelationView(BaseModel):
    kind: str
    parts: dict[str, str]
    confidence: float
    why: str


class OpenFieldView(BaseModel):
    path: str
    title: str
    kind: str
    type: str
    languages: bool
    why: str


class LinkView(BaseModel):
    field: str
    to: str
    by: str
    many: bool
    confidence: float
    why: str


class SiteFieldView(BaseModel):
    """A field of a record type as the site describes it; ``key``: it tells two records apart."""

    path: str
    title: str
    type: str
    description: str
    required: bool
    read_only: bool
    key: bool
    values: list[str]


class TypeView(BaseModel):
    """A record type with all that is known of it. ``ways``: its requests in words; ``out_of_reach``: why nothing can be
    imported into it, where that is so; ``corrected``: what a person has said of it."""

    name: str
    title: str
    id_field: str | None
    fields: list[SiteFieldView]
    links: list[LinkView]
    relations: list[RelationView]
    open_fields: list[OpenFieldView]
    keys_together: list[list[str]]
    under: str | None
    translated: bool
    """Whether its records are translations of one another."""
    ways: list[WayView]
    out_of_reach: str
    corrected: dict[str, Any]
    correctable: dict[str, str | None]


class WayView(BaseModel):
    what: str
    how: str


class GapView(BaseModel):
    where: str
    why: str


class VersionView(BaseModel):
    version: int
    by: str
    at: dt.datetime
    differences: list[DifferenceView]


class DifferenceView(BaseModel):
    record_type: str
    field: str
    what: str


class PageView(BaseModel):
    """All that is known of a site. ``behind``: imports that rest on an earlier description than its latest."""

    site: SiteView
    asks_for: list[str]
    types: list[TypeView]
    not_understood: list[GapView]
    versions: list[VersionView]
    imports: int
    behind: list[str]
    corrections: int
    limits: SiteLimits


class HealthView(BaseModel):
    """What the list of a record type answers: how many records there are, where it says, or at least so many; else what
    is wrong."""

    record_type: str
    records: int | None
    at_least: int
    milliseconds: int
    error: str


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


@router.get("/{site_id}")
def site_page(store: Store, _: Viewer, site_id: Id) -> PageView:
    """All that is known of a site."""
    site = sites.get_site(store, site_id)
    description, kept = description_of(site), version_of(store, site)
    said = corrections.said_of(kept.overlay)
    return PageView(
        site=_view(site),
        asks_for=sign_in_words(description),
        types=[_type_view(one, said.get(one.listing.path, Correction())) for one in description.types.values()],
        not_understood=[GapView(where=gap.where, why=gap.why) for gap in description.not_understood],
        versions=[_version_view(version, told) for version, told in history_of(store, site)],
        imports=sites.count_imports(store, site_id),
        behind=[item.name for item in corrections.imports_left_behind(store, site)],
        corrections=len(said),
        limits=sites.limits_of(site),
    )


@router.post("/{site_id}/health")
async def look(by: Editor, site_id: Id) -> list[HealthView]:
    """Ask the list of each record type for its first page."""
    return [HealthView.model_validate(one, from_attributes=True) for one in await health_of(site_id)]


@router.put("/{site_id}/limits")
def set_limits(store: Store, by: Administrator, site_id: Id, limits: SiteLimits) -> PageView:
    """Say what the site is to be spared."""
    sites.set_limits(store, by, site_id, limits)
    return site_page(store, by, site_id)


@router.put("/{site_id}/types/{name}")
def correct_type(store: Store, by: Administrator, site_id: Id, name: str, correction: Correction) -> PageView:
    """Say what is known better of a record type than its document says."""
    corrections.correct_type(store, by, site_id, name, correction)
    return site_page(store, by, site_id)


@router.get("/{site_id}/types/{name}/learnt")
def list_learnt(store: Store, _: Viewer, site_id: Id, name: str) -> list[Learnt]:
    """What suggestions go by for a record type: what people chose and refused in its imports."""
    description_of(sites.get_site(store, site_id)).any_type(name)
    return learnt(store, name)


@router.delete("/{site_id}/types/{name}/learnt", status_code=204)
def clear_learnt(store: Store, by: Editor, site_id: Id, name: str) -> None:
    """Have suggestions go by nothing that was decided until now."""
    description_of(sites.get_site(store, site_id)).any_type(name)
    earlier.clear_learnt(store, by, name)


@router.get("/{site_id}/overlay")
def download_overlay(store: Store, _: Viewer, site_id: Id) -> dict[str, Any]:
    """The corrections of the site's document, as an OpenAPI Overlay 1.0."""
    return corrections.overlay_of(store, site_id)


@router.put("/{site_id}/overlay")
def replace_overlay(store: Store, by: Administrator, site_id: Id, overlay: dict[str, Any]) -> PageView:
    """Lay other corrections over the site's document, in place of those that are."""
    corrections.replace_overlay(store, by, site_id, overlay)
    return site_page(store, by, site_id)


@router.put("/{site_id}")
async def change_site(site_id: Id, change: ChangedSite, by: Administrator) -> SiteView:
    """Read the site's description anew, with what is given changed: its name, its address, its sign-in."""
    changed = await sites.change_site(
        by, site_id, name=change.name, address=change.address, sign_in=change.sign_in, servers=change.servers
    )
    return _view(changed)


@router.delete("/{site_id}", status_code=204)
def remove_site(
    store: Store, by: Administrator, site_id: Id, imports: Annotated[int | None, Query(ge=0)] = None
) -> None:
    """Forget a site that no import goes to; or with the imports that go to it, whose number is given."""
    sites.remove_site(store, by, site_id, imports)


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


def _type_view(one: SiteType, said: Correction) -> TypeView:
    return TypeView(
        name=one.name,
        title=one.title,
        id_field=one.id_field,
        translated=is_translated(one),
        fields=[
            SiteFieldView(
                path=field.path, title=field.title, type=field.type, description=field.description,
                required=field.required, read_only=field.read_only, key=field.unique, values=list(field.enum),
            )
            for field in one.record_type.fields
        ],
        links=[LinkView.model_validate(link, from_attributes=True) for link in one.links],
        relations=[RelationView.model_validate(held, from_attributes=True) for held in one.relations],
        open_fields=[OpenFieldView.model_validate(part, from_attributes=True) for part in one.open_fields],
        keys_together=[list(together) for together in one.unique_together],
        under=one.under,
        ways=[WayView(what=what, how=how) for what, how in ways_of(one)],
        out_of_reach=one.out_of_reach,
        corrected=said.model_dump(mode="json", exclude_defaults=True),
        correctable=corrections.correctable(one),
    )  # fmt: skip


def _version_view(kept: models.StoredDescription, told: list[Difference]) -> VersionView:
    views = [DifferenceView(record_type=one.record_type, field=one.field, what=one.what) for one in told]
    return VersionView(version=kept.version, by=kept.by, at=kept.at, differences=views)
