"""A served Datorum on a PostgreSQL that waits for its disk, beside a simulated site: the ground of some benchmarks."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from datorum.store.cluster import LocalCluster
from demo.data import CustomersDemo
from tests.processes import Served, StandIn, free_ports

_HOME = Path(__file__).parents[1] / ".datorum" / "bench"


@contextmanager
def served_datorum(on_site: list[dict[str, Any]]) -> Iterator[tuple[StandIn, Served, httpx.Client]]:
    """The site with these customers, Datorum, and a client that is signed in; all gone at the end."""
    cluster = LocalCluster(_HOME / "postgres")
    cluster.start()
    for database in ("quillmoss", "served"):
        cluster.drop(database)
    with StandIn(cluster.url("quillmoss"), free_ports(3), on_site) as site:
        served = Served(cluster.url("served"), _HOME, free_ports(1)[0], site)
        # As in life: nobody is waited for who was only kept from the processor for a moment.
        served.environment["DATORUM_STALLED_AFTER"] = "30"
        with served, served.signed_in("ada") as client:
            yield site, served, client
    cluster.stop()


def many_rows(demo: CustomersDemo, rows: int) -> bytes:
    """The demo sheet over and over, every e-mail another."""
    header, *lines = demo.csv.split(b"\r\n" if b"\r\n" in demo.csv else b"\n")
    whole = [line for line in lines if line.count(b",") >= header.count(b",") and b"@" in line and b'"' not in line]
    return b"\n".join(
        [header, *(line.replace(b"@", b"+%d@" % (number // len(whole)), 1)
                   for number, line in ((n, whole[n % len(whole)]) for n in range(rows)))]
    )  # fmt: skip


def imported(client: httpx.Client, data: bytes) -> int:
    """The number of a new import of a CSV file of customers, mapped as suggested."""
    form = {"site_id": "1", "record_type": "customers"}
    made = client.post("/api/imports", files={"file": ("many.csv", data)}, data=form)
    return int(made.raise_for_status().json()["id"])


def seen_until_over(client: httpx.Client, number: int, station: str, every: float) -> list[tuple[float, int]]:
    """What somebody sees who looks at a station again and again until it is over: the time, and how many records are
    done. Raises RuntimeError where it ended with an error."""
    seen: list[tuple[float, int]] = []
    while True:
        state = client.get(f"/api/imports/{number}").raise_for_status().json()[station]
        if state is not None:
            seen.append((time.monotonic(), state.get("done", 0)))
            if state.get("error"):
                raise RuntimeError(state["error"])
            if state.get("state", "done") in ("ready", "done", "failed", "paused"):
                return seen
        time.sleep(every)
