"""Connecting a site and asking it what it keeps."""

from __future__ import annotations

import datetime as dt
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from urllib.parse import urlsplit

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound, SiteRefused, SiteUnavailable
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
    description = await _described(address, token, server)
    with session() as store:
        site = store.scalar(select(models.Site).where(models.Site.name == name).with_for_update())
        if site is None:
            site = models.Site(name=name)
        else:
            site_must_be_at_rest(store, site)
        _keep(store, site, address, token, description)
        record(store, by, "site connected", name, address=address)
        return site


async def change_site(
    by: str, site_id: int, *, name: str = "", address: str = "", token: str | None = None, server: str = ""
) -> models.Site:
    """Read a site's description anew, under another name, at another address or with another token where they are
    given; with none of them the site is only tried again.

    Raises what ``connect_site`` raises, NotFound, and Conflict where another site has the name, or the address is on
    another server and no token is given for it.
    """
    with session() as store:
        kept = get_site(store, site_id)
        address = address or kept.address
        if _same_server(address, kept.address):
            # What a person has agreed to before need not be asked again.
            server = server or _server(description_of(kept).base_url)
        elif token is None:
            raise Conflict(
                "The new address is on another server, and the token was given for the one before.",
                remedy="Type the token that the new server takes.",
            )
        token = unseal(kept.sealed_token) if token is None else token
    description = await _described(address, token, server)
    with session() as store:
        site = store.get(models.Site, site_id, with_for_update=True)
        if site is None:
            raise no_such_site(site_id)
        site_must_be_at_rest(store, site)
        before = site.name, site.address
        site.name = name or site.name
        other = select(models.Site.id).where(models.Site.name == site.name, models.Site.id != site_id)
        with store.no_autoflush:
            if store.scalar(other) is not None:
                raise Conflict(f"Another site is called “{site.name}”.", remedy="Give it another name.")
        _keep(store, site, address, token, description)
        record(store, by, "site changed", site.name, before=list(before), address=address)
        return site


def _server(address: str) -> str:
    """The server that an address names; none, where it is no address: whoever asks there will say so."""
    try:
        parts = urlsplit(address)
    except ValueError:
        return ""
    return f"{parts.scheme}://{parts.netloc}".lower()


def _same_server(address: str, other: str) -> bool:
    return _server(address) == _server(other)


def remove_site(store: Session, by: str, site_id: int) -> None:
    """Forget a site, with its token and the rules that were added to it. Raises NotFound, or Conflict where imports go
    to it, for what they did there stays known."""
    site = store.get(models.Site, site_id, with_for_update=True)
    if site is None:
        raise no_such_site(site_id)
    imports = store.scalar(select(func.count()).where(models.Import.site_id == site_id))
    if imports:
        go = "1 import goes" if imports == 1 else f"{imports:,} imports go"
        raise Conflict(
            f"{go} to “{site.name}”, archived ones counted.",
            remedy="Delete those that have not run. Where one has run, the site and what was done there stay.",
        )
    record(store, by, "site removed", site.name, address=site.address)
    store.delete(site)


async def _described(address: str, token: str, server: str) -> SiteDescription:
    """What a site says of itself, if it accepts the token."""
    description = await fetch_description(address, token, allow_private=settings().allow_private_sites, server=server)
    await _try_token(description, token)
    return description


def _keep(store: Session, site: models.Site, address: str, token: str, description: SiteDescription) -> None:
    site.address = address
    site.sealed_token = seal(token)
    site.description = description.model_dump(mode="json")
    site.described_at = func.now()
    store.add(site)
    store.flush()
    store.refresh(site)


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
        raise no_such_site(site_id)
    return site


def no_such_site(site_id: int) -> NotFound:
    """The error for a site that is not there, or not any more."""
    return NotFound(f"There is no site {site_id}.", remedy="Look at the list of sites.")


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
