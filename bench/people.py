"""People who look at overview and ledger of an import of 100,000 rows once a second: 50 with nothing else going on, and
20 while somebody gives the server files and formulas made to do harm."""

from __future__ import annotations

import asyncio
import statistics
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractAsyncContextManager
from pathlib import Path
from threading import Event, Thread

import aiohttp
import httpx

from bench.figures import report
from bench.served import imported, many_rows, seen_until_over, served_datorum
from demo.data import generate_customers
from tests.processes import PASSWORD
from tests.reader_files import HARMFUL

ROWS = 100_000
PEOPLE = 50
SECONDS = 30.0
BESIDE_HARM = 20
FORMULAS = (
    '=SUBSTITUTE(REPT([Name];9000);"a";REPT([Name];9000))',
    '=REPT("ab";1E9)',
    "=" + "+".join(["1"] * 10_000),
    "=" + "(" * 5_000 + "1" + ")" * 5_000,
    '=SEARCH("a*a*a*a*a*a*a*a*b";REPT("a";30000))',
    '=MATCHES(REPT("a";30000);"(a+)+$x")',
    "=COMBIN(1E15;5E14)",
    '=CLEANHTML(REPT("<b>";20000))',
    "=" + "&".join(['LEFT(UPPER(REPT("a";30000));1)'] * 120),
)
Times = list[tuple[float, float]]
"""When each answer was asked for, and after how many seconds it was there."""


Asks = Callable[[aiohttp.ClientSession, int], Iterator[AbstractAsyncContextManager[aiohttp.ClientResponse]]]
"""What one person asks for in a second, with records from a place on."""


def overview_and_ledger(url: str, number: int, station: str = "check") -> Asks:
    """The overview, and the next few records of the ledger."""

    def asks(http: aiohttp.ClientSession, offset: int) -> Iterator[AbstractAsyncContextManager[aiohttp.ClientResponse]]:
        yield http.get(f"{url}/api/imports/{number}")
        asked = {"station": station, "records": "first", "offset": offset, "count": 7}
        yield http.post(f"{url}/api/imports/{number}/ledger", json=asked)

    return asks


async def look(signed: str, asks: Asks, times: Times, over: Callable[[], bool], delay: float) -> None:
    """One person, who is signed in, once a second."""
    await asyncio.sleep(delay)
    offset = 0
    token, csrf = signed.split(" ")
    async with aiohttp.ClientSession(headers={"Cookie": f"datorum={token}", "X-CSRF-Token": csrf}) as http:
        while not over():
            began = time.monotonic()
            for ask in asks(http, offset):
                sent = time.monotonic()
                async with ask as response:
                    assert response.status == 200, await response.text()
                    await response.read()
                times.append((sent, time.monotonic() - sent))
            offset = (offset + 7) % 5_000
            await asyncio.sleep(max(1 - (time.monotonic() - began), 0))


def people_signed_in(client: httpx.Client) -> list[str]:
    """What each of them shows to be let in."""
    signed = []
    for _ in range(PEOPLE):
        answer = client.post("/api/session", json={"name": "ada", "password": PASSWORD}).raise_for_status()
        client.headers["X-CSRF-Token"] = answer.json()["csrf"]
        signed.append(f"{answer.cookies['datorum']} {answer.json()['csrf']}")
    return signed


def times_of(url: str, signed: list[str], number: int, over: Callable[[], bool]) -> Times:
    """What so many people wait for, until it is over."""
    times: Times = []

    async def everybody() -> None:
        await asyncio.gather(
            *(look(one, overview_and_ledger(url, number), times, over, at / len(signed))
              for at, one in enumerate(signed))
        )  # fmt: skip

    asyncio.run(everybody())
    return times


def within(times: Times, share: float) -> float:
    """The milliseconds within which this share of the answers came."""
    ms = sorted(1000 * took for _, took in times)
    return ms[min(int(share * len(ms)), len(ms) - 1)]


def answers_to_harm(client: httpx.Client, number: int) -> Iterator[tuple[str, int, float]]:
    """Each harmful file as an upload, each harmful formula as a preview: its name, the status, and the seconds."""
    form = {"site_id": "1", "record_type": "customers"}
    for name, (make, _) in HARMFUL.items():
        data = make()
        began = time.monotonic()
        answer = client.post("/api/imports", files={"file": (name, data)}, data=form)
        assert answer.status_code not in (401, 403), answer.text
        yield name, answer.status_code, time.monotonic() - began
    for text in FORMULAS:
        began = time.monotonic()
        answer = client.post(f"/api/imports/{number}/formula", json={"text": text, "rows": list(range(2, 52))})
        yield text[:40], answer.status_code, time.monotonic() - began


def beside_harm(url: str, client: httpx.Client, signed: list[str], number: int) -> None:
    """What people wait for while harmful files and formulas come one after the other."""
    done = Event()
    answers: list[tuple[str, int, float]] = []

    def harm() -> None:
        try:
            answers.extend(answers_to_harm(client, number))
        finally:
            done.set()

    thread = Thread(target=harm)
    thread.start()
    times = times_of(url, signed, number, done.is_set)
    thread.join()
    for name, status, took in answers:
        print(f"  {name:<44} {status} after {took:.1f} s")
    odd = [name for name, status, _ in answers if status >= 500]
    report("longest answer to a harmful file or formula", [max(took for _, _, took in answers)], "s", "45 s")
    print(f"  harmful ones answered with 5xx: {', '.join(odd) or 'none'}")
    p95 = within(times, 0.95)
    report("95 % of 20 people's answers meanwhile", [p95], "ms", f"400 ms, {'held' if p95 <= 400 else 'MISSED'}")


def memory_mb(pid: int) -> float:
    line = next(one for one in Path(f"/proc/{pid}/status").read_text().splitlines() if one.startswith("VmRSS"))
    return int(line.split()[1]) / 1024


def main() -> None:
    demo = generate_customers()
    with served_datorum(demo.on_site) as (_, served, client):
        number = imported(client, many_rows(demo, ROWS))
        client.post(f"/api/imports/{number}/check").raise_for_status()
        seen_until_over(client, number, "check", 0.5)
        signed = people_signed_in(client)
        before = memory_mb(served.pid)
        begun = time.monotonic()
        times = times_of(served.url, signed, number, lambda: time.monotonic() > begun + SECONDS)
        for at in range(0, int(SECONDS), 10):
            window = [one for one in times if at <= one[0] - begun < at + 10]
            report(f"95 % within, of seconds {at} to {at + 10}", [within(window, 0.95)], "ms", "")
        p95 = within(times, 0.95)
        report("answers a second", [len(times) / SECONDS], "", f"{PEOPLE} people ask for {2 * PEOPLE}")
        report("half of the answers within", [statistics.median(1000 * took for _, took in times)], "ms", "")
        report("95 % of the answers within", [p95], "ms", f"200 ms, {'held' if p95 <= 200 else 'MISSED'}")
        report("memory of the server before and after", [before, memory_mb(served.pid)], "MB", "flat")
        beside_harm(served.url, client, signed[:BESIDE_HARM], number)


if __name__ == "__main__":
    main()
