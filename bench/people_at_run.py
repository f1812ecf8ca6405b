"""Fifty people who look at overview, ledger and progress of an import of many rows (ROWS, 1,000,000) every second while
a run of it goes on; and how much slower that goes meanwhile."""

from __future__ import annotations

import asyncio
import os
import threading
import time
from collections.abc import Iterator
from contextlib import AbstractAsyncContextManager

import aiohttp
import httpx

from bench.figures import report
from bench.people import PEOPLE, Asks, Times, look, overview_and_ledger, people_signed_in, within
from bench.run_rate import AGREED
from bench.served import imported, many_rows, seen_until_over, served_datorum
from demo.data import generate_customers
from tests.processes import until

ROWS = int(os.environ.get("ROWS", "1000000"))
SECONDS = 30.0


def with_progress(url: str, number: int, run_id: int) -> Asks:
    """The overview, some records of the plan, and how far the run is."""

    def asks(http: aiohttp.ClientSession, offset: int) -> Iterator[AbstractAsyncContextManager[aiohttp.ClientResponse]]:
        yield from overview_and_ledger(url, number, "rehearse")(http, offset)
        yield http.get(f"{url}/api/imports/{number}/runs/{run_id}/progress")

    return asks


def done(client: httpx.Client, number: int) -> int:
    return int(client.get(f"/api/imports/{number}/told").raise_for_status().json()["run"]["done"])


def rate(client: httpx.Client, number: int, seconds: float) -> float:
    """Records a second that the run sends meanwhile."""
    before, began = done(client, number), time.monotonic()
    time.sleep(seconds)
    return (done(client, number) - before) / (time.monotonic() - began)


def main() -> None:
    with served_datorum([]) as (_, served, client):
        number = imported(client, many_rows(generate_customers(), ROWS))
        client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
        seen_until_over(client, number, "rehearse", 1.0)
        run = client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status().json()["run"]
        until(lambda: done(client, number) > 1_000, "the run", 60)
        alone = rate(client, number, SECONDS / 2)
        signed = people_signed_in(client)
        times: Times = []

        async def everybody() -> None:
            asks, until_over = with_progress(served.url, number, run["id"]), time.monotonic() + SECONDS

            def over() -> bool:
                return time.monotonic() > until_over

            await asyncio.gather(*(look(one, asks, times, over, at / PEOPLE) for at, one in enumerate(signed)))

        thread = threading.Thread(target=lambda: asyncio.run(everybody()))
        thread.start()
        meanwhile = rate(client, number, SECONDS - 2)
        thread.join()
        after = rate(client, number, SECONDS / 2)
        client.post(f"/api/imports/{number}/runs/{run['id']}/pause").raise_for_status()
    p95 = within(times, 0.95)
    print(f"{ROWS:,} rows, {PEOPLE} people, {len(times):,} answers, no errors")
    report("95 % of their answers", [p95], "ms", f"250 ms, {'held' if p95 <= 250 else 'MISSED'}")
    report("the run with nobody looking", [alone, after], "r/s", "the anchor")
    slower = 100 * (1 - meanwhile / ((alone + after) / 2))
    report("the run meanwhile", [meanwhile], "r/s", f"{slower:.0f} % slower, bar 15 %")


if __name__ == "__main__":
    main()
