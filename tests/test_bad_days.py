"""Servers, workers and the database end in the middle of work, and it goes on by itself."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
import psycopg
import pytest

from datorum.store.cluster import LocalCluster
from demo.data import CustomersDemo
from tests.api.test_bad_input import upload
from tests.api.test_runs import AGREED
from tests.conftest import HOME
from tests.processes import Served, StandIn, free_ports, until

LARGE = b"E-mail Address;First Name;Surname\n" + b"".join(
    b"person%d@quillmoss.example;Person;Number %d\n" % (number, number) for number in range(140_000)
)


@pytest.fixture(scope="module")
def own_cluster() -> Iterator[LocalCluster]:
    """A PostgreSQL that can be broken without breaking other tests."""
    found = LocalCluster(HOME / "fragile")
    found.destroy()
    found.start()
    yield found
    found.destroy()


@pytest.fixture(scope="module")
def fragile(own_cluster: LocalCluster, stand_in: StandIn) -> Iterator[Served]:
    with Served(own_cluster.url("datorum"), HOME, free_ports(1)[0], stand_in) as running:
        yield running


@pytest.fixture
def client(fragile: Served, site: StandIn) -> Iterator[httpx.Client]:
    with fragile.signed_in("ada") as found:
        yield found


def small(demo: CustomersDemo) -> bytes:
    return "".join(demo.csv.decode().splitlines(keepends=True)[:160]).encode()


def now(client: httpx.Client, number: int) -> dict[str, Any]:
    """The import as it stands, asked for as a page does: again where the answer is that it is to ask again."""

    def asked() -> dict[str, Any] | None:
        try:
            answer = client.get(f"/api/imports/{number}")
        except httpx.TransportError:
            return None
        assert answer.status_code in (200, 503), answer.text
        found: dict[str, Any] = answer.json()
        return found if answer.status_code == 200 else None

    return dict(until(asked, "an answer"))


def kill_server(served: Served, cluster: LocalCluster) -> None:
    worker = served.worker()
    os.kill(served.pid, signal.SIGKILL)
    until(lambda: not Path(f"/proc/{worker}").exists() or _is_dead(worker), "the end of the worker")
    served.serve()


def _is_dead(pid: int) -> bool:
    return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"


BAD_DAYS: dict[str, Callable[[Served, LocalCluster], None]] = {
    "worker killed": lambda served, cluster: served.kill_worker(),
    "server killed": kill_server,
    "database restarted": lambda served, cluster: cluster.restart(),
}


@pytest.mark.parametrize("day", BAD_DAYS)
def test_a_rehearsal_and_a_run_go_on_by_themselves(
    day: str, fragile: Served, own_cluster: LocalCluster, client: httpx.Client, site: StandIn, demo: CustomersDemo
) -> None:
    number = upload(client, small(demo)).json()["id"]
    site.take_duplicates()
    site.behave(delay_ms=700)
    client.post(f"/api/imports/{number}/rehearsal").raise_for_status()
    BAD_DAYS[day](fragile, own_cluster)
    site.behave(delay_ms=20)
    until(lambda: now(client, number)["rehearse"]["state"] == "ready", "the rehearsal")
    planned = now(client, number)["rehearse"]["counts"]

    site.behave(delay_ms=150)
    until(lambda: _starts(client, number), "a start of the run")
    until(lambda: now(client, number)["run"]["done"] > 10, "some records")
    BAD_DAYS[day](fragile, own_cluster)
    site.behave()
    until(lambda: now(client, number)["run"]["state"] == "done", "the run")
    run = now(client, number)["run"]
    assert (run["done"], run["failed"]) == (planned["create"] + planned["update"], 0)
    assert site.twice() == []


def _starts(client: httpx.Client, number: int) -> bool:
    """Whether the run starts; preflight may still find no worker that is alive, and nothing else."""
    answer = client.post(f"/api/imports/{number}/runs", json=AGREED)
    assert answer.is_success or answer.status_code == 503 or "no worker" in answer.json()["title"], answer.text
    return answer.is_success


@pytest.mark.parametrize("day", BAD_DAYS)
def test_a_check_of_a_large_sheet_goes_on_by_itself(
    day: str, fragile: Served, own_cluster: LocalCluster, client: httpx.Client
) -> None:
    number = upload(client, LARGE).json()["id"]
    client.post(f"/api/imports/{number}/check").raise_for_status()
    BAD_DAYS[day](fragile, own_cluster)
    until(lambda: now(client, number)["checking"] is None and now(client, number)["check"], "the check")
    found = now(client, number)["check"]
    assert found["rows"] == found["ready"] + found["held"] + found["left_out"] == 140_000


def test_a_worker_whose_sign_of_life_is_cut_short_or_lost_gives_another(
    fragile: Served, own_cluster: LocalCluster
) -> None:
    fragile.worker()
    url = own_cluster.url("datorum")
    with psycopg.connect(url, autocommit=True) as looking, psycopg.connect(url) as locking:
        until(lambda: _alive(looking), "a worker")
        locking.execute("LOCK TABLE procrastinate_workers IN EXCLUSIVE MODE")
        until(lambda: looking.execute(_END_WHO_WAITS).fetchall(), "a sign of life that waits")
        locking.commit()
        for _ in range(2):
            looking.execute("UPDATE procrastinate_workers SET last_heartbeat = 'epoch'")
            until(lambda: _alive(looking), "another sign of life", 60)
            # As a worker that starts does with those it takes for dead.
            looking.execute("DELETE FROM procrastinate_workers")
        until(lambda: _alive(looking), "a worker that is known again", 60)


def test_a_worker_that_hears_of_no_more_jobs_listens_again(fragile: Served, own_cluster: LocalCluster) -> None:
    fragile.worker()
    listens = "FROM pg_stat_activity WHERE query LIKE 'LISTEN%procrastinate%'"
    with psycopg.connect(own_cluster.url("postgres"), autocommit=True) as looking:
        until(lambda: looking.execute(f"SELECT 1 {listens}").fetchone(), "a worker that listens")
        looking.execute("ALTER DATABASE datorum ALLOW_CONNECTIONS false")
        looking.execute(f"SELECT pg_terminate_backend(pid) {listens}")
        until(lambda: not looking.execute(f"SELECT 1 {listens}").fetchone(), "the end of it")
        time.sleep(1)
        looking.execute("ALTER DATABASE datorum ALLOW_CONNECTIONS true")
        until(lambda: looking.execute(f"SELECT 1 {listens}").fetchone(), "a worker that listens again", 60)


_END_WHO_WAITS = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE wait_event_type = 'Lock'"


def _alive(connection: psycopg.Connection) -> bool:
    asked = "SELECT 1 FROM procrastinate_workers WHERE last_heartbeat > now() - interval '3 s'"
    return connection.execute(asked).fetchone() is not None


def test_a_file_whose_reading_is_cut_short_leaves_nothing_and_can_be_read_again(
    own_cluster: LocalCluster, client: httpx.Client
) -> None:
    before = client.get("/api/imports").json()
    lock = psycopg.connect(own_cluster.url("datorum"))
    # What is read waits for this lock, in the middle.
    lock.execute("LOCK TABLE chunk IN ACCESS EXCLUSIVE MODE")
    with ThreadPoolExecutor(1) as pool:
        reading = pool.submit(upload, client, LARGE)
        until(lambda: _waits(own_cluster), "the reading")
        own_cluster.restart()
        answer = reading.result()
    assert answer.status_code == 503
    assert "again" in answer.json()["detail"]
    assert until(lambda: client.get("/api/imports").status_code == 200, "an answer")
    assert client.get("/api/imports").json() == before
    assert upload(client, LARGE).status_code == 201


def _waits(cluster: LocalCluster) -> bool:
    with psycopg.connect(cluster.url("postgres")) as connection:
        found = connection.execute("SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock'").fetchone()
    return found is not None


def test_a_database_that_is_away_is_said_everywhere_and_the_server_goes_on(
    own_cluster: LocalCluster, client: httpx.Client
) -> None:
    own_cluster.stop()
    for method, path in (("GET", "/api/imports"), ("GET", "/api/session"), ("PUT", "/api/imports/1/policy"),
                         ("POST", "/api/imports/1/ledger"), ("POST", "/api/session")):  # fmt: skip
        answer = client.request(method, path, json={} if path != "/api/session" else {"name": "x", "password": "y"})
        assert answer.status_code == 503, (method, path)
        assert "does not answer" in answer.json()["title"]
        assert answer.headers["retry-after"]
    own_cluster.start()
    until(lambda: client.get("/api/imports").status_code == 200, "an answer")


def test_a_full_disk_is_said_and_nothing_is_lost(
    own_cluster: LocalCluster, client: httpx.Client, demo: CustomersDemo
) -> None:
    made = upload(client, small(demo)).json()
    number, rows = made["id"], made["sheet"]["rows"]
    url = own_cluster.url("datorum")
    with psycopg.connect(url) as connection:
        # As PostgreSQL says it when there is no room for another page.
        connection.execute(
            "CREATE OR REPLACE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN"
            " RAISE EXCEPTION USING ERRCODE = '53100', MESSAGE = 'could not extend file'; END $$"
        )
        connection.execute("CREATE TRIGGER full_disk BEFORE INSERT ON chunk EXECUTE FUNCTION full_disk()")
        connection.execute("CREATE TRIGGER full_disk BEFORE INSERT ON finding EXECUTE FUNCTION full_disk()")
    try:
        for answer in (upload(client, small(demo)), client.post(f"/api/imports/{number}/check")):
            assert answer.status_code == 507
            assert "disk" in answer.json()["title"]
            assert "Make room" in answer.json()["detail"]
    finally:
        with psycopg.connect(url) as connection:
            connection.execute("DROP FUNCTION full_disk CASCADE")
    assert client.get(f"/api/imports/{number}/rows").json()["total"] == rows
    assert client.post(f"/api/imports/{number}/check").status_code == 200


def test_the_log_of_the_database_has_nothing_of_people(own_cluster: LocalCluster) -> None:
    secret = "ada.corfield@quillmoss.example"
    with psycopg.connect(own_cluster.url("datorum"), autocommit=True) as connection:
        for statement in (
            f"SELECT nothing FROM nowhere WHERE email = '{secret}'",
            f"INSERT INTO person (name, password_hash, role) VALUES ('{secret}', '', ''), ('{secret}', '', '')",
        ):
            with pytest.raises(psycopg.Error):
                connection.execute(statement)
        with pytest.raises(psycopg.Error):
            connection.execute("SELECT %s::int", [secret])
    logged = "".join(path.read_text(errors="replace") for path in own_cluster.directory.glob("log*"))
    assert "ready to accept connections" in logged
    assert secret not in logged
