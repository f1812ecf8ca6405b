"""All records of a site as a file, made while they are read."""

from __future__ import annotations

import asyncio
import csv
import io
import json
import zipfile
from collections.abc import Sequence

import httpx
import pytest

from datorum.core.errors import NotFound, SiteRefused
from datorum.sites import SignIn
from datorum.stations import sites
from datorum.stations.backup import backup_of, chosen_types
from datorum.store.database import session
from datorum.store.secrets import seal
from tests.processes import TOKEN, StandIn


def backup(site_id: int, names: Sequence[str] = ()) -> zipfile.ZipFile:
    async def whole() -> bytes:
        return b"".join([part async for part in backup_of(site_id, chosen_types(site_id, names))])

    return zipfile.ZipFile(io.BytesIO(asyncio.run(whole())))


def test_every_record_is_in_it_as_the_site_gives_it_and_as_a_row(connected: int, site: StandIn) -> None:
    site.take_duplicates()
    odd = {"email": "odd@quillmoss.example", "name": "=1+1", "notes": "Two\nlines"}
    headers = {"Authorization": f"Bearer {TOKEN}"}
    httpx.post(f"{site.url}/api/customers", json=odd, headers=headers, params={"notify": False}).raise_for_status()
    found = backup(connected, ["customers", "terms"])
    assert found.testzip() is None
    assert found.namelist() == ["customers.ndjson", "customers.csv", "terms.ndjson", "terms.csv"]
    lines = [json.loads(line) for line in found.read("customers.ndjson").splitlines()]
    assert len(lines) == 201
    assert (lines[-1]["name"], lines[-1]["notes"]) == ("=1+1", "Two\nlines")
    rows = list(csv.DictReader(io.StringIO(found.read("customers.csv").decode("utf-8-sig"))))
    assert len(rows) == 201
    assert rows[0]["address.city"] == lines[0]["address"]["city"]
    # No spreadsheet runs it.
    assert rows[-1]["name"] == "'=1+1"
    assert found.read("terms.ndjson") == b""


def test_all_types_are_in_it_where_none_is_named_and_one_that_is_not_there_is_told(connected: int) -> None:
    assert len(backup(connected).namelist()) == 24
    with pytest.raises(NotFound, match="keeps no growers"):
        chosen_types(connected, ["growers"])


def test_a_site_that_refuses_gives_no_file(connected: int) -> None:
    with session() as store:
        sites.get_site(store, connected).sealed_sign_in = seal(SignIn(token="another").model_dump_json())
    with pytest.raises(SiteRefused):
        backup(connected, ["customers"])
