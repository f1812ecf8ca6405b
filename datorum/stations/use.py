"""Proof by use: what a run has sent is used as people use it. Its pages answer, what it links to shows it, and somebody
signs in with a password of before."""

from __future__ import annotations

import asyncio
import datetime as dt
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError, NotReady, SiteUnavailable
from datorum.core.match_key import key_text
from datorum.core.model import SiteRecord
from datorum.core.plan import at
from datorum.core.values import all_at
from datorum.settings import settings
from datorum.sites import Site, open_pages
from datorum.sites.rest.model import Link
from datorum.stations.basis import Target
from datorum.stations.imports import get_import
from datorum.stations.proof import links_of_type
from datorum.stations.sites import opened
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, snapshots
from datorum.store.database import session
from datorum.store.people import record
from datorum.store.queries import QUERIES

_LOOKED_AT = 20
"""As many records are looked at as people would see them."""


class Used(NamedTuple):
    """What came of it: the pages that were asked for and those that do not answer, none where there are none; and for
    each link of how many records that are meant the site was asked for what links to them, and how many showed it."""

    pages: dict[str, Any] | None
    back: dict[str, dict[str, int]]


async def proven_by_use(run_id: int) -> Used:
    """Look at some of the records of a run as people see them. What cannot be looked at is left; it takes nothing from
    what is proven."""
    with session() as store:
        run = store.get_one(models.Run, run_id)
        target, site = Target.kept(run.plan), get_import(store, run.plan.import_id).site
        spread = {"plan": run.plan_id, "run": run.id, "most": _LOOKED_AT}
        found = store.execute(QUERIES["spread_records"], spread).all()
        pages = [page for _, page in found if page]
        some = _as_the_site_has_them(store, target, site.id, {record_id for record_id, _ in found})
    return Used(await _looked_at(site.address, pages) if pages else None, await _shown_back(site, target, some))


async def _looked_at(address: str, pages: list[str]) -> dict[str, Any]:
    async with open_pages(address, allow_private=settings().allow_private_sites) as there:
        # What is elsewhere is not the site's own to answer for.
        answers = await asyncio.gather(*(there.look(page) for page in pages if there.has(page)))
    wrong = [one._asdict() for one in answers if one.status is None or one.status >= 400]
    return {"asked": len(answers), "wrong": wrong}


def _as_the_site_has_them(store: Session, target: Target, site_id: int, wanted: set[str]) -> list[SiteRecord]:
    kept = ready_snapshots(store, site_id).get(target.record_type.name)
    if kept is None or not links_of_type(target):
        return []
    return [
        one
        for chunk in snapshots.chunks(store, kept.id)
        for one in snapshots.records_in(chunk.filter(chunk[snapshots.ID].is_in(list(wanted))))
    ]


async def _shown_back(site: models.Site, target: Target, some: list[SiteRecord]) -> dict[str, dict[str, int]]:
    """For each link by which the site can be asked for records: of how many that are meant it was asked for those that
    link to them, and how many showed the one that does."""
    found: dict[str, dict[str, int]] = {}
    asking = [link for link in links_of_type(target) if "." not in link.field]
    if not asking or not some:
        return found
    async with opened(site, target.description, target.record_type.name, connections=2) as reached:
        for link in asking:
            if reached.finds_by(target.record_type.field(link.field)):
                try:
                    found[link.field] = await _asked_back(reached, target, link, some)
                except DatorumError:
                    continue
    return found


async def _asked_back(reached: Site, target: Target, link: Link, some: list[SiteRecord]) -> dict[str, int]:
    field = target.record_type.field(link.field)
    meant = {str(value): one.id for one in some for value in all_at(one.body, link.field) if value is not None}
    shown = await reached.find(field, list(meant))
    back = sum(
        any(one.id == record_id and str(at(one.body, link.field)) == value for one in
            shown.get(key_text(field, value) or "", []))
        for value, record_id in meant.items()
    )  # fmt: skip
    return {"asked": len(meant), "back": back}


async def sign_in_as(by: str, run_id: int, address: str, name: str, password: str) -> None:
    """Sign somebody in on a page of the site, with the password that they had before, and keep whether that went; the
    password is kept nowhere. Raises SiteUnavailable, SiteRefused, and NotReady before the site was read back."""
    with session() as store:
        run = store.get_one(models.Run, run_id)
        site = get_import(store, run.plan.import_id).site
        _latest(store, run_id)
    async with open_pages(site.address, allow_private=settings().allow_private_sites) as there:
        if not there.has(address):
            raise SiteUnavailable("That page is not one of the site.", remedy=f"Give one at {site.address}.")
        found = await there.sign_in(address, name, password)
    with session() as store:
        kept = _latest(store, run_id)
        told = {"name": name, "ok": found.ok, "why": found.why, "by": by,
                "at": dt.datetime.now(dt.UTC).isoformat(timespec="seconds")}  # fmt: skip
        kept.proof = {**kept.proof, "sign_ins": [*kept.proof.get("sign_ins", []), told]}
        record(store, by, "sign-in tried", f"run {run_id}", name=name, ok=found.ok)


def _latest(store: Session, run_id: int) -> models.Verification:
    kept = models.Verification
    asked = select(kept).where(kept.run_id == run_id, kept.ended_at.is_not(None)).order_by(kept.id.desc()).limit(1)
    found = store.scalars(asked.with_for_update()).first()
    if found is None:
        raise NotReady("The site was not read back after the run.", remedy="Verify first.")
    return found
