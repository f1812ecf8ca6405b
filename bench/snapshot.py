"""How fast 100,000 records are read from the stand-in, beside a bare loop of requests, and what memory that takes."""

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
from datorum.sites import SignIn, describe, fetch_document, open_rest_site
from demo.data import CustomersDemo
from tests.processes import TOKEN, StandIn

RECORDS = 100_000
_EACH = 200
_TURNS = 3


def _fill(site: StandIn, demo: CustomersDemo) -> None:
    with (
        psycopg.connect(site.database_url) as connection,
        connection.cursor().copy("COPY customer (body) FROM STDIN") as copy,
    ):
        for number in range(len(demo.on_site), RECORDS):
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


async def _ours(site: StandIn) -> float:
    sign_in = SignIn(token=TOKEN)
    document = await fetch_document(site.description_url, sign_in, allow_private=True)
    description = describe(document, site.description_url)
    began, seen = time.perf_counter(), 0
    async with open_rest_site(description, "customers", sign_in, allow_private=True) as reached:
        async for page in reached.read_all():
            seen += len(page.records)
    assert seen == RECORDS
    return time.perf_counter() - began


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    with surroundings() as (site, demo):
        _fill(site, demo)
        before = _peak()
        ours, bare = [], []
        for _ in range(_TURNS):
            ours.append(asyncio.run(_ours(site)))
            bare.append(asyncio.run(_bare(site)))
        grown = _peak() - before
    anchor = f"{RECORDS / min(bare):,.0f}/s bare"
    report("100,000 records read from a site", [RECORDS / one for one in ours], "records/s", anchor)
    report("memory that reading them takes on top", [grown], "MB", "flat")


if __name__ == "__main__":
    main()
