"""How fast a run changes a site, in life: a server and its worker, PostgreSQL that waits for its disk, somebody looking
on; creates and updates; beside the load generator wrk and a bare aiohttp loop that send the same bodies to the same
site. The site is, by turns, on the processors that the run is on, which takes from it what it needs itself; on one of
its own, as in life; and far away."""

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
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, NamedTuple
from urllib.parse import urlsplit

import aiohttp
import httpx
import orjson
import psycopg

from bench.figures import report
from bench.processors import apart, together
from bench.served import imported, many_rows, seen_until_over, served_datorum
from datorum.core.plan import nest
from datorum.core.plan.frame import rows_of
from datorum.core.table.packed import unpacked
from datorum.settings import settings
from demo.data import generate_customers
from tests.processes import TOKEN, Served, StandIn, until

SIZES = (100_000,)
"""Rows, of which each turn takes several thousand."""
AGREED = ["mail", "snapshot", "backup", "columns", "pilot", "disk", "site"]
LOOKS_EVERY = 0.5
TURN = 4.0
"""Seconds for which the run, and then the load generator, has the site for itself."""
FAR_MS = 80
"""After how long a site answers that is elsewhere, and takes no processor from the run."""
_WARM = 1.0
_TURNS, _OTHER_TURNS = 7, 3
_QUIET = 0.02
"""What share of the processors others may take from a turn that counts as one of a quiet machine."""


class Turn(NamedTuple):
    """Records a second of one turn, and the share of this machine's processors that others took meanwhile."""

    rate: float
    taken: float


def ticks() -> tuple[int, int]:
    """The time of all processors so far, and what of it was given to other machines on the same host (proc(5))."""
    told = [int(one) for one in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
    return sum(told), told[7]


@contextmanager
def watched() -> Iterator[Callable[[], float]]:
    """What share others have taken since."""
    whole, taken = ticks()

    def share() -> float:
        now = ticks()
        return (now[1] - taken) / max(now[0] - whole, 1)

    yield share


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


def wrk(url: str, writes: list[Write], seconds: float) -> Turn:
    """A turn of the load generator wrk (Debian), each body once, as many at a time as a run has."""
    where = urlsplit(url)
    with TemporaryDirectory(prefix="datorum-wrk-") as folder:
        requests, script = Path(folder) / "requests", Path(folder) / "requests.lua"
        with requests.open("wb") as file:
            for record, etag, body in writes:
                method, path = ("POST", where.path) if record is None else ("PATCH", f"{where.path}/{record}")
                file.write(f"{method}\t{path}?notify=false\t{etag or ''}\t".encode() + body + b"\n")
        script.write_text(_LUA % (requests, TOKEN))
        command = ["wrk", "-t1", f"-c{settings().concurrency}", f"-d{seconds:.0f}s", "-s", str(script), url]
        with watched() as taken:
            said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
            share = taken()
    # What it leaves on its way still arrives.
    time.sleep(1)
    # None came twice, so that all were taken.
    assert "Non-2xx" not in said, said
    found = re.search(r"Requests/sec:\s+([\d.]+)", said)
    assert found is not None, said
    return Turn(float(found[1]), share)


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
    the site back to where it was, and send all by the bare loop."""
    number = imported(client, data)
    began = time.perf_counter()
    client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
    seen_until_over(client, number, "rehearse", LOOKS_EVERY)
    report("  rehearsed", [time.perf_counter() - began], "s", "")
    writes = writes_of(served, number)
    with site.kept():
        started = client.post(f"/api/imports/{number}/runs", json={"agreed": AGREED}).raise_for_status().json()
        run, left = Run(client, number, started["run"]["id"]), list(writes)
        tell("a site with a processor of its own", *by_turns(site, run, left, _TURNS, lambda: apart(site, served)))
        together(site, served)
        tell("a site on the same processors", *by_turns(site, run, left, _OTHER_TURNS))
        site.behave(delay_ms=FAR_MS)
        tell(f"a site that answers after {FAR_MS} ms", *by_turns(site, run, left, _OTHER_TURNS))
        site.behave()
        run.end()
    anchor = asyncio.run(bare(f"{site.url}/api/customers", writes))
    report(f"  a bare loop, {len(writes):,} records", [anchor], "r/s", "the anchor of the first")


def tell(where: str, ours: list[Turn], fastest: list[Turn]) -> None:
    """Print the turns of a run and of wrk, and each held to those beside it: the machine is another every few
    seconds."""
    print(f"  {where}")
    report(f"    a run, in turns of {TURN:.0f} s", [one.rate for one in ours], "r/s", "")
    if not fastest:
        print(f"    nothing from wrk: {'too few records are left' if shutil.which('wrk') else 'it is not installed'}")
        return
    report("    wrk, by turns with it", [one.rate for one in fastest], "r/s", "the anchor")
    beside = list(zip(ours, ours[1:], fastest, strict=False))
    shares = [100 * (before.rate + after.rate) / 2 / one.rate for before, after, one in beside]
    quiet = [share for share, turns in zip(shares, beside, strict=True) if max(one.taken for one in turns) <= _QUIET]
    _held("    the run's share of wrk's", shares)
    if quiet and len(quiet) < len(shares):
        _held(f"    ... with no others on it ({len(quiet)} of {len(shares)})", quiet)
    report("    taken by others meanwhile", [100 * one.taken for one in ours + fastest], "%", "")


def _held(what: str, shares: list[float]) -> None:
    share = statistics.median(shares)
    report(what, shares, "%", f"95 %, {'held' if share >= 95 else 'MISSED'}: {share:.0f} %")


class Run(NamedTuple):
    """A run as somebody has it who pauses it and lets it go on."""

    client: httpx.Client
    number: int
    id: int

    def now(self) -> dict[str, Any]:
        """How far it is."""
        found: dict[str, Any] = self.client.get(f"/api/imports/{self.number}/told").raise_for_status().json()["run"]
        return found

    def turn(self, seconds: float) -> Turn:
        """What it sends meanwhile, once it is under way."""
        before = self.now()["done"]
        until(lambda: self.now()["done"] > before + settings().concurrency, "the run", 60)
        time.sleep(_WARM)
        with watched() as taken:
            before, began = self.now()["done"], time.monotonic()
            time.sleep(seconds)
            return Turn((self.now()["done"] - before) / (time.monotonic() - began), taken())

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


def by_turns(
    site: StandIn, run: Run, left: list[Write], turns: int, prepare: Callable[[], None] = lambda: None
) -> tuple[list[Turn], list[Turn]]:
    """So many turns of the load generator, each between two of a run, or as many as there is enough for: it takes from
    the end of what is ``left`` what the run sends from its beginning. Each is ``prepare``d."""
    prepare()
    ours, fastest = [run.turn(TURN)], list[Turn]()
    while shutil.which("wrk") and len(fastest) < turns:
        lot = int(2 * max(one.rate for one in ours + fastest) * TURN)
        if len(left) - run.now()["done"] < 2 * lot:
            break
        run.pause()
        prepare()
        fastest.append(wrk(f"{site.url}/api/customers", left[-lot:], TURN))
        del left[-lot:]
        run.go_on()
        prepare()
        ours.append(run.turn(TURN))
    return ours, fastest


if __name__ == "__main__":
    main(tuple(int(one) for one in sys.argv[1:]) or SIZES)
