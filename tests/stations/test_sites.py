"""A site is changed, tried again and removed, and its token goes only where a person said."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

import pytest

from datorum.core.errors import Conflict, NotFound, SiteRefused, SiteUnavailable
from datorum.sites import SignIn
from datorum.stations import sites
from datorum.store import models
from datorum.store.database import session
from tests.processes import TOKEN, StandIn, unguessable
from tests.stations.conftest import Journey


def change(site_id: int, **parts: Any) -> models.Site:
    return asyncio.run(sites.change_site("bo", site_id, **parts))


def kept(site_id: int) -> models.Site:
    with session() as store:
        return sites.get_site(store, site_id)


def test_a_site_gets_another_name_and_keeps_its_token(connected: int) -> None:
    name = unguessable()
    before = kept(connected).described_at
    assert change(connected, name=name).name == name
    assert kept(connected).described_at > before
    assert change(connected).name == name


def test_what_does_not_work_changes_nothing(connected: int, site: StandIn) -> None:
    before = kept(connected)
    with pytest.raises(SiteRefused):
        change(connected, name="Other", sign_in=SignIn(token="no token of its"))
    with pytest.raises(SiteUnavailable):
        change(connected, name="Other", address=f"{site.url}/no-such-document.json")
    after = kept(connected)
    assert (after.name, after.address, after.sealed_sign_in) == (
        before.name,
        before.address,
        before.sealed_sign_in,
    )


def test_a_token_does_not_follow_to_another_server(connected: int, site: StandIn) -> None:
    elsewhere = site.description_url.replace("127.0.0.1", "localhost")
    with pytest.raises(Conflict, match="another server"):
        change(connected, address=elsewhere)
    assert kept(connected).address == site.description_url


def test_two_sites_do_not_share_a_name(connected: int, site: StandIn) -> None:
    other = asyncio.run(sites.connect_site("ada", unguessable(), site.description_url, SignIn(token=TOKEN)))
    with pytest.raises(Conflict, match="Another site"):
        change(connected, name=other.name)
    assert kept(connected).name != other.name


def test_a_site_that_imports_go_to_stays_and_one_that_none_goes_to_can_be_removed(
    connected: int, begin: Callable[[bytes], Journey]
) -> None:
    journey = begin(b"E-mail;Name\na@quillmoss.example;A\n")
    with session() as store, pytest.raises(Conflict, match="1 import goes"):
        sites.remove_site(store, "bo", connected)
    with session() as store:
        store.delete(store.get_one(models.Import, journey.import_id))
    with session() as store:
        sites.remove_site(store, "bo", connected)
    with pytest.raises(NotFound):
        kept(connected)
    with pytest.raises(NotFound):
        change(connected)
