"""How long a rehearsal of many rows (ROWS, 100,000) takes against a site with as many records, half of which change."""

from __future__ import annotations

import cProfile
import datetime as dt
import os
import pstats
import subprocess
import sys
import time

from bench.figures import report
from bench.served import many_rows
from bench.surroundings import new_import, surroundings
from datorum.cli.check_file import peak_memory_mb
from datorum.core.model import SiteRecord
from datorum.stations import imports, rehearse
from datorum.stations.check import checker_of, passes
from datorum.store import models, snapshots
from datorum.store.database import session

ROWS = int(os.environ.get("ROWS", "100000"))


def keep_site(import_id: int) -> None:
    """Have read of the site what it would have if it had taken every sound row, every second of them with another
    name."""
    with session() as store:
        item = imports.get_import(store, import_id)
        kept = models.Snapshot(
            site_id=item.site_id, record_type=item.record_type, description_id=item.description_id,
            by="bench", as_of=dt.datetime.now(dt.UTC),
        )  # fmt: skip
        store.add(kept)
        store.flush()
        now, number = imports.open_import(store, import_id), 0
        for one in passes(store, now, checker_of(store, now)):
            if one.checked is None:
                continue
            landed, records = one.checked.landed, []
            for email, name in zip(landed["email"].values, landed["name"].values, strict=True):
                if email is not None:
                    body = {"email": email, "name": f"{name}{' before' if number % 2 else ''}"}
                    records.append(SiteRecord(id=str(number), body=body))
                    number += 1
            for begins in range(0, len(records), 4_000):
                frame = snapshots.frame_of(records[begins : begins + 4_000], ["email"], None)
                snapshots.keep_chunk(store, kept.id, frame, None)
        kept.records_read = number


def freeze(plan_id: int) -> None:
    """Make a plan in this process, and say how long that took and what memory the process had at most."""
    profile = cProfile.Profile() if os.environ.get("PROFILE") else None
    before = peak_memory_mb()
    began = time.perf_counter()
    if profile:
        profile.enable()
    rehearse._freeze(plan_id)
    if profile:
        profile.disable()
        pstats.Stats(profile).sort_stats("cumulative").print_stats(40)
    took = time.perf_counter() - began
    report(f"a plan of {ROWS:,} rows, the site being read", [took], "s", "bar 4 s for 100,000, 60 s for 1,000,000")
    print(f"peak memory of the process {peak_memory_mb()} MB, {before} MB before it; bar 1,024 MB for 1,000,000")


def main() -> None:
    with surroundings() as (site, demo):
        import_id = new_import(site, many_rows(demo, ROWS))
        keep_site(import_id)
        with session() as store:
            plan_id = rehearse.start_rehearsal(store, "bench", import_id).id
        # A process of its own, as a worker is: this one has made all that it is measured on.
        subprocess.run([sys.executable, "-m", "bench.rehearsal", str(plan_id)], check=True)


if __name__ == "__main__":
    if len(sys.argv) > 1:
        freeze(int(sys.argv[1]))
    else:
        main()
