"""How fast a run changes a site, in life: a server and its worker, PostgreSQL that waits for its disk, somebody looking
on; creates and updates, few and many; beside a bare aiohttp loop and the load generator wrk that send the same bodies
to the same site."""

from __future__ import annotations

import asyncio
import csv
import io
import re
import shutil
import statistics
import subprocess
import sys
import time
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
from tests.processes import TOKEN, Served, StandIn, until

SIZES = (24_000, 100_000)
"""Rows, of which each turn takes several thousand."""
AGREED = ["mail", "snapshot", "backup", "columns", "pilot", "disk", "site"]
LOOKS_EVERY = 0.5
TURN = 6.0
"""Seconds for which the run, and then the load generator, has the site for itself."""
_WARM = 2.0
_ENOUGH = 4
"""How many turns' records must be left for another of each."""
_MOST_TURNS = 8


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


def wrk(url: str, writes: list[Write], seconds: float) -> float:
    """Requests a second of the load generator wrk (Debian), each body once, as many at a time as a run has."""
    where = urlsplit(url)
    with TemporaryDirectory(prefix="datorum-wrk-") as folder:
        requests, script = Path(folder) / "requests", Path(folder) / "requests.lua"
        with requests.open("wb") as file:
            for record, etag, body in writes:
                method, path = ("POST", where.path) if record is None else ("PATCH", f"{where.path}/{record}")
                file.write(f"{method}\t{path}?notify=false\t{etag or ''}\t".encode() + body + b"\n")
        script.write_text(_LUA % (requests, TOKEN))
        command = ["wrk", "-t1", f"-c{settings().concurrency}", f"-d{seconds:.0f}s", "-s", str(script), url]
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
            for kind, data in (("creates", sheet), ("updates", moved(sheet))):
                print(f"{size:,} rows, {kind}")
                measure(site, served, client, data)


def moved(sheet: bytes) -> bytes:
    """The same people, each at another door."""
    found = csv.DictReader(io.StringIO(sheet.decode()))
    text = io.StringIO()
    writer = csv.DictWriter(text, list(found.fieldnames or ()))
    writer.writeheader()
    writer.writerows({**row, "Street 2": "Door 9"} for row in found)
    return text.getvalue().encode()


def measure(site: StandIn, served: Served, client: httpx.Client, data: bytes) -> None:
    """Run one file's plan and, by turns with it, have the load generator send what the run has not come to; then put
    the site back to where it was, and send all of it by the bare loop."""
    number = imported(client, data)
    began = time.perf_counter()
    client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
    seen_until_over(client, number, "rehearse", LOOKS_EVERY)
    report("  rehearsed", [time.perf_counter() - began], "s", "")
    writes = writes_of(served, number)
    with site.kept():
        started = client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status().json()
        run = Run(client, number, started["run"]["id"])
        ours, fastest = by_turns(site, run, writes)
        run.end()
    anchor = asyncio.run(bare(f"{site.url}/api/customers", writes))
    report(f"  a bare loop, {len(writes):,} records", [anchor], "r/s", "the anchor")
    report(f"  a run, in turns of {TURN:.0f} s", ours, "r/s", "no slower at its end")
    if not fastest:
        print(f"  nothing from wrk: {'too few records are left' if shutil.which('wrk') else 'it is not installed'}")
        return
    report("  wrk, by turns with it", fastest, "r/s", "the anchor")
    # The machine is another every few seconds: each turn is held to those beside it.
    shares = [100 * (before + after) / 2 / one for before, after, one in zip(ours, ours[1:], fastest, strict=False)]
    share = statistics.median(shares)
    report("  the run's share of wrk's", shares, "%", f"95 %, {'held' if share >= 95 else 'MISSED'}: {share:.0f} %")


class Run(NamedTuple):
    """A run as somebody has it who pauses it and lets it go on."""

    client: httpx.Client
    number: int
    id: int

    def now(self) -> dict[str, Any]:
        """How far it is."""
        found: dict[str, Any] = self.client.get(f"/api/imports/{self.number}/told").raise_for_status().json()["run"]
        return found

    def pace(self, seconds: float) -> float:
        """Records a second that it sends meanwhile, once it is under way."""
        before = self.now()["done"]
        until(lambda: self.now()["done"] > before + settings().concurrency, "the run", 60)
        time.sleep(_WARM)
        before, began = self.now()["done"], time.monotonic()
        time.sleep(seconds)
        return float((self.now()["done"] - before) / (time.monotonic() - began))

    def pause(self) -> None:
        self.client.post(f"/api/imports/{self.number}/runs/{self.id}/pause").raise_for_status()
        until(lambda: self.now()["state"] == "paused" and not self.now()["workers"], "the pause", 60)

    def go_on(self) -> None:
        self.client.post(f"/api/imports/{self.number}/runs/{self.id}/continue").raise_for_status()

    def end(self) -> None:
        """Have no more of it sent."""
        if self.now()["state"] == "running":
            self.pause()
        if self.now()["state"] == "paused":
            self.client.post(f"/api/imports/{self.number}/runs/{self.id}/end").raise_for_status()


def by_turns(site: StandIn, run: Run, writes: list[Write]) -> tuple[list[float], list[float]]:
    """Records a second of a run and of the load generator, one after the other for as long as there is enough: that
    takes from the end of the plan what the run sends from its beginning."""
    ours, fastest = [run.pace(TURN)], list[float]()
    left = list(writes)
    while shutil.which("wrk") and len(left) - run.now()["done"] > _ENOUGH * ours[-1] * TURN and len(ours) < _MOST_TURNS:
        run.pause()
        lot = int(2 * max(ours) * TURN)
        fastest.append(wrk(f"{site.url}/api/customers", left[-lot:], TURN))
        del left[-lot:]
        run.go_on()
        ours.append(run.pace(TURN))
    return ours, fastest


if __name__ == "__main__":
    main(tuple(int(one) for one in sys.argv[1:]) or SIZES)
