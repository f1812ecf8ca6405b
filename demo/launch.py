"""Starts everything that the demo consists of, and stops it in the reverse order."""

from __future__ import annotations

import json
import os
import secrets
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from datorum.cli.processes import end_with_parent, interrupt_on_terminate
from datorum.core.errors import DatorumError
from datorum.store.cluster import LocalCluster
from demo.data import World, generate_customers, generate_exports, generate_world, starter
from demo.shop.kinds import TABLES as SHOP_TABLES
from demo.shop.seed import seeded
from demo.site.kinds import TABLES
from demo.store import prepare

PERSON = "ada"
PASSWORD = "moss-and-rye"
SITE = "Quillmoss new site"
SHOP = "Quillmoss old shop"
_KEPT_AS = "5"
"""What the stand-ins keep is written so; another number, whenever that changes."""
CUSTOMERS = "customers-2026-11.csv"
EXPORTS = "exports"


class DemoFailed(DatorumError):
    """The demo could not be started."""

    code = "demo-failed"


@dataclass(frozen=True)
class Ports:
    """Where the parts listen, all on loopback."""

    datorum: int = 8470
    site: int = 8471
    outbox: int = 8472
    smtp: int = 8473
    shop: int = 8474

    @classmethod
    def from_environment(cls) -> Ports:
        """DATORUM_PORT, with the demo's own parts on the four ports behind it."""
        first = int(os.environ.get("DATORUM_PORT", "8470"))
        return cls(first, first + 1, first + 2, first + 3, first + 4)

    def expect_free(self) -> None:
        """Raises DemoFailed that names the first port in use."""
        for port in (self.datorum, self.site, self.outbox, self.smtp, self.shop):
            with socket.socket() as probe:
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                try:
                    probe.bind(("127.0.0.1", port))
                except OSError as error:
                    raise DemoFailed(
                        f"Port {port} is in use.",
                        remedy="Is the demo running already? Else set DATORUM_PORT to the first of five free ports.",
                    ) from error


class Demo:
    """The demo whose data lie under ``home``."""

    def __init__(self, home: Path, ports: Ports) -> None:
        self.home = home.absolute()
        self.ports = ports
        self._cluster = LocalCluster(self.home / "postgres")
        self._processes: list[subprocess.Popen[bytes]] = []
        self._own_database = "DATORUM_DATABASE_URL" not in os.environ

    @property
    def site_address(self) -> str:
        return f"http://127.0.0.1:{self.ports.site}"

    @property
    def shop_address(self) -> str:
        return f"http://127.0.0.1:{self.ports.shop}"

    def run(self) -> None:
        """Start all, print where it is, and wait for Ctrl-C."""
        self.ports.expect_free()
        interrupt_on_terminate()
        try:
            self.start()
            print(
                f"\n  Datorum    http://127.0.0.1:{self.ports.datorum}   sign in as {PERSON}, password {PASSWORD}"
                f"\n  New site   {self.site_address}"
                f"\n  Old shop   {self.shop_address}/rest/v1"
                f"\n  Outbox     http://127.0.0.1:{self.ports.outbox}"
                f"\n  Customers  {self.home / 'demo' / CUSTOMERS}"
                f"\n  Exports    {self.home / 'demo' / EXPORTS}"
                "\n\n  Ctrl-C stops all of it; `make demo-reset` begins anew.\n",
                flush=True,
            )
            while all(process.poll() is None for process in self._processes):
                time.sleep(0.5)
            raise DemoFailed("A part of the demo ended by itself.", remedy="What it printed stands above.")
        except KeyboardInterrupt:
            print("\n  stopping")
        finally:
            self.stop()

    def start(self) -> None:
        """Start PostgreSQL, both sites, the mail of one and Datorum, and wait until each answers."""
        self._cluster.start()
        token, key = self._secret("site-token"), self._secret("shop-key")
        site_url, shop_url = self._cluster.url("quillmoss"), self._cluster.url("quillmoss_shop")
        self._write_data(site_url, shop_url)
        own = os.environ.get("DATORUM_DATABASE_URL") or self._cluster.url("datorum")
        environment = {
            **os.environ,
            "DATORUM_DATABASE_URL": own,
            "DATORUM_HOME": str(self.home),
            "DATORUM_PORT": str(self.ports.datorum),
            "DATORUM_ALLOW_PRIVATE_SITES": "true",
            "DATORUM_PASSWORD": PASSWORD,
            "DATORUM_MAIL_SERVER": f"smtp://127.0.0.1:{self.ports.smtp}",
            "DATORUM_MAIL_FROM": "office@quillmoss.example",
        }
        site_environment = {
            **os.environ,
            "SITE_DATABASE_URL": site_url,
            "SITE_TOKEN": token,
            "SITE_SMTP_PORT": str(self.ports.smtp),
        }
        self._start(["demo.mail", str(self.ports.outbox), str(self.ports.smtp)], os.environ)
        self._start(["demo.site", str(self.ports.site)], site_environment)
        shop_environment = {**os.environ, "SHOP_DATABASE_URL": shop_url, "SHOP_KEY": key}
        self._start(["demo.shop", str(self.ports.shop)], shop_environment)
        self._await(f"{self.site_address}/openapi.json")
        self._await(f"{self.shop_address}/openapi.json")
        self._await(f"http://127.0.0.1:{self.ports.outbox}/count")
        self._prepare_datorum(environment, token, key)
        self._start(["datorum.cli", "serve"], environment)
        self._await(f"http://127.0.0.1:{self.ports.datorum}/api/openapi.json")

    def stop(self) -> None:
        """Stop what was started, the last first."""
        for process in reversed(self._processes):
            process.terminate()
        for process in reversed(self._processes):
            try:
                process.wait(20)
            except subprocess.TimeoutExpired:
                process.kill()
        self._processes.clear()
        self._cluster.stop()

    def reset(self) -> None:
        """Remove all that the demo has kept. What setup has installed stays."""
        self.ports.expect_free()
        self._cluster.destroy()
        shutil.rmtree(self.home / "demo", ignore_errors=True)
        (self.home / "secret.key").unlink(missing_ok=True)

    def _secret(self, name: str) -> str:
        path = self.home / "demo" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            path.touch(0o600)
            path.write_text(secrets.token_urlsafe(24))
        return path.read_text()

    def _write_data(self, site_url: str, shop_url: str) -> None:
        manifest, kept_as = self.home / "demo" / "manifest.json", self.home / "demo" / "kept-as"
        if manifest.exists():
            if not kept_as.exists() or kept_as.read_text() != _KEPT_AS:
                raise DemoFailed(
                    "The demo's data are of an earlier version.", remedy="Begin anew with make demo-reset."
                )
            return
        kept_as.write_text(_KEPT_AS)
        demo = generate_customers()
        world = generate_world(demo)
        prepare(site_url, TABLES, starter(demo))
        prepare(shop_url, SHOP_TABLES, seeded(world))
        (self.home / "demo" / CUSTOMERS).write_bytes(demo.csv)
        self._write_exports(world)
        manifest.write_text(json.dumps(demo.manifest.model_dump(), indent=1))

    def _write_exports(self, world: World) -> None:
        """What people export from the old shop, with a manifest of what is wrong with each."""
        folder = self.home / "demo" / EXPORTS
        folder.mkdir(exist_ok=True)
        told = {}
        for export in generate_exports(world):
            (folder / export.name).write_bytes(export.data)
            told[export.name] = export.manifest
        (folder / "manifest.json").write_text(json.dumps(told, indent=1))

    def _prepare_datorum(self, environment: Mapping[str, str], token: str, key: str) -> None:
        """The demo's person and sites, once."""
        done = self.home / "demo" / "prepared"
        if done.exists() and self._own_database:
            return
        commands = (
            (["person", PERSON, "--role", "administrator"], ""),
            (["site", "connect", SITE, f"{self.site_address}/openapi.json"], token),
            (["site", "connect", SHOP, f"{self.shop_address}/openapi.json"], key),
        )
        for command, secret in commands:
            ended = subprocess.run(
                [sys.executable, "-m", "datorum.cli", *command],
                env={**environment, "DATORUM_SITE_TOKEN": secret},
                capture_output=True,
                text=True,
            )
            if ended.returncode and "already" not in ended.stderr:
                raise DemoFailed(f"Datorum could not be prepared: {ended.stderr.strip()}")
        done.touch()

    def _start(self, module: list[str], environment: Mapping[str, str]) -> None:
        # A session of its own, so that Ctrl-C reaches this process alone, which then stops the parts in order.
        self._processes.append(
            subprocess.Popen(
                [sys.executable, "-m", *module], env=environment, start_new_session=True, preexec_fn=end_with_parent
            )
        )

    def _await(self, url: str, seconds: float = 40.0) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if any(process.poll() is not None for process in self._processes):
                break
            try:
                with urllib.request.urlopen(url, timeout=2):
                    return
            except OSError:
                time.sleep(0.1)
        raise DemoFailed(f"{url} does not answer.", remedy="What the part printed stands above.")
