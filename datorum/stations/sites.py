"""Connecting a site and asking it what it keeps."""

from __future__ import annotations

from collections.abc import AsyncIterator, Collection
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from functools import lru_cache
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound, SiteRefused, SiteUnavailable
from datorum.settings import settings
from datorum.sites import (
    NO_PACE,
    Pace,
    SignIn,
    Site,
    SiteDescription,
    SiteLimits,
    Way,
    corrected,
    must_be_agreed,
    way_called,
)
from datorum.stations.at_rest import site_must_be_at_rest
from datorum.stations.descriptions import Told, description_of, keep_description, version_of
from datorum.store import models
from datorum.store.database import session
from datorum.store.people import record
from datorum.store.queries import QUERIES
from datorum.store.secrets import seal, unseal


async def connect_site(
    by: str, name: str, address: str, sign_in: SignIn, servers: Collection[str] = (), way: str = "rest"
) -> models.Site:
    """Read a site's description and keep the site; one of the same name is connected anew.

    ``servers``: origins that a person has said the sign-in may be sent to, beside the description's.

    Raises SiteUnavailable, SiteRefused or AnotherServer where the description cannot be had or the sign-in is not
    accepted, Conflict while a run goes to the site.
    """
    with session() as store:
        before = store.scalar(select(models.Site).where(models.Site.name == name))
        overlay = version_of(store, before).overlay if before else None
    told = await _told(way_called(way), address, sign_in, servers, overlay)
    with session() as store:
        site = store.scalar(select(models.Site).where(models.Site.name == name).with_for_update())
        if site is None:
            site = models.Site(name=name, way=way)
        else:
            site_must_be_at_rest(store, site)
        _keep(store, by, site, address, sign_in, told)
        record(store, by, "site connected", name, address=address)
        return site


async def change_site(
    by: str,
    site_id: int,
    *,
    name: str = "",
    address: str = "",
    sign_in: SignIn | None = None,
    servers: Collection[str] = (),
) -> models.Site:
    """Read a site's description anew, under another name, at another address or with another sign-in where they are
    given; with none of them the site is only tried again.

    Raises what ``connect_site`` raises, NotFound, and Conflict where another site has the name, or the address is on
    another server and no sign-in is given for it.
    """
    with session() as store:
        kept = get_site(store, site_id)
        address = address or kept.address
        if _same_server(address, kept.address):
            # What a person has agreed to before need not be asked again.
            servers = {*servers, *description_of(kept).origins}
        elif sign_in is None:
            raise Conflict(
                "The new address is on another server, and the sign-in was given for the one before.",
                remedy="Type what the new server takes.",
            )
        sign_in = sign_in_of(kept) if sign_in is None else sign_in
        overlay = version_of(store, kept).overlay
    told = await _told(way_called(kept.way), address, sign_in, servers, overlay)
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
        _keep(store, by, site, address, sign_in, told)
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


def remove_site(store: Session, by: str, site_id: int, with_imports: int | None = None) -> None:
    """Forget a site, with its sign-in, its snapshot and the rules that were added to it.

    Raises NotFound, or Conflict where imports go to it and it is not said that they are to be forgotten as well, by
    their number; or where a run to it is not over.
    """
    site = store.get(models.Site, site_id, with_for_update=True)
    if site is None:
        raise no_such_site(site_id)
    imports = count_imports(store, site_id)
    if imports != (with_imports or 0):
        go = "1 import goes" if imports == 1 else f"{imports:,} imports go"
        raise Conflict(
            f"{go} to “{site.name}”, archived ones counted.",
            remedy=f"To remove them too, and all that is known of what they did there, give their number, {imports}.",
        )
    site_must_be_at_rest(store, site)
    mine = select(models.Import.id).where(models.Import.site_id == site_id)
    names = list(store.scalars(select(models.Import.name).where(models.Import.site_id == site_id)))
    record(store, by, "site removed", site.name, address=site.address, imports=names)
    # A plan stays as long as its run does.
    plans = select(models.Plan.id).where(models.Plan.import_id.in_(mine))
    store.execute(delete(models.Run).where(models.Run.plan_id.in_(plans)))
    store.execute(delete(models.Import).where(models.Import.site_id == site_id))
    store.execute(update(models.Site).where(models.Site.id == site_id).values(description_id=None))
    store.delete(site)


def count_imports(store: Session, site_id: int) -> int:
    """How many imports go to a site, archived ones counted."""
    return store.scalar(select(func.count()).where(models.Import.site_id == site_id)) or 0


async def _told(
    way: Way, address: str, sign_in: SignIn, servers: Collection[str], overlay: dict[str, Any] | None
) -> Told:
    """What a site says of itself, with a person's corrections, if it accepts the sign-in."""
    document = await way.fetch(address, sign_in, allow_private=settings().allow_private_sites)
    description = way.describe(corrected(document, overlay), address)
    must_be_agreed(description, address, servers)
    await _try_sign_in(way, description, sign_in)
    return Told(document, overlay, description)


def sign_in_of(site: models.Site) -> SignIn:
    """What a site is signed in to with."""
    return SignIn.model_validate_json(unseal(site.sealed_sign_in))


def _keep(store: Session, by: str, site: models.Site, address: str, sign_in: SignIn, told: Told) -> None:
    site.address = address
    site.sealed_sign_in = seal(sign_in.model_dump_json())
    store.add(site)
    store.flush()
    keep_description(store, by, site, told)
    store.refresh(site)


async def _try_sign_in(way: Way, description: SiteDescription, sign_in: SignIn) -> None:
    """Raises SiteRefused where the site accepts the sign-in for none of its record types. Whatever else is wrong with a
    reading is found out when there is something to read for."""
    refusals: list[SiteRefused] = []
    for record_type in list(description.usable)[:_TRIED]:
        try:
            async with _reached(way, description, record_type, sign_in, 1, NO_PACE) as site:
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


@asynccontextmanager
async def opened(
    site: models.Site, description: SiteDescription, record_type: str, connections: int = 32
) -> AsyncIterator[Site]:
    """The way to a record type of a site, as it is described here, with the site's sign-in."""
    limits = limits_of(site)
    most = min(connections, limits.concurrency or connections)
    pace = pace_of(site.id, limits.per_minute)
    async with _reached(way_called(site.way), description, record_type, sign_in_of(site), most, pace) as reached:
        yield reached


def _reached(
    way: Way, description: SiteDescription, record_type: str, sign_in: SignIn, connections: int, pace: Pace
) -> AbstractAsyncContextManager[Site]:
    return way.open(
        description, record_type, sign_in, allow_private=settings().allow_private_sites, connections=connections,
        pace=pace, answer_seconds=settings().write_seconds,
    )  # fmt: skip


def limits_of(site: models.Site) -> SiteLimits:
    """What a site is to be spared."""
    return SiteLimits.kept(site.limits)


def set_limits(store: Session, by: str, site_id: int, limits: SiteLimits) -> None:
    """Spare a site from now on as much as this. What is under way keeps its pace; quiet hours hold for it at once.
    Raises NotFound."""
    site = get_site(store, site_id)
    said = limits.model_dump(mode="json")
    record(store, by, "site limits changed", site.name, before=site.limits, after=said)
    site.limits = said


@lru_cache(maxsize=256)
def pace_of(site_id: int, per_minute: int | None) -> Pace:
    """The pace for all that this process asks of a site, or for it, which takes turns with other processes."""

    def reserve(count: int, each: float) -> float:
        with session() as store:
            return float(
                store.execute(QUERIES["next_requests"], {"site": site_id, "count": count, "each": each}).scalar_one()
            )

    return Pace(per_minute, reserve)
