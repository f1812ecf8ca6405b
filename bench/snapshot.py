"""How fast 100,000 records of the stand-in are read into a snapshot, beside a bare loop of requests that keeps nothing,
and what memory that takes."""

from __future__ import annotations

import asyncio
import resource
import time

import aiohttp
import orjson
import psycopg
from psycopg.types.json import Jsonb

from bench.figures import report
from bench.surroundings import surroundings
from datorum.sites import SignIn
from datorum.stations import sites, snapshots
from datorum.store import models
from datorum.store.database import session
from demo.data import CustomersDemo
from tests.processes import TOKEN, StandIn

RECORDS = 100_000
_FEWER = 20_000
"""What a fifth of them takes is taken for granted: memory is to be no more for all."""
_EACH = 200
_TURNS = 3


def _fill(site: StandIn, demo: CustomersDemo, numbers: range) -> None:
    with (
        psycopg.connect(site.database_url) as connection,
        connection.cursor().copy("COPY customer (body) FROM STDIN") as copy,
    ):
        for number in numbers:
            body = demo.on_site[number % len(demo.on_site)]
            copy.write_row([Jsonb({**body, "email": f"{number}.{body['email']}"})])
    with psycopg.connect(site.database_url, autocommit=True) as connection:
        connection.execute("VACUUM ANALYZE customer")


async def _bare(site: StandIn) -> float:
    began, seen, page = time.perf_counter(), 0, 1
    async with aiohttp.ClientSession(headers={"Authorization": f"Bearer {TOKEN}"}) as session:
        while True:
            asked = {"page": str(page), "per_page": str(_EACH)}
            async with session.get(f"{site.url}/api/customers", params=asked) as answer:
                items = orjson.loads(await answer.read())["items"]
            if not items:
                break
            seen, page = seen + len(items), page + 1
    assert seen == RECORDS
    return time.perf_counter() - began


def _ours(site_id: int) -> float:
    with session() as store:
        [number] = [one.id for one in snapshots.start_snapshots(store, "bench", site_id, ["customers"])]
    began = time.perf_counter()
    asyncio.run(snapshots.take(number))
    took = time.perf_counter() - began
    with session() as store:
        kept = store.get_one(models.Snapshot, number)
        assert kept.state == "ready"
    return took


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    with surroundings() as (site, demo):
        _fill(site, demo, range(len(demo.on_site), _FEWER))
        sign_in = SignIn(token=TOKEN)
        connected = asyncio.run(sites.connect_site("bench", "stand-in", site.description_url, sign_in)).id
        _ours(connected)
        before = _peak()
        _fill(site, demo, range(_FEWER, RECORDS))
        ours, bare = [], []
        for _ in range(_TURNS):
            ours.append(_ours(connected))
            bare.append(asyncio.run(_bare(site)))
        grown = _peak() - before
    anchor = f"{RECORDS / min(bare):,.0f}/s bare"
    report("100,000 records of a site read and kept", [RECORDS / one for one in ours], "records/s", anchor)
    report("memory that they take more than 20,000 of them", [grown], "MB", "flat")


if __name__ == "__main__":
    main()
