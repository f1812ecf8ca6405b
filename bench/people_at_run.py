"""Fifty people who look at overview, ledger and progress of an import of many rows (ROWS, 1,000,000) while a run of it
goes on: as its pages do, which listen to what is told of it and are walked on now and then, and as programs do that ask
each second how far it is; and how much slower the run goes meanwhile."""

from __future__ import annotations

import asyncio
import itertools
import os
import threading
import time
from collections.abc import Callable, Iterator
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
    with served_datorum([]) as (_, served, client):
        number = imported(client, many_rows(generate_customers(), ROWS))
        client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
        seen_until_over(client, number, "rehearse", 1.0)
        run = client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status().json()["run"]
        until(lambda: done(client, number) > 1_000, "the run", 60)
        signed = people_signed_in(client)
        before = rate(client, number, SECONDS / 2)
        for who in ("pages", "programs"):
            times, words, meanwhile = looked_at(
                served.url, client, signed, number, run["id"], program=who == "programs"
            )
            after = rate(client, number, SECONDS / 2)
            p95 = within(times, 0.95)
            print(f"{ROWS:,} rows, {PEOPLE} people's {who}, {len(times):,} answers and {words:,} words, no errors")
            report("95 % of their answers", [p95], "ms", f"250 ms, {'held' if p95 <= 250 else 'MISSED'}")
            report("the run with nobody looking", [before, after], "r/s", "the anchor")
            slower = 100 * (1 - meanwhile / ((before + after) / 2))
            said = f"{slower:.0f} % slower, bar 15 %, {'held' if slower <= 15 else 'MISSED'}"
            report("the run meanwhile", [meanwhile], "r/s", said)
            before = after
        client.post(f"/api/imports/{number}/runs/{run['id']}/pause").raise_for_status()


def looked_at(
    url: str, client: httpx.Client, signed: list[str], number: int, run_id: int, *, program: bool
) -> tuple[Times, int, float]:
    """What people wait for who look at an import, how many words they are told, and how many records a second the run
    sends meanwhile."""
    times: Times = []
    heard: list[int] = []

    async def everybody() -> None:
        until_over = time.monotonic() + SECONDS

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
    meanwhile = rate(client, number, SECONDS - 2)
    thread.join()
    return times, sum(heard), meanwhile


if __name__ == "__main__":
    main()
