"""Fifty people who look at overview, ledger and progress of an import of many rows (ROWS, 1,000,000) while a run of it
goes on: as its pages do, which listen to what is told of it and are walked on now and then, and as programs do that ask
each second how far it is; and how much slower the run goes meanwhile. The site is on the same processors, which are all
that there is, and then far away, where it takes none."""

from __future__ import annotations

import asyncio
import itertools
import os
import statistics
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractAsyncContextManager
from typing import NamedTuple

import aiohttp
import httpx

from bench.figures import report
from bench.people import PEOPLE, Asks, Times, look, overview_and_ledger, people_signed_in, within
from bench.run_rate import AGREED, FAR_MS
from bench.served import imported, many_rows, seen_until_over, served_datorum
from demo.data import generate_customers
from tests.processes import until

ROWS = int(os.environ.get("ROWS", "1000000"))
ALONE, LOOKED_AT, TURNS = 8.0, 12.0, 3
"""Seconds for which nobody looks, and then all, by turns: the machine is another every few seconds."""
_WALKS_ON = 5


def asks_of(url: str, number: int, run_id: int, begins: int, *, program: bool) -> Asks:
    """Each fifth second, each person at another, the overview and some records of the plan; and where no page does it
    that is told, each second how far the run is."""
    seconds = itertools.count(begins)

    def asks(http: aiohttp.ClientSession, offset: int) -> Iterator[AbstractAsyncContextManager[aiohttp.ClientResponse]]:
        if program:
            yield http.get(f"{url}/api/imports/{number}/runs/{run_id}/progress")
        if next(seconds) % _WALKS_ON == 0:
            yield from overview_and_ledger(url, number, "rehearse")(http, offset)

    return asks


async def told(url: str, signed: str, number: int, over: Callable[[], bool]) -> int:
    """Listen to what is told of an import, as every page does that shows it. How often something was."""
    words = 0
    token, _ = signed.split(" ")
    async with (
        aiohttp.ClientSession(headers={"Cookie": f"datorum={token}"}) as http,
        http.get(f"{url}/api/imports/{number}/events") as answer,
    ):
        assert answer.status == 200
        async for line in answer.content:
            words += line.startswith(b"data: ")
            if over():
                break
    return words


def done(client: httpx.Client, number: int) -> int:
    return int(client.get(f"/api/imports/{number}/told").raise_for_status().json()["run"]["done"])


def rate(client: httpx.Client, number: int, seconds: float) -> float:
    """Records a second that the run sends meanwhile."""
    before, began = done(client, number), time.monotonic()
    time.sleep(seconds)
    return (done(client, number) - before) / (time.monotonic() - began)


def main() -> None:
    with served_datorum([]) as (site, served, client):
        number = imported(client, many_rows(generate_customers(), ROWS))
        client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
        seen_until_over(client, number, "rehearse", 1.0)
        run = client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status().json()["run"]
        until(lambda: done(client, number) > 1_000, "the run", 60)
        signed = people_signed_in(client)
        for who, delay_ms in (("pages", 0), ("programs", 0), ("pages", FAR_MS)):
            site.behave(delay_ms=delay_ms)
            times: Times = []
            words, meanwhile, alone = 0, list[float](), [rate(client, number, ALONE)]
            for _ in range(TURNS):
                seen = looked_at(served.url, client, signed, number, run["id"], program=who == "programs")
                times += seen.times
                words += seen.words
                meanwhile.append(seen.rate)
                alone.append(rate(client, number, ALONE))
            p95 = within(times, 0.95)
            print(f"{ROWS:,} rows, {PEOPLE} people's {who}, {len(times):,} answers and {words:,} words, no errors")
            print(f"  a site {f'that answers after {delay_ms} ms' if delay_ms else 'on the same processors'}")
            report("95 % of their answers", [p95], "ms", f"250 ms, {'held' if p95 <= 250 else 'MISSED'}")
            report("the run with nobody looking", alone, "r/s", "the anchor")
            report("the run meanwhile", meanwhile, "r/s", "")
            beside = zip(alone, alone[1:], meanwhile, strict=False)
            shares = [100 * (1 - now / ((before + after) / 2)) for before, after, now in beside]
            slower = statistics.median(shares)
            report("so much slower", shares, "%", f"15 %, {'held' if slower <= 15 else 'MISSED'}: {slower:.0f} %")
        client.post(f"/api/imports/{number}/runs/{run['id']}/pause").raise_for_status()


class LookedAt(NamedTuple):
    """What people waited for, how many words they were told, and how many records a second the run sent meanwhile."""

    times: Times
    words: int
    rate: float


def looked_at(
    url: str, client: httpx.Client, signed: list[str], number: int, run_id: int, *, program: bool
) -> LookedAt:
    """A turn in which people look at an import."""
    times: Times = []
    heard: list[int] = []

    async def everybody() -> None:
        until_over = time.monotonic() + LOOKED_AT

        def over() -> bool:
            return time.monotonic() > until_over

        looking = (
            look(one, asks_of(url, number, run_id, at, program=program), times, over, at / PEOPLE)
            for at, one in enumerate(signed)
        )
        listening = asyncio.gather(*(told(url, one, number, over) for one in ([] if program else signed)))
        await asyncio.gather(*looking)
        heard.extend(await listening)

    thread = threading.Thread(target=lambda: asyncio.run(everybody()))
    thread.start()
    # Each begins at a moment of its own, within a second.
    time.sleep(1.0)
    meanwhile = rate(client, number, LOOKED_AT - 2)
    thread.join()
    return LookedAt(times, sum(heard), meanwhile)


if __name__ == "__main__":
    main()
