"""How fast a run changes a site, in life: a server and its worker, PostgreSQL that waits for its disk, somebody looking
on; creates and updates, few and many; beside a bare aiohttp loop and the load generator wrk that send the same bodies
to the same site."""

from __future__ import annotations

import asyncio
import re
import shutil
import statistics
import subprocess
import sys
import time
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, NamedTuple
from urllib.parse import urlsplit

import aiohttp
import httpx
import orjson
import psycopg

from bench.figures import report
from bench.served import imported, many_rows, seen_until_over, served_datorum
from datorum.core.plan import nest
from datorum.core.plan.frame import rows_of
from datorum.core.table.packed import unpacked
from datorum.settings import settings
from demo.data import generate_customers
from tests.processes import TOKEN, Served, StandIn

SIZES = (2_400, 100_000)
AGREED = ["mail", "snapshot", "backup", "columns", "pilot", "disk", "site"]
WINDOW = 10.0
LOOKS_EVERY = 0.5


class Write(NamedTuple):
    """One request of a plan: the record it changes, or None for a new one, its entity tag and its body."""

    record: str | None
    etag: str | None
    body: bytes


def writes_of(served: Served, number: int) -> list[Write]:
    """What the plan of an import sends."""
    with psycopg.connect(served.database_url) as connection:
        chunks = connection.execute(
            "SELECT c.parquet FROM plan_chunk c JOIN plan p ON p.id = c.plan_id WHERE p.import_id = %s"
            " ORDER BY p.id, c.number",
            [number],
        )
        return [
            Write(row.record_id, row.etag, orjson.dumps(nest({p: c.after for p, c in row.changes.items()})))
            for (data,) in chunks
            for row in rows_of(unpacked(data))
            if row.action.sends
        ]


def windows(seen: list[tuple[float, int]]) -> list[float]:
    """Records a second in each ten seconds."""
    marks = [seen[0]]
    for at, done in seen:
        if at - marks[-1][0] >= WINDOW:
            marks.append((at, done))
    marks.append(seen[-1])
    return [(b[1] - a[1]) / (b[0] - a[0]) for a, b in pairwise(marks) if b[0] > a[0]]


async def bare(url: str, writes: list[Write]) -> float:
    """Requests a second of the plainest loop: as many tasks as a run has, each sending the next body."""
    queue = iter(writes)
    headers = {"Authorization": f"Bearer {TOKEN}", "Content-Type": "application/json"}
    connector = aiohttp.TCPConnector(limit=settings().concurrency)
    async with aiohttp.ClientSession(headers=headers, connector=connector) as http:

        async def send() -> None:
            for record, etag, body in queue:
                method, address = ("POST", url) if record is None else ("PATCH", f"{url}/{record}")
                tagged = {"If-Match": etag} if etag else {}
                asked: dict[str, Any] = {"data": body, "params": {"notify": "false"}, "headers": tagged}
                async with http.request(method, address, **asked) as response:
                    assert response.status in (200, 201), await response.text()
                    await response.read()

        began = time.perf_counter()
        await asyncio.gather(*(send() for _ in range(settings().concurrency)))
        return len(writes) / (time.perf_counter() - began)


_LUA = """
local requests, at = {}, 0
for line in io.lines("%s") do
  local method, path, etag, body = line:match("^([^\\t]*)\\t([^\\t]*)\\t([^\\t]*)\\t(.*)$")
  local headers = {["Authorization"] = "Bearer %s", ["Content-Type"] = "application/json"}
  if etag ~= "" then headers["If-Match"] = etag end
  requests[#requests + 1] = {method, path, headers, body}
end
function request()
  at = at + 1
  local one = requests[at]
  if not one then wrk.thread:stop() one = requests[#requests] end
  return wrk.format(one[1], one[2], one[3], one[4])
end
"""


def wrk(url: str, writes: list[Write], at_least: float) -> float | None:
    """Requests a second of the load generator wrk (Debian), each body once, as many at a time as a run has, for as long
    as half of them take at a rate; none where it is not installed."""
    if shutil.which("wrk") is None:
        return None
    where, seconds = urlsplit(url), max(int(len(writes) / 2 / at_least), 2)
    with TemporaryDirectory(prefix="datorum-wrk-") as folder:
        requests, script = Path(folder) / "requests", Path(folder) / "requests.lua"
        with requests.open("wb") as file:
            for record, etag, body in writes:
                method, path = ("POST", where.path) if record is None else ("PATCH", f"{where.path}/{record}")
                file.write(f"{method}\t{path}?notify=false\t{etag or ''}\t".encode() + body + b"\n")
        script.write_text(_LUA % (requests, TOKEN))
        command = ["wrk", "-t1", f"-c{settings().concurrency}", f"-d{seconds}s", "-s", str(script), url]
        said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    # What it leaves on its way still arrives.
    time.sleep(1)
    # None came twice, so that all were taken.
    assert "Non-2xx" not in said, said
    found = re.search(r"Requests/sec:\s+([\d.]+)", said)
    assert found is not None, said
    return float(found[1])


def main(sizes: tuple[int, ...] = SIZES) -> None:
    demo = generate_customers()
    with served_datorum([]) as (site, served, client):
        for size in sizes:
            site.reset()
            sheet = many_rows(demo, size)
            changed = sheet.replace(b",Norway", b",Sweden").replace(b"Seedling", b"Grove")
            for kind, data in (("creates", sheet), ("updates", changed)):
                print(f"{size:,} rows, {kind}")
                measure(site, served, client, data)


def measure(site: StandIn, served: Served, client: httpx.Client, data: bytes) -> None:
    """Run one file's plan, put the site back to where it was, and send the same by the bare loop."""
    number = imported(client, data)
    began = time.perf_counter()
    client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
    seen_until_over(client, number, "rehearse", LOOKS_EVERY)
    report("  rehearsed", [time.perf_counter() - began], "s", "")
    writes = writes_of(served, number)
    with site.kept():
        client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status()
        ours = windows(seen_until_over(client, number, "run", LOOKS_EVERY))
    with site.kept():
        fastest = wrk(f"{site.url}/api/customers", writes, statistics.mean(ours))
    anchor = asyncio.run(bare(f"{site.url}/api/customers", writes))
    report(f"  a bare loop, {len(writes):,} records", [anchor], "r/s", "the anchor")
    report("  a run, by windows of 10 s", ours, "r/s", "no slower at its end")
    share = 100 * statistics.mean(ours) / anchor
    report("  the run's share of the anchor", [share], "%", f"80 %, {'held' if share >= 80 else 'MISSED'}")
    if fastest is None:
        print("  wrk is not installed (Debian: wrk)")
    else:
        report("  wrk", [fastest], "r/s", "the anchor")
        share = 100 * statistics.mean(ours) / fastest
        report("  the run's share of wrk's", [share], "%", f"95 %, {'held' if share >= 95 else 'MISSED'}")
    print("  windows: " + ", ".join(f"{rate:,.0f}" for rate in ours))


if __name__ == "__main__":
    main(tuple(int(one) for one in sys.argv[1:]) or SIZES)
