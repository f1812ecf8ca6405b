"""A million rows beside a script of Polars alone, four million beside one, and what it takes to look around in them."""

from __future__ import annotations

import json
import random
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bench.figures import report
from bench.million.data import customers_csv
from bench.million.mapping import value_tables
from bench.surroundings import new_import, surroundings
from datorum.core.steps import Replace
from datorum.stations import read
from datorum.stations.imports import get_import, open_import
from datorum.stations.ledger import Question, ledger
from datorum.store.database import session

ROUNDS = 3
_MILLION = 1_000_000


def _process(module: str, *arguments: str) -> str:
    done = subprocess.run([sys.executable, "-m", module, *arguments], stdout=subprocess.PIPE, text=True, check=True)
    return done.stdout


def _anchor(path: Path, tables: str) -> float:
    return float(_process("bench.million.anchor", str(path), tables).split()[0])


def _ours(path: Path, tables: str, site_id: int) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(_process("bench.million.ours", str(path), tables, str(site_id)))
    return found


def _milliseconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - began)


def _scroll(import_id: int, first: int) -> float:
    def look() -> None:
        with session() as store:
            read.rows_at(store, open_import(store, import_id), first, 100)

    return _milliseconds(look)


def _edit(import_id: int, number: int) -> float:
    """A step that was never there before is added to a field, and seven telling records are drawn."""
    with session() as store:
        mapping = open_import(store, import_id).mapping
        name = mapping.fields["name"]
        changed = name.model_copy(update={"steps": (*name.steps, Replace(find=f"nothing{number}", by=""))})
        draft = mapping.model_copy(update={"fields": {**mapping.fields, "name": changed}})
        question = Question(mapping=draft, records="telling", count=7)
        return _milliseconds(lambda: ledger(store, import_id, question))


def main() -> None:
    path, tables = customers_csv(_MILLION), json.dumps(value_tables())
    with surroundings() as (site, demo):
        with session() as store:
            site_id = get_import(store, new_import(site, demo.csv)).site_id
        # In turn, so that neither side has the quieter machine.
        pairs = [(_anchor(path, tables), _ours(path, tables, site_id)) for _ in range(ROUNDS)]
        anchor, ours = [one for one, _ in pairs], [one for _, one in pairs]
        bar = statistics.median(anchor)
        report("a Polars script: 1,000,000 rows", anchor, "s", "the anchor")
        report("file to chunks, profile, check, findings", [one["seconds"] for one in ours], "s", f"{bar:.1f} s")
        report("of that, file to chunks and profile", [one["read"] for one in ours], "s", "none")
        report("most memory held", [one["memory"] for one in ours], "MB", "700 MB")
        import_id = ours[-1]["import"]
        chance = random.Random(7)
        scrolled = [_scroll(import_id, chance.randrange(_MILLION)) for _ in range(31)]
        report("100 rows at any place of 1,000,000", scrolled, "ms", "60 ms")
        _edit(import_id, -1)
        report("edit a step, 7 telling records redrawn", [_edit(import_id, n) for n in range(9)], "ms", "100 ms")
        four = _ours(customers_csv(4 * _MILLION), tables, site_id)
        once = statistics.median(one["seconds"] for one in ours)
        report("4,000,000 rows", [four["seconds"]], "s", f"4.3 × {once:.1f} = {4.3 * once:.1f} s")
        report("most memory held", [four["memory"]], "MB", "700 MB")


if __name__ == "__main__":
    main()
