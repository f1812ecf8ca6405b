"""Whether a site still describes its records as an import takes them: its document is fetched and compared."""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from collections.abc import Mapping as AnyMapping
from typing import NamedTuple

from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, DatorumError, NotReady
from datorum.core.model import Mapping
from datorum.settings import settings
from datorum.sites import SiteDescription, must_be_agreed, way_called
from datorum.sites.rest.overlay import corrected
from datorum.stations.at_rest import site_must_be_at_rest
from datorum.stations.basis import Target
from datorum.stations.descriptions import Difference, Told, description_of, differences, keep_description, version_of
from datorum.stations.imports import Opened, get_import, open_import
from datorum.stations.links import types_made
from datorum.stations.sites import get_site, sign_in_of
from datorum.store import models
from datorum.store.database import session


class DescribedNow(NamedTuple):
    """What a site says otherwise than a plan takes it, as phrases: of what the import ``uses``, and of ``others``.
    ``unknown``: why that is not known."""

    uses: tuple[str, ...] = ()
    others: tuple[str, ...] = ()
    unknown: str = ""


async def described_now(plan_id: int) -> DescribedNow:
    """What the site of a plan says by now otherwise than the plan takes it."""
    with session() as store:
        plan = store.get_one(models.Plan, plan_id)
        item, target = get_import(store, plan.import_id), Target.kept(plan)
        site, overlay = item.site, version_of(store, item.site).overlay
    try:
        told = await _told(site, overlay, description_of(site))
    except DatorumError as error:
        return DescribedNow(unknown=error.message)
    with session() as store:
        now = open_import(store, item.id)
        return _held_against(target.description, told.description, now)


async def see_description(by: str, import_id: int) -> None:
    """Have the latest description of an import's site, before it is rehearsed. Raises NotReady where that says
    otherwise what the import uses. A document that cannot be had is told of by preflight."""
    with session() as store:
        item = get_import(store, import_id)
        site, overlay = item.site, version_of(store, item.site).overlay
    try:
        told = await _told(site, overlay, description_of(site))
    except DatorumError:
        return
    found = await asyncio.to_thread(_keep_and_compare, by, import_id, told)
    if found.uses:
        raise NotReady(
            f"The site describes these records otherwise than this import takes them: {'; '.join(found.uses)}.",
            remedy="Go on with what it says at the top of the import, look at Map, then rehearse again.",
        )


async def _told(site: models.Site, overlay: dict[str, object] | None, before: SiteDescription) -> Told:
    way = way_called(site.way)
    document = await way.fetch(site.address, sign_in_of(site), allow_private=settings().allow_private_sites)
    description = way.describe(corrected(document, overlay), site.address)
    must_be_agreed(description, site.address, before.origins)
    return Told(document, overlay, description)


def _keep_and_compare(by: str, import_id: int, told: Told) -> DescribedNow:
    with session() as store:
        item = get_import(store, import_id)
        found = _held_against(description_of(item), told.description, open_import(store, import_id))
        _keep(store, by, get_site(store, item.site_id), told)
    return found


def _keep(store: Session, by: str, site: models.Site, told: Told) -> None:
    """Keep what a site says; while runs to it are under way it stays as it was."""
    if description_of(site) == told.description:
        return
    try:
        with store.begin_nested():
            site_must_be_at_rest(store, site)
            keep_description(store, by, site, told)
    except Conflict:
        return


def _held_against(before: SiteDescription, after: SiteDescription, now: Opened) -> DescribedNow:
    own, titles = now.item.record_type, now.titles
    uses: list[str] = []
    others: list[str] = []
    for name in (own, *types_made(now)):
        demanded = _demanded(after, name)
        for one in differences(before, after, name):
            used = name != own or _uses(one, now.mapping, demanded)
            (uses if used else others).append(_phrase(one, titles if name == own else {}))
    return DescribedNow(tuple(dict.fromkeys(uses)), tuple(dict.fromkeys(others)))


def _uses(one: Difference, mapping: Mapping, demanded: Collection[str]) -> bool:
    """Whether a difference is of what a mapping has to do with: a field that it feeds or that is demanded now, or how
    records are written or told apart."""
    if not one.field:
        return one.what not in _OF_READING
    fed = mapping.fields.get(one.field)
    return (fed is not None and fed.fed) or one.field in demanded


_OF_READING = ("points at other records", "is silenced otherwise", "asks for another sign-in")


def _demanded(description: SiteDescription, name: str) -> Collection[str]:
    found = description.usable.get(name)
    return {field.path for field in found.record_type.writable if field.required} if found else ()


def _phrase(one: Difference, titles: AnyMapping[str, str]) -> str:
    return f"{titles.get(one.field, one.field) or one.record_type} {one.what}"
