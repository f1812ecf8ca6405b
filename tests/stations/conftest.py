"""An import of the demo sheet, ready for what a test wants to do with it."""

from __future__ import annotations

import asyncio
import csv
import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pytest
from sqlalchemy import select

from datorum.core.model import PlanRow, Policy
from datorum.sites import SignIn
from datorum.stations import imports, read, rehearse, run, sites, verify
from datorum.stations.overview import Overview, overview
from datorum.store import models, plan_items
from datorum.store.database import session
from datorum.store.queries import QUERIES
from demo.data import CustomersDemo
from tests.processes import TOKEN, StandIn, unguessable


@dataclass(frozen=True)
class Journey:
    """The use cases in order, called as a worker calls them."""

    import_id: int

    def now(self) -> Overview:
        with session() as store:
            return overview(store, self.import_id)

    def rehearse(self) -> Overview:
        with session() as store:
            plan = rehearse.start_rehearsal(store, "ada", self.import_id)
        asyncio.run(rehearse.rehearse(plan.id))
        return self.now()

    def start(self) -> int:
        with session() as store:
            plan = rehearse.latest_plan(store, self.import_id)
            assert plan is not None
            return run.start_run(store, "ada", plan.id).id

    def run(self) -> Overview:
        asyncio.run(run.carry_out(self.start()))
        return self.now()

    def verify(self) -> Overview:
        with session() as store:
            verification = verify.start_verification(store, "ada", self.start())
        asyncio.run(verify.verify(verification.id))
        return self.now()

    def set_policy(self, policy: Policy) -> None:
        with session() as store:
            imports.set_policy(store, "ada", self.import_id, policy)


def taken_and_left(run_id: int, count: int) -> list[PlanRow]:
    """Items of a run that a worker has taken, and died before it could say what became of them."""
    with session() as store:
        plan_id, site_id = store.execute(
            select(models.Plan.id, models.Import.site_id)
            .join(models.Run, models.Run.plan_id == models.Plan.id)
            .join(models.Import, models.Import.id == models.Plan.import_id)
            .where(models.Run.id == run_id)
        ).one()
        turn = store.execute(QUERIES["begin_turn"], {"run": run_id, "site": site_id, "lease": 60}).scalar_one()
    taken = plan_items.claim(plan_id, run_id, turn, count, 0)
    with session() as store:
        store.execute(QUERIES["end_turn"], {"turn": turn})
    return taken


@pytest.fixture
def connected(database: None, site: StandIn) -> int:
    """The stand-in as a site of Datorum's."""
    return asyncio.run(sites.connect_site("ada", unguessable(), site.description_url, SignIn(token=TOKEN))).id


@pytest.fixture
def begin(connected: int, tmp_path: Path) -> Callable[[bytes], Journey]:
    """Read a file's bytes into a new import."""

    def read_in(data: bytes) -> Journey:
        path = tmp_path / "customers.csv"
        path.write_bytes(data)
        with session() as store:
            return Journey(read.start_import(store, "ada", connected, "customers", "customers.csv", path).id)

    return read_in


@pytest.fixture
def journey(begin: Callable[[bytes], Journey], demo: CustomersDemo) -> Journey:
    return begin(demo.csv)


@pytest.fixture
def small(begin: Callable[[bytes], Journey], demo: CustomersDemo) -> Journey:
    """The first 120 rows or so."""
    lines = demo.csv.decode().splitlines(keepends=True)
    return begin("".join(lines[:134]).encode())


def import_of(site_id: int, kind: str, rows: list[dict[str, str]], folder: Path) -> Journey:
    """An import of some rows as a file."""
    text = io.StringIO()
    writer = csv.DictWriter(text, list(rows[0]))
    writer.writeheader()
    writer.writerows(rows)
    path = folder / f"{kind}.csv"
    path.write_text(text.getvalue())
    with session() as store:
        return Journey(read.start_import(store, "ada", site_id, kind, path.name, path).id)


@pytest.fixture
def start(connected: int, tmp_path: Path) -> Callable[[str, list[dict[str, str]]], Journey]:
    return lambda kind, rows: import_of(connected, kind, rows, tmp_path)
