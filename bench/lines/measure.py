"""A million order lines beside a script of Polars alone, four million, and what it takes to look around in them."""

from __future__ import annotations

import datetime as dt
import json
import statistics
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.figures import report
from bench.lines.data import CUSTOMERS, PRODUCTS, email, lines_csv, sku
from bench.surroundings import new_import, surroundings
from datorum.core.model import SiteRecord
from datorum.stations.imports import get_import
from datorum.store import models, snapshots
from datorum.store.database import session

ROUNDS, _MILLION, _CHUNK = 3, 1_000_000, 4_000


def _process(module: str, *arguments: str) -> str:
    done = subprocess.run([sys.executable, "-m", module, *arguments], stdout=subprocess.PIPE, text=True, check=True)
    return done.stdout


def _keep(site_id: int, kind: str, keys: list[str], records: Iterator[SiteRecord], count: int) -> None:
    """A snapshot as a reading of the site would have left it."""
    with session() as store:
        site = store.get_one(models.Site, site_id)
        kept = models.Snapshot(
            site_id=site_id, record_type=kind, description_id=site.description_id, by="bench",
            records_read=count, as_of=dt.datetime.now(dt.UTC),
        )  # fmt: skip
        store.add(kept)
        store.flush()
        some: list[SiteRecord] = []
        for record in records:
            some.append(record)
            if len(some) == _CHUNK:
                snapshots.keep_chunk(store, kept.id, snapshots.frame_of(some, keys, None, "name"), None)
                some = []
        if some:
            snapshots.keep_chunk(store, kept.id, snapshots.frame_of(some, keys, None, "name"), None)


def _customers() -> Iterator[SiteRecord]:
    return (SiteRecord(str(n + 1), {"id": n + 1, "email": email(n), "name": f"Person {n}"}) for n in range(CUSTOMERS))


def _products() -> Iterator[SiteRecord]:
    return (SiteRecord(str(n + 1), {"id": n + 1, "sku": sku(n), "name": f"Seeds {n}"}) for n in range(PRODUCTS))


def main() -> None:
    path = lines_csv(_MILLION)
    with surroundings() as (site, demo):
        with session() as store:
            site_id = get_import(store, new_import(site, demo.csv)).site_id
        _keep(site_id, "customers", ["email"], _customers(), CUSTOMERS)
        _keep(site_id, "products", ["sku"], _products(), PRODUCTS)

        def ours_of(file: Path) -> dict[str, Any]:
            found: dict[str, Any] = json.loads(_process("bench.lines.ours", str(file), str(site_id)))
            return found

        pairs = [(float(_process("bench.lines.anchor", str(path)).split()[0]), ours_of(path)) for _ in range(ROUNDS)]
        anchor, ours = [one for one, _ in pairs], [one for _, one in pairs]
        bar = 1.2 * statistics.median(anchor)
        report("a Polars script: 1,000,000 order lines", anchor, "s", "the anchor")
        report("file to orders with links and findings", [one["seconds"] for one in ours], "s", f"{bar:.1f} s")
        report("of that, file to chunks and profile", [one["read"] for one in ours], "s", "none")
        report("most memory held", [one["memory"] for one in ours], "MB", "1,000 MB")
        report("the ledger anywhere in them", [ms for one in ours for ms in one["ledger"]], "ms", "250 ms")
        report("the ledger while a mapping is edited", [ms for one in ours for ms in one["edited"]], "ms", "250 ms")
        report("a link looked at", [ms for one in ours for ms in one["link"]], "ms", "250 ms")
        four = ours_of(lines_csv(4 * _MILLION))
        once = statistics.median(one["seconds"] for one in ours)
        report("4,000,000 order lines", [four["seconds"]], "s", f"4.4 × {once:.1f} = {4.4 * once:.1f} s")
        report("most memory held", [four["memory"]], "MB", "1,000 MB")


if __name__ == "__main__":
    main()
