"""What the tests stand on: a real PostgreSQL, the real stand-in site and mail catcher, and a served Datorum."""

from __future__ import annotations

import contextlib
import fcntl
import gc
import os
from collections.abc import Iterator
from pathlib import Path

import httpx
import hypothesis
import pytest
from sqlalchemy import text

from datorum.core.model import RecordType
from datorum.core.table import Sheet, guess_dialect, read_csv
from datorum.settings import settings
from datorum.sites import SiteDescription, describe
from datorum.store.cluster import LocalCluster
from datorum.store.database import engine, migrate, session
from demo.data import CustomersDemo, generate_customers
from demo.site.app import SiteSettings, create_app
from tests.processes import Served, StandIn, free_ports

_TESTS = Path(__file__).parent
_ROOT = _TESTS.parent / ".datorum" / "test"
_WORKER = os.environ.get("PYTEST_XDIST_WORKER", "alone")
"""Tests run side by side: each worker has databases, ports and a home of its own in the one PostgreSQL."""
HOME = _ROOT / _WORKER


def _the_cluster() -> LocalCluster:
    return LocalCluster(_ROOT / "postgres", durable=False)


# No test waits for a clock, and none fails by one. What holds on one machine holds on the next: other examples than
# the ones that everybody tries are looked for by the bench of hostile input.
hypothesis.settings.register_profile("the same", deadline=None, derandomize=True)
hypothesis.settings.register_profile("others", deadline=None)
hypothesis.settings.load_profile(os.environ.get("DATORUM_EXAMPLES_ARE", "the same"))


_LONGEST = (_TESTS, _TESTS / "web", _TESTS / "stations", _TESTS / "api")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Begin with the files that take longest; all others fill the gaps."""
    last = len(_LONGEST)
    items.sort(key=lambda item: _LONGEST.index(item.path.parent) if item.path.parent in _LONGEST else last)


def pytest_collection_finish() -> None:
    """Look for nothing to let go of among thousands of tests and all that they import, which stay to the end."""
    gc.collect()
    gc.freeze()


def pytest_unconfigure(config: pytest.Config) -> None:
    """Stop what the workers share when all of them are done, and no other run of the tests uses it."""
    if hasattr(config, "workerinput") or not (_ROOT / "in use").exists():
        return
    with (_ROOT / "in use").open("w") as use, contextlib.suppress(BlockingIOError):
        fcntl.flock(use, fcntl.LOCK_EX | fcntl.LOCK_NB)
        _the_cluster().stop()


@pytest.fixture(scope="session")
def demo() -> CustomersDemo:
    return generate_customers()


@pytest.fixture(scope="session")
def sheet(demo: CustomersDemo) -> Sheet:
    return read_csv(demo.csv, guess_dialect(demo.csv))


@pytest.fixture(scope="session")
def description() -> SiteDescription:
    """The stand-in's own description, without its process."""
    return describe(create_app(SiteSettings("postgresql://", "", 0)).openapi(), "http://127.0.0.1:1/openapi.json")


@pytest.fixture(scope="session")
def customers(description: SiteDescription) -> RecordType:
    return description.type("customers").record_type


@pytest.fixture(scope="session")
def cluster() -> Iterator[LocalCluster]:
    found = _the_cluster()
    _ROOT.mkdir(parents=True, exist_ok=True)
    with (_ROOT / "in use").open("w") as use, (_ROOT / "starting").open("w") as turn:
        fcntl.flock(use, fcntl.LOCK_SH)
        # The first worker starts it, the others wait until it has.
        fcntl.flock(turn, fcntl.LOCK_EX)
        found.start()
        fcntl.flock(turn, fcntl.LOCK_UN)
        yield found


def fresh(cluster: LocalCluster, name: str) -> str:
    """The URL of an empty database that this worker has for itself."""
    name = f"{name}_{_WORKER}"
    cluster.drop(name)
    return cluster.url(name)


@pytest.fixture(scope="session")
def stand_in(cluster: LocalCluster, demo: CustomersDemo) -> Iterator[StandIn]:
    with StandIn(fresh(cluster, "quillmoss"), free_ports(3), demo.on_site) as running:
        yield running


@pytest.fixture
def site(stand_in: StandIn) -> StandIn:
    """The stand-in as it was before anything happened, behaving well."""
    stand_in.reset()
    return stand_in


@pytest.fixture(scope="session")
def _database(cluster: LocalCluster) -> Iterator[None]:
    os.environ |= {
        "DATORUM_DATABASE_URL": fresh(cluster, "datorum"),
        "DATORUM_HOME": str(HOME),
        "DATORUM_ALLOW_PRIVATE_SITES": "true",
    }
    settings.cache_clear()
    engine.cache_clear()
    migrate()
    yield
    engine().dispose()


@pytest.fixture
def database(_database: None) -> None:
    """Datorum's own records, for tests that call its stations in this process: empty, so that nothing is chosen as
    before."""
    with session() as store:
        store.execute(text("TRUNCATE site, import, library, person, plan_item CASCADE"))


@pytest.fixture(scope="session")
def served(cluster: LocalCluster, stand_in: StandIn) -> Iterator[Served]:
    """`datorum serve` with a worker beside it, on a database of its own, with the stand-in connected."""
    with Served(fresh(cluster, "served"), HOME, free_ports(1)[0], stand_in) as running:
        yield running


@pytest.fixture(scope="session")
def _ada(served: Served) -> Iterator[httpx.Client]:
    with served.signed_in("ada") as found:
        yield found


@pytest.fixture
def client(served: Served, _ada: httpx.Client) -> httpx.Client:
    """Signed in as an administrator, where nobody has read a file yet."""
    served.forget()
    return _ada
