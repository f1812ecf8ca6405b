"""The snapshot of a site as a file."""

from __future__ import annotations

import asyncio
import csv
import io
import json
import zipfile
from collections.abc import Sequence

import httpx
import pytest

from datorum.core.errors import NotFound, NotReady
from datorum.stations import snapshots
from datorum.stations.backup import backup_of
from datorum.store.database import session
from tests.processes import TOKEN, StandIn


def read(site_id: int, *names: str) -> None:
    with session() as store:
        started = [one.id for one in snapshots.start_snapshots(store, "ada", site_id, names)]
    for number in started:
        asyncio.run(snapshots.take(number))


def backup(site_id: int, names: Sequence[str] = ()) -> zipfile.ZipFile:
    return zipfile.ZipFile(io.BytesIO(b"".join(backup_of(site_id, names))))


def test_every_record_is_in_it_as_the_site_gives_it_and_as_a_row(connected: int, site: StandIn) -> None:
    site.take_duplicates()
    odd = {"email": "odd@quillmoss.example", "name": "=1+1", "notes": "Two\nlines"}
    headers = {"Authorization": f"Bearer {TOKEN}"}
    httpx.post(
        f"{site.url}/api/customers", json=odd, headers=headers, params={"notify": False}, timeout=180
    ).raise_for_status()
    read(connected, "customers", "comments")
    found = backup(connected, ["customers", "comments"])
    assert found.testzip() is None
    assert found.namelist() == ["customers.ndjson", "customers.csv", "comments.ndjson", "comments.csv"]
    lines = [json.loads(line) for line in found.read("customers.ndjson").splitlines()]
    assert len(lines) == 201
    assert (lines[-1]["name"], lines[-1]["notes"]) == ("=1+1", "Two\nlines")
    rows = list(csv.DictReader(io.StringIO(found.read("customers.csv").decode("utf-8-sig"))))
    assert len(rows) == 201
    assert rows[0]["address.city"] == lines[0]["address"]["city"]
    # No spreadsheet runs it.
    assert rows[-1]["name"] == "'=1+1"
    assert found.read("comments.ndjson") == b""


def test_what_was_read_is_in_it_where_nothing_is_named_and_what_was_not_is_told(connected: int) -> None:
    with pytest.raises(NotReady, match="Nothing was read of the site yet"):
        backup_of(connected, [])
    read(connected, "terms", "users")
    assert backup(connected).namelist() == ["terms.ndjson", "terms.csv", "users.ndjson", "users.csv"]
    with pytest.raises(NotReady, match="Nothing was read of customers yet"):
        backup_of(connected, ["customers"])
    with pytest.raises(NotFound, match="keeps no growers"):
        backup_of(connected, ["growers"])
