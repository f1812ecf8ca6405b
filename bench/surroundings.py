"""PostgreSQL, the stand-in site and Datorum's own records, for one benchmark."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import NamedTemporaryFile

from sqlalchemy.orm import Session

from datorum.core.model import Mapping, Policy
from datorum.settings import settings
from datorum.sites import SignIn
from datorum.stations import read, sites
from datorum.stations.files import opened
from datorum.store import models
from datorum.store.cluster import LocalCluster
from datorum.store.database import engine, migrate, session
from datorum.store.sheets import draw_on, keep_sheet
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


def read_in(store: Session, site_id: int, record_type: str, path: Path, mapping: Mapping) -> tuple[int, int]:
    """A file as an import under a mapping: its number, and how many rows were kept. The untouched original is kept as
    well by a person's import, by copying its bytes, which no anchor has a part in."""
    site = store.get_one(models.Site, site_id)
    item = models.Import(
        name="bench", site_id=site_id, description_id=site.description_id, record_type=record_type,
        policy=Policy().model_dump(), created_by="bench",
    )  # fmt: skip
    source = models.Source(site_id=site_id, name=path.name, by="bench")
    store.add_all([item, source])
    store.flush()
    original = models.Original(source_id=source.id, filename=path.name, size=path.stat().st_size, sha256="")
    store.add(original)
    store.flush()
    with opened(path, path.name) as file:
        sheet = keep_sheet(store, original, file, file.guess())
    draw_on(store, item.id, sheet)
    body = mapping.model_dump(mode="json")
    store.add(models.MappingVersion(import_id=item.id, version=1, body=body, created_by="bench"))
    return item.id, sheet.rows
