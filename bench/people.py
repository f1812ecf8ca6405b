"""50 people who look at overview and ledger of an import of 100,000 rows once a second."""

from __future__ import annotations

import asyncio
import statistics
import time
from pathlib import Path
from tempfile import NamedTemporaryFile

import aiohttp

from bench.figures import told
from datorum.store.cluster import LocalCluster
from demo.data import CustomersDemo, generate_customers
from tests.processes import PASSWORD, Served, StandIn, free_ports

PEOPLE = 50
SECONDS = 30
ROWS = 100_000


def many_rows(demo: CustomersDemo, rows: int) -> bytes:
    """The demo sheet over and over, every e-mail another."""
    header, *lines = demo.csv.split(b"\r\n" if b"\r\n" in demo.csv else b"\n")
    whole = [line for line in lines if line.count(b",") >= header.count(b",") and b"@" in line and b'"' not in line]
    return b"\n".join(
        [header, *(line.replace(b"@", b"+%d@" % (number // len(whole)), 1)
                   for number, line in ((n, whole[n % len(whole)]) for n in range(rows)))]
    )  # fmt: skip


async def look(
    url: str, cookie: str, number: int, times: list[tuple[float, float]], until: float, delay: float
) -> None:
    """One person: the overview, and the next few records of the ledger, each once a second."""
    await asyncio.sleep(delay)
    offset = 0
    token, csrf = cookie.split(" ")
    async with aiohttp.ClientSession(headers={"Cookie": f"datorum={token}", "X-CSRF-Token": csrf}) as http:
        while time.monotonic() < until:
            began = time.monotonic()
            for ask in (
                http.get(f"{url}/api/imports/{number}"),
                http.post(
                    f"{url}/api/imports/{number}/ledger",
                    json={"station": "check", "records": "first", "offset": offset, "count": 7},
                ),
            ):
                sent = time.monotonic()
                async with ask as response:
                    assert response.status == 200, await response.text()
                    await response.read()
                times.append((sent, time.monotonic() - sent))
            offset = (offset + 7) % 5_000
            await asyncio.sleep(max(1 - (time.monotonic() - began), 0))


def memory_mb(pid: int) -> float:
    line = next(one for one in Path(f"/proc/{pid}/status").read_text().splitlines() if one.startswith("VmRSS"))
    return int(line.split()[1]) / 1024


def main() -> None:
    demo = generate_customers()
    home = Path(__file__).parents[1] / ".datorum" / "bench"
    cluster = LocalCluster(home / "postgres")
    cluster.start()
    for database in ("quillmoss", "served"):
        cluster.drop(database)
    with (
        StandIn(cluster.url("quillmoss"), free_ports(3), demo.on_site) as site,
        Served(cluster.url("served"), home, free_ports(1)[0], site) as served,
        served.signed_in("ada") as client,
        NamedTemporaryFile(suffix=".csv") as file,
    ):
        file.write(many_rows(demo, ROWS))
        file.flush()
        with Path(file.name).open("rb") as data:
            form = {"site_id": "1", "record_type": "customers"}
            made = client.post("/api/imports", files={"file": ("many.csv", data)}, data=form).json()
        client.post(f"/api/imports/{made['id']}/check").raise_for_status()
        while client.get(f"/api/imports/{made['id']}").json()["check"] is None:
            time.sleep(0.5)
        signed = []
        for _ in range(PEOPLE):
            answer = client.post("/api/session", json={"name": "ada", "password": PASSWORD})
            signed.append(f"{answer.cookies['datorum']} {answer.json()['csrf']}")
        before = memory_mb(served.pid)
        times: list[tuple[float, float]] = []
        begun = time.monotonic()

        async def everybody() -> None:
            until = time.monotonic() + SECONDS
            await asyncio.gather(
                *(look(served.url, one, made["id"], times, until, at / PEOPLE) for at, one in enumerate(signed))
            )

        asyncio.run(everybody())
        ms = sorted(1000 * one for _, one in times)
        p95 = ms[int(0.95 * len(ms))]
        for at in range(0, SECONDS, 10):
            window = sorted(1000 * took for sent, took in times if at <= sent - begun < at + 10)
            told(f"95 % within, of seconds {at} to {at + 10}", [window[int(0.95 * len(window))]], "ms", "")
        told("answers a second", [len(ms) / SECONDS], "", f"{PEOPLE} people ask for {2 * PEOPLE}")
        told("half of the answers within", [statistics.median(ms)], "ms", "")
        told("95 % of the answers within", [p95], "ms", f"200 ms, {'held' if p95 <= 200 else 'MISSED'}")
        told("memory of the server before and after", [before, memory_mb(served.pid)], "MB", "flat")
    cluster.stop()


if __name__ == "__main__":
    main()
