"""The database that a command works on: the one that is set, else Datorum's own, started where it does not run."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from datorum.settings import settings
from datorum.store.cluster import LocalCluster
from datorum.store.database import migrate


@contextmanager
def connected(*, stop_at_end: bool = False) -> Iterator[None]:
    """A migrated database for as long as the block lasts. ``stop_at_end`` stops a PostgreSQL of Datorum's own."""
    own = None
    if not settings().database_url:
        own = LocalCluster(settings().home / "postgres")
        own.start()
        # Passed on to the processes that this one starts.
        os.environ["DATORUM_DATABASE_URL"] = own.url("datorum")
        settings.cache_clear()
    try:
        migrate()
        yield
    finally:
        if own and stop_at_end:
            own.stop()
