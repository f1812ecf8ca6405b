"""Processes under test, started and stopped."""

from __future__ import annotations

import os
import secrets
import signal
import socket
import ssl
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Self

import httpx
import psycopg
from psycopg.sql import SQL, Identifier

from demo.shop import kinds as shop_kinds
from demo.site.kinds import TABLES
from demo.store import begin_anew, prepare

PASSWORD = "rye-and-moss"
TOKEN = "stand-in-token"
ROOT = Path(__file__).parents[1]
PLAIN = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
"""For clients of servers on loopback, which speak no TLS: each would read all certificates there are, for a tenth of a
second."""


def free_ports(count: int) -> list[int]:
    """Ports that nothing listens on."""
    probes = [socket.socket() for _ in range(count)]
    for probe in probes:
        probe.bind(("127.0.0.1", 0))
    ports = [probe.getsockname()[1] for probe in probes]
    for probe in probes:
        probe.close()
    return ports


def until(true: Callable[[], Any], what: str, seconds: float = 400.0) -> Any:
    """The first true answer; fails the test when none comes."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = true()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"{what} did not come about within {seconds:.0f} s")


def start(module: list[str], environment: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-m", *module], cwd=ROOT, env={**os.environ, **environment})


def _words(file: Path, between: bytes | None = None) -> list[bytes]:
    """What a file of /proc lists; nothing where its process has gone."""
    try:
        return file.read_bytes().split(between)
    except (FileNotFoundError, ProcessLookupError):
        return []


def answers(url: str) -> bool:
    try:
        return httpx.get(url, timeout=10, verify=PLAIN).status_code < 500
    except httpx.HTTPError:
        return False


class StandIn:
    """The new Quillmoss site and its mail catcher."""

    def __init__(self, database_url: str, ports: list[int], on_site: list[dict[str, Any]]) -> None:
        self.database_url = database_url
        self.on_site = on_site
        self.port, self.outbox_port, self.smtp_port = ports
        self.url = f"http://127.0.0.1:{self.port}"
        self.outbox = f"http://127.0.0.1:{self.outbox_port}"
        self.description_url = f"{self.url}/openapi.json"
        self._takes_duplicates = False
        # One for all: each of its own takes longer to make than what it asks. No connection is kept, as the site may
        # hang up on it just when it is used again.
        self._http = httpx.Client(timeout=180, verify=PLAIN, limits=httpx.Limits(max_keepalive_connections=0))

    def __enter__(self) -> Self:
        prepare(self.database_url, TABLES, {"customer": self.on_site})
        environment = {
            "SITE_DATABASE_URL": self.database_url,
            "SITE_TOKEN": TOKEN,
            "SITE_SMTP_PORT": str(self.smtp_port),
        }
        self._processes = [
            start(["demo.mail", str(self.outbox_port), str(self.smtp_port)], {}),
            start(["demo.site", str(self.port)], environment),
        ]
        until(lambda: answers(self.description_url), "the stand-in site")
        until(lambda: answers(f"{self.outbox}/count"), "the mail catcher")
        return self

    def __exit__(self, *_: object) -> None:
        for process in self._processes:
            process.terminate()
            try:
                process.wait(20)
            except subprocess.TimeoutExpired:
                # It still owes answers that it was told to be late with.
                process.kill()

    @property
    def pid(self) -> int:
        return self._processes[-1].pid

    def reset(self) -> None:
        if self._takes_duplicates:
            prepare(self.database_url, TABLES, {})
            self._takes_duplicates = False
        begin_anew(self.database_url, TABLES, {"customer": self.on_site})
        self.behave()
        self._http.delete(f"{self.outbox}/mails").raise_for_status()

    @contextmanager
    def kept(self) -> Iterator[None]:
        """Put the customers back to what they were, at the end."""
        with psycopg.connect(self.database_url) as connection:
            connection.execute("DROP TABLE IF EXISTS before")
            connection.execute("CREATE TABLE before AS TABLE customer")
        yield
        with psycopg.connect(self.database_url) as connection:
            connection.execute("TRUNCATE customer")
            connection.execute("INSERT INTO customer OVERRIDING SYSTEM VALUE TABLE before")

    def behave(self, **how: Any) -> None:
        self._http.put(f"{self.url}/behaviour", json=how).raise_for_status()

    def take_duplicates(self, table: str = "customer", field: str = "email") -> None:
        """Make the site take a second record of the same e-mail, say, so that only the sender can prevent one."""
        with psycopg.connect(self.database_url) as connection:
            connection.execute(SQL("DROP INDEX IF EXISTS {}").format(Identifier(f"{table}_{field}")))
        self._takes_duplicates = True

    def have(self, records: Mapping[str, list[dict[str, Any]]]) -> None:
        """Have records of other kinds too, by the names of their tables."""
        begin_anew(self.database_url, TABLES, {"customer": self.on_site, **records})

    def bodies(self, table: str = "customer") -> list[dict[str, Any]]:
        """What the site keeps, from its own database."""
        asked = SQL("SELECT body, id FROM {} ORDER BY id").format(Identifier(table))
        with psycopg.connect(self.database_url) as connection:
            return [row[0] | {"id": row[1]} for row in connection.execute(asked)]

    def count(self) -> int:
        """How many customers the site keeps."""
        with psycopg.connect(self.database_url) as connection:
            found = connection.execute("SELECT count(*) FROM customer").fetchone()
        return int(found[0]) if found else 0

    def mails(self) -> int:
        return int(self._http.get(f"{self.outbox}/count").json()["mails"])

    def twice(self) -> list[str]:
        """E-mail addresses that more than one customer has."""
        emails = [str(body["email"]).lower() for body in self.bodies()]
        return [email for email in set(emails) if emails.count(email) > 1]


KEY = "shop-key"


class Shop:
    """The old shop, with whatever it is to have."""

    def __init__(self, database_url: str, port: int) -> None:
        self.database_url = database_url
        self.url = f"http://127.0.0.1:{port}"
        self.description_url = f"{self.url}/openapi.json"
        self._port = port

    def __enter__(self) -> Self:
        self.have({})
        environment = {"SHOP_DATABASE_URL": self.database_url, "SHOP_KEY": KEY}
        self._process = start(["demo.shop", str(self._port)], environment)
        until(lambda: answers(self.description_url), "the old shop")
        return self

    def __exit__(self, *_: object) -> None:
        self._process.terminate()
        self._process.wait(20)

    def have(self, records: Mapping[str, list[dict[str, Any]]]) -> None:
        """Have these and no others."""
        prepare(self.database_url, shop_kinds.TABLES, {})
        begin_anew(self.database_url, shop_kinds.TABLES, records)

    def bodies(self, table: str) -> list[dict[str, Any]]:
        """What the shop keeps, from its own database."""
        with psycopg.connect(self.database_url) as connection:
            found = connection.execute(SQL("SELECT body FROM {} ORDER BY id").format(Identifier(table)))
            return [row[0] for row in found]


class Served:
    """A served Datorum with one person of each role, all with the same password."""

    def __init__(self, database_url: str, home: Path, port: int, stand_in: StandIn) -> None:
        self.url = f"http://127.0.0.1:{port}"
        self.environment = {
            "DATORUM_DATABASE_URL": database_url,
            "DATORUM_HOME": str(home),
            "DATORUM_PORT": str(port),
            "DATORUM_ALLOW_PRIVATE_SITES": "true",
            "DATORUM_STALLED_AFTER": "3",
            "DATORUM_PASSWORD": PASSWORD,
            "DATORUM_SITE_TOKEN": TOKEN,
        }
        self.database_url = database_url
        self._site = stand_in

    def forget(self) -> None:
        """Be without imports, what was kept of them and what was read of sites, so that nothing is chosen as before."""
        until(self._forgotten, "a moment in which nothing holds what is to be forgotten")

    def _forgotten(self) -> bool:
        """Whether all could be had at once. Work of the test before may still ask for these tables in another order;
        this gives way sooner than PostgreSQL looks for a deadlock (1 s), which might end either of the two."""
        try:
            with psycopg.connect(self.database_url, options="-c lock_timeout=500ms") as connection:
                connection.execute("TRUNCATE import, library, snapshot, plan_item CASCADE")
        except psycopg.errors.LockNotAvailable:
            return False
        return True

    @property
    def pid(self) -> int:
        return self._process.pid

    def serve(self) -> None:
        """Start the server; it is there when this comes back."""
        self._process = start(["datorum.cli", "serve"], self.environment)
        until(lambda: answers(f"{self.url}/api/openapi.json"), "Datorum")

    def __enter__(self) -> Self:
        prepared = start(["tests.prepared", "Quillmoss new site", self._site.description_url], self.environment)
        assert prepared.wait(400) == 0
        self.serve()
        return self

    def __exit__(self, *_: object) -> None:
        self._process.terminate()
        self._process.wait(60)

    def command(self, *arguments: str, status: int = 0) -> subprocess.CompletedProcess[str]:
        """Run a `datorum` command on the same database."""
        done = subprocess.run(
            [sys.executable, "-m", "datorum.cli", *arguments],
            cwd=ROOT,
            env={**os.environ, **self.environment},
            capture_output=True,
            text=True,
            timeout=900,
        )
        assert done.returncode == status, f"{arguments} ended with {done.returncode}: {done.stdout}{done.stderr}"
        return done

    @contextmanager
    def signed_in(self, name: str) -> Iterator[httpx.Client]:
        with httpx.Client(base_url=self.url, timeout=180, verify=PLAIN) as client:
            signed = client.post("/api/session", json={"name": name, "password": PASSWORD})
            client.headers["X-CSRF-Token"] = signed.raise_for_status().json()["csrf"]
            yield client

    def kill_worker(self) -> None:
        """End the worker at once, as a power cut would."""
        os.kill(self.worker(), signal.SIGKILL)

    def worker(self) -> int:
        """The process that does background work; waited for, as another takes the place of one that ended."""

        def found() -> list[int]:
            # Whichever thread started it.
            lists = Path(f"/proc/{self.pid}/task").glob("*/children")
            children = [int(pid) for one in lists for pid in _words(one)]
            return [pid for pid in children if b"worker" in _words(Path(f"/proc/{pid}/cmdline"), b"\0")]

        [worker] = until(found, "a worker")
        return int(worker)


def unguessable() -> str:
    """A name that no earlier test has used."""
    return secrets.token_hex(4)
