"""Workers and the server are killed, PostgreSQL is stopped at once, and the site misbehaves in every way, while records
with lines and links are created, changed and taken back: each is there once, and nobody has to do anything."""

from __future__ import annotations

import contextlib
import csv
import io
import os
import random
import signal
import subprocess
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

import httpx

from datorum.store.cluster import LocalCluster
from demo.data import generate_customers
from tests.processes import Served, StandIn, free_ports, start, until
from tests.stations.whole import SITE

_HOME = Path(__file__).parents[1] / ".datorum" / "bench"
_AGREED = ["mail", "snapshot", "backup", "columns", "pilot", "linked imports", "disk", "site"]
_BAD_SITE = {
    "unavailable_every": 33,
    "drop_after_every": 50,
    "too_many_every": 100,
    "stall_every": 97,
    "retry_after": 0,
}
"""3 % 503, 2 % answers that are dropped after the record was stored, 1 % 429, 1 % answers that stall."""
_VOLATILE = ("id", "created_at", "updated_at", "version")


class Kills(NamedTuple):
    """How often what is ended at once while a run goes on."""

    workers: int
    servers: int
    databases: int


class Chaos:
    """Ends what is to be ended, at random moments, and sees to it that there are two workers."""

    def __init__(self, served: Served, cluster: LocalCluster, chance: random.Random) -> None:
        self._served, self._cluster, self._chance = served, cluster, chance
        self._second: subprocess.Popen[bytes] | None = None
        self.done: Counter[str] = Counter()

    @contextmanager
    def around(self, kills: Kills, share_done: Callable[[], float]) -> Iterator[None]:
        """End things, spread over the time in which a share of the work is done."""
        what = ["worker"] * kills.workers + ["server"] * kills.servers + ["database"] * kills.databases
        self._chance.shuffle(what)
        moments = sorted(self._chance.uniform(0.02, 0.7) for _ in what)
        over = threading.Event()

        def end_things() -> None:
            for moment, kind in zip(moments, what, strict=True):
                while share_done() < moment and not over.is_set():
                    over.wait(0.05)
                if over.is_set():
                    return
                getattr(self, f"_end_{kind}")()
                self.done[kind] += 1

        thread = threading.Thread(target=end_things)
        self._second_worker()
        thread.start()
        try:
            yield
        finally:
            over.set()
            thread.join()
            self.stop()

    def _second_worker(self) -> None:
        self._second = start(["datorum.cli", "worker"], self._served.environment)

    def _end_worker(self) -> None:
        if self._second is not None and self._chance.random() < 0.5:
            self._second.kill()
            self._second.wait()
            self._second_worker()
        else:
            with contextlib.suppress(ProcessLookupError):
                self._served.kill_worker()

    def _end_server(self) -> None:
        os.kill(self._served.pid, signal.SIGKILL)
        self._served.serve()

    def _end_database(self) -> None:
        self._cluster.restart()

    def stop(self) -> None:
        if self._second is not None:
            self._second.terminate()
            self._second.wait(30)
            self._second = None


class Import:
    """An import over HTTP, asked as a page asks: again where nobody answers."""

    def __init__(self, client: httpx.Client, number: int) -> None:
        self._client, self.number = client, number

    def ask(self, method: str, path: str = "", body: Any = None) -> Any:
        def asked() -> Any:
            try:
                answer = self._client.request(method, f"/api/imports/{self.number}{path}", json=body)
            except httpx.TransportError:
                return None
            if answer.status_code >= 500:
                return None
            assert answer.status_code < 300, answer.text
            return (answer.json(),)

        return until(asked, "an answer", 120)[0]

    def run(self) -> dict[str, Any]:
        found: dict[str, Any] = self.ask("GET")["run"]
        return found

    def share(self) -> float:
        with contextlib.suppress(AssertionError):
            run = self.run()
            return float(run["done"] + run["failed"]) / float(max(run["total"], 1))
        return 0.0

    def rehearsed(self) -> dict[str, Any]:
        self.ask("POST", "/rehearsal")
        until(lambda: self.ask("GET")["rehearse"]["state"] != "reading", "the rehearsal", 300)
        found: dict[str, Any] = self.ask("GET")["rehearse"]
        return found

    def until_undo_is_planned(self, run_id: int) -> None:
        until(lambda: self.ask("GET", f"/runs/{run_id}/undo")["state"] == "ready", "the plan of the undo", 300)

    def until_done(self, patience: float) -> dict[str, Any]:
        until(lambda: self.run()["state"] not in ("waiting", "running"), "the end of the run", patience)
        return self.run()


def bought(number: int, extra: int) -> list[tuple[str, int]]:
    """The lines of an order: one, two or three."""
    return [(f"XX-90{at}", 1 + (number + at) % 4 + extra) for at in range(1 + number % 3)]


def orders(count: int, emails: list[str], extra: int = 0) -> bytes:
    """A sheet of orders with their lines; ``extra`` is added to what is bought."""
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(["Order no.", "Customer e-mail", "Ordered", "Sum", "SKU", "Qty", "Price each"])
    for number in range(count):
        lines = bought(number, extra)
        total = f"{sum(10.0 * quantity for _, quantity in lines):.2f}"
        head = [str(100_000 + number), emails[number % len(emails)], f"2024-03-{1 + number % 28:02}", total]
        for sku, quantity in lines:
            rows.writerow([*head, sku, str(quantity), "10.00"])
    return out.getvalue().encode()


def began(client: httpx.Client, data: bytes) -> Import:
    form = {"site_id": "1", "record_type": "orders"}
    answer = client.post("/api/imports", files={"file": ("orders.csv", data)}, data=form)
    assert answer.status_code == 201, answer.text
    return Import(client, int(answer.json()["id"]))


def kept(site: StandIn) -> dict[int, dict[str, Any]]:
    """What the site has of orders, by number, but for what it gives by itself."""
    return {int(one["number"]): _steady(one) for one in site.bodies("order")}


def _steady(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _steady(one) for name, one in value.items() if name not in _VOLATILE}
    return [_steady(one) for one in value] if isinstance(value, list) else value


def survive(
    served: Served, cluster: LocalCluster, site: StandIn, client: httpx.Client, count: int, kills: Sequence[Kills], *,
    stall_ms: int, delay_ms: int = 0, seed: int = 1, patience: float = 900,
) -> dict[str, float]:  # fmt: skip
    """Create so many orders, change them, take the changes back and then the orders, under all of it: ``kills`` for
    each of the four. Gives the seconds that each took. Raises AssertionError where one is not there, or is there
    twice, or an outcome is wrong."""
    site.have(SITE)
    site.take_duplicates("order", "number")
    chaos = Chaos(served, cluster, random.Random(seed))
    emails = [one["email"] for one in site.bodies()][:50]
    took: dict[str, float] = {}
    runs = []
    for (kind, extra), killed in zip((("creates", 0), ("updates", 4)), kills[:2], strict=True):
        one = began(client, orders(count, emails, extra))
        planned = one.rehearsed()
        assert planned["counts"][kind.removesuffix("s")] == count, planned
        site.behave(**_BAD_SITE, stall_ms=stall_ms, delay_ms=delay_ms)
        begins = time.perf_counter()
        one.ask("POST", "/runs", {"agreed": _AGREED})
        with chaos.around(killed, one.share):
            done = one.until_done(patience)
        took[kind] = time.perf_counter() - begins
        site.behave()
        assert (done["state"], done["done"], done["failed"]) == ("done", count, 0), done
        _must_be_there(site, count, extra)
        runs.append((one, done["id"]))
    back = ("updates taken back", "creates taken back")
    for kind, (one, run_id), killed in zip(back, reversed(runs), kills[2:], strict=True):
        one.ask("POST", f"/runs/{run_id}/undo", {})
        one.until_undo_is_planned(run_id)
        site.behave(**_BAD_SITE, stall_ms=stall_ms, delay_ms=delay_ms)
        begins = time.perf_counter()
        one.ask("POST", f"/runs/{run_id}/undo/run")
        with chaos.around(killed, one.share):
            done = one.until_done(patience)
        took[kind] = time.perf_counter() - begins
        site.behave()
        assert (done["state"], done["done"], done["failed"]) == ("done", count, 0), done
        if kind.startswith("updates"):
            _must_be_there(site, count, 0)
    assert kept(site) == {}
    # What was to be killed when a run was over already was let be.
    assert chaos.done.total() >= 0.7 * sum(map(sum, kills))
    return took


def _must_be_there(site: StandIn, count: int, extra: int) -> None:
    there = site.bodies("order")
    assert len(there) == count, f"{len(there):,} orders, {count:,} were sent"
    numbers = Counter(int(one["number"]) for one in there)
    assert set(numbers.values()) == {1}
    for one in there:
        lines = [(line["product_sku"], line["quantity"]) for line in one["lines"]]
        assert lines == bought(int(one["number"]) - 100_000, extra)
        assert one["customer_id"] is not None


def main() -> None:
    count = int(os.environ.get("RECORDS", "5000"))
    cluster = LocalCluster(_HOME / "fragile")
    other = LocalCluster(_HOME / "postgres", durable=False)
    cluster.destroy()
    cluster.start()
    other.start()
    try:
        other.drop("quillmoss")
        with (
            StandIn(other.url("quillmoss"), free_ports(3), generate_customers().on_site) as site,
            Served(cluster.url("datorum"), _HOME, free_ports(1)[0], site) as served,
            served.signed_in("ada") as client,
        ):
            took = survive(served, cluster, site, client, count, [Kills(25, 5, 3)] * 4, stall_ms=70_000)
        for kind, seconds in took.items():
            print(f"{count:,} orders, {kind}, under kills: {seconds:.0f} s, {count / seconds:.0f} a second; all once")
    finally:
        cluster.destroy()
        other.stop()


if __name__ == "__main__":
    main()
