"""PostgreSQL, the stand-in site and Datorum's own records, for one benchmark."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import NamedTemporaryFile

from datorum.settings import settings
from datorum.sites import SignIn
from datorum.stations import read, sites
from datorum.store.cluster import LocalCluster
from datorum.store.database import engine, migrate, session
from demo.data import CustomersDemo, generate_customers
from tests.processes import TOKEN, StandIn, free_ports

_HOME = Path(__file__).parents[1] / ".datorum" / "bench"


@contextmanager
def surroundings() -> Iterator[tuple[StandIn, CustomersDemo]]:
    """All of it started, and stopped at the end."""
    # The disk of a shared machine is the noisiest part of it; neither side waits for it here.
    cluster = LocalCluster(_HOME / "postgres", durable=False)
    cluster.start()
    try:
        for database in ("datorum", "quillmoss"):
            cluster.drop(database)
        os.environ |= {
            "DATORUM_DATABASE_URL": cluster.url("datorum"),
            "DATORUM_HOME": str(_HOME),
            "DATORUM_ALLOW_PRIVATE_SITES": "true",
        }
        settings.cache_clear()
        engine.cache_clear()
        migrate()
        demo = generate_customers()
        with StandIn(cluster.url("quillmoss"), free_ports(3), demo.on_site) as site:
            yield site, demo
        engine().dispose()
    finally:
        cluster.stop()


def new_import(site: StandIn, data: bytes) -> int:
    """The number of an import of the demo sheet, mapped as suggested."""
    connected = asyncio.run(sites.connect_site("bench", "stand-in", site.description_url, SignIn(token=TOKEN)))
    with NamedTemporaryFile(suffix=".csv") as file, session() as store:
        file.write(data)
        file.flush()
        return read.start_import(store, "bench", connected.id, "customers", "customers.csv", Path(file.name)).id
