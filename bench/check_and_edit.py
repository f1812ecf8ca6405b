"""How long a check of the demo sheet takes, and a step edit until the ledger is redrawn, both in the server."""

from __future__ import annotations

import time

import polars as pl

from bench.figures import report
from bench.surroundings import new_import, surroundings
from datorum.core.steps import Replace
from datorum.stations import check
from datorum.stations.imports import open_import
from datorum.stations.landings import _landed
from datorum.stations.ledger import Question, ledger
from datorum.store.database import session
from demo.data import CustomersDemo

ROUNDS = 9


def _check(import_id: int) -> float:
    _landed.cache_clear()
    with session() as store:
        return 1000 * check.check_import(store, "bench", import_id).seconds


def _edit(import_id: int, number: int) -> float:
    """A step that was never there before is added to the e-mail, and seven records are drawn."""
    with session() as store:
        mapping = open_import(store, import_id).mapping
        email = mapping.fields["email"]
        steps = (*email.steps, Replace(find=f"nothing{number}", by=""))
        fields = {**mapping.fields, "email": email.model_copy(update={"steps": steps})}
        began = time.perf_counter()
        ledger(store, import_id, Question(mapping=mapping.model_copy(update={"fields": fields}), count=7))
        return 1000 * (time.perf_counter() - began)


def _anchor(demo: CustomersDemo) -> float:
    """Polars alone reading the same bytes and stripping every cell: the least that any check must do."""
    began = time.perf_counter()
    pl.read_csv(demo.csv, infer_schema=False).select(pl.all().str.strip_chars())
    return 1000 * (time.perf_counter() - began)


def main() -> None:
    with surroundings() as (site, demo):
        import_id = new_import(site, demo.csv)
        report("Polars reads and strips the sheet", [_anchor(demo) for _ in range(ROUNDS)], "ms", "the anchor")
        report("check 2,412 rows, nothing remembered", [_check(import_id) for _ in range(ROUNDS)], "ms", "500 ms")
        report("edit a step, ledger redrawn", [_edit(import_id, n) for n in range(ROUNDS)], "ms", "150 ms")


if __name__ == "__main__":
    main()
