"""How long a rehearsal of many rows (ROWS, 100,000) takes against a site with as many records: where half of them
change in one field, and where each changes in most."""

from __future__ import annotations

import cProfile
import datetime as dt
import os
import pstats
import subprocess
import sys
import time

from sqlalchemy import delete

from bench.figures import report
from bench.served import many_rows
from bench.surroundings import new_import, surroundings
from datorum.cli.check_file import peak_memory_mb
from datorum.cli.main import settled
from datorum.core.model import SiteRecord
from datorum.core.records.values import values_by_record
from datorum.core.values import nest
from datorum.stations import imports, rehearse
from datorum.stations.check import checker_of, passes
from datorum.store import models, snapshots
from datorum.store.database import session

_BAR = "bar 4 s for 100,000, 60 s for 1,000,000"
ROWS = int(os.environ.get("ROWS", "100000"))


def keep_site(import_id: int, *, whole: bool) -> None:
    """Have read of the site what it would have if it had taken every sound row, every second of them with another
    name; unless ``whole``, it has nothing but names and e-mail addresses."""
    with session() as store:
        item = imports.get_import(store, import_id)
        kept = models.Snapshot(
            site_id=item.site_id, record_type=item.record_type, description_id=item.description_id,
            by="bench", as_of=dt.datetime.now(dt.UTC),
        )  # fmt: skip
        store.add(kept)
        store.flush()
        now, number = imports.open_import(store, import_id), 0
        fields = now.record_type.held_against
        for one in passes(store, now, checker_of(store, now)):
            if one.checked is None:
                continue
            records = []
            for values in values_by_record(one.checked.where, now.record_type, one.checked.sent):
                if values["email"] is not None:
                    known = values if whole else {path: values[path] for path in ("email", "name")}
                    named = {"name": f"{values['name']}{' before' if number % 2 else ''}"}
                    body = nest({path: value for path, value in (known | named).items() if value is not None})
                    records.append(SiteRecord(id=str(number), body=body))
                    number += 1
            for begins in range(0, len(records), 4_000):
                frame = snapshots.frame_of(records[begins : begins + 4_000], ["email"], None, None, fields)
                snapshots.keep_chunk(store, kept.id, frame, None)
        kept.records_read = number


def freeze(plan_id: int, of: str) -> None:
    """Make a plan in this process, and say how long that took and what memory the process had at most."""
    # As a worker is when it has begun.
    settled()
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
    report(
        f"a plan of {ROWS:,} rows, {of}, the site being read", [took], "s", "bar 4 s for 100,000, 60 s for 1,000,000"
    )
    print(f"peak memory of the process {peak_memory_mb()} MB, {before} MB before it; bar 1,024 MB for 1,000,000")


def main() -> None:
    with surroundings() as (site, demo):
        import_id = new_import(site, many_rows(demo, ROWS))
        for whole, of in ((True, "half of them change"), (False, "all change in most fields")):
            keep_site(import_id, whole=whole)
            with session() as store:
                plan_id = rehearse.start_rehearsal(store, "bench", import_id).id
            # A process of its own, as a worker is: this one has made all that it is measured on.
            subprocess.run([sys.executable, "-m", "bench.rehearsal", str(plan_id), of], check=True)
            with session() as store:
                store.execute(delete(models.Work))


if __name__ == "__main__":
    if len(sys.argv) > 1:
        freeze(int(sys.argv[1]), sys.argv[2])
    else:
        main()
