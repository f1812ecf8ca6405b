"""How long a rehearsal of 100,000 rows takes against a site that has as many records, half of which change."""

from __future__ import annotations

import asyncio
import cProfile
import os
import pstats
import time

from bench.figures import report
from bench.served import many_rows
from bench.surroundings import new_import, surroundings
from datorum.core.model import SiteRecord
from datorum.stations import imports, rehearse
from datorum.stations.check import checker_of, passes
from datorum.store.database import session

ROWS = 100_000


def on_site(import_id: int) -> list[SiteRecord]:
    """What the site would have if it had taken every sound row, every second of them with another name."""
    found: list[SiteRecord] = []
    with session() as store:
        now = imports.open_import(store, import_id)
        for one in passes(store, now, checker_of(store, now)):
            if one.checked is None:
                continue
            landed = one.checked.landed
            for email, name in zip(landed["email"].values, landed["name"].values, strict=True):
                if email is not None:
                    changed = len(found) % 2
                    body = {"email": email, "name": f"{name}{' before' if changed else ''}"}
                    found.append(SiteRecord(id=str(len(found)), body=body))
    return found


def main() -> None:
    with surroundings() as (site, demo):
        import_id = new_import(site, many_rows(demo, ROWS))
        records = on_site(import_id)
        with session() as store:
            plan_id = rehearse.start_rehearsal(store, "bench", import_id).id
        profile = cProfile.Profile() if os.environ.get("PROFILE") else None
        began = time.perf_counter()
        if profile:
            profile.enable()
        asyncio.run(_freeze(plan_id, records))
        if profile:
            profile.disable()
            pstats.Stats(profile).sort_stats("cumulative").print_stats(40)
        report("a plan of 100,000 rows, the site being read", [time.perf_counter() - began], "s", "18 s before")


async def _freeze(plan_id: int, records: list[SiteRecord]) -> None:
    rehearse._freeze(plan_id, records)


if __name__ == "__main__":
    main()
