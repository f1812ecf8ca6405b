"""People and a site for a served Datorum, made in one process: ``python -m tests.prepared NAME ADDRESS``."""

from __future__ import annotations

import asyncio
import sys

from datorum.sites import SignIn
from datorum.stations.sites import connect_site
from datorum.store import people
from datorum.store.database import migrate, session
from tests.processes import PASSWORD, TOKEN

PEOPLE = {"ada": "administrator", "bo": "editor", "jun": "viewer"}

if __name__ == "__main__":
    migrate()
    with session() as store:
        for name, role in PEOPLE.items():
            people.add_person(store, name, PASSWORD, role)
    asyncio.run(connect_site("ada", sys.argv[1], sys.argv[2], SignIn(token=TOKEN)))
