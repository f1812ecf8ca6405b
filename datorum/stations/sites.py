"""Connecting a site and asking it what it keeps."""

from __future__ import annotations

import datetime as dt
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound, SiteRefused, SiteUnavailable
from datorum.settings import settings
from datorum.sites import Site, SiteDescription, fetch_description, open_rest_site
from datorum.stations.at_rest import site_must_be_at_rest
from datorum.store import models
from datorum.store.database import session
from datorum.store.people import record
from datorum.store.secrets import seal, unseal


async def connect_site(by: str, name: str, address: str, token: str, server: str = "") -> models.Site:
    """Read a site's description and keep the site; one of the same name is connected anew.

    ``server``: the origin of the records, where a person has said that it may be another than the description's.

    Raises SiteUnavailable, SiteRefused or AnotherServer where the description cannot be had or the token is not
    accepted, Conflict while a run goes to the site.
    """
    description = await fetch_description(address, token, allow_private=settings().allow_private_sites, server=server)
    await _try_token(description, token)
    with session() as store:
        site = store.scalar(select(models.Site).where(models.Site.name == name).with_for_update())
        if site is None:
            site = models.Site(name=name)
        else:
            site_must_be_at_rest(store, site)
        site.address = address
        site.sealed_token = seal(token)
        site.description = description.model_dump(mode="json")
        site.described_at = func.now()
        store.add(site)
        store.flush()
        store.refresh(site)
        record(store, by, "site connected", name, address=address)
        return site


async def _try_token(description: SiteDescription, token: str) -> None:
    """Raises SiteRefused where the site accepts the token for none of its record types. Whatever else is wrong with a
    reading is found out when there is something to read for."""
    refusals: list[SiteRefused] = []
    for record_type in list(description.collections)[:_TRIED]:
        try:
            async with _reached(description, record_type, token, connections=1) as site:
                async for _ in site.read_all():
                    break
        except SiteRefused as error:
            refusals.append(error)
            continue
        except SiteUnavailable:
            pass
        return
    if refusals:
        raise refusals[0]


_TRIED = 3


def list_sites(store: Session) -> list[models.Site]:
    """All sites by name."""
    return list(store.scalars(select(models.Site).order_by(models.Site.name)))


def get_site(store: Session, site_id: int) -> models.Site:
    """Raises NotFound."""
    site = store.get(models.Site, site_id)
    if site is None:
        raise NotFound(f"There is no site {site_id}.", remedy="Connect a site first.")
    return site


def description_of(site: models.Site) -> SiteDescription:
    """How the site described itself when it was last asked."""
    known = site.id, site.described_at
    if known not in _DESCRIPTIONS:
        if len(_DESCRIPTIONS) > _MOST:
            _DESCRIPTIONS.clear()
        _DESCRIPTIONS[known] = SiteDescription.model_validate(site.description)
    return _DESCRIPTIONS[known]


_MOST = 64
_DESCRIPTIONS: dict[tuple[int, dt.datetime], SiteDescription] = {}
"""By the site and the moment at which it was described; a large one takes a while to be read."""


@asynccontextmanager
async def opened(site: models.Site, description: SiteDescription, connections: int = 32) -> AsyncIterator[Site]:
    """The way to the one record type of a site that is described here, with the site's token."""
    [record_type] = description.collections
    async with _reached(description, record_type, unseal(site.sealed_token), connections=connections) as reached:
        yield reached


def _reached(
    description: SiteDescription, record_type: str, token: str, *, connections: int
) -> AbstractAsyncContextManager[Site]:
    return open_rest_site(
        description, record_type, token, allow_private=settings().allow_private_sites, connections=connections
    )
