"""A plan as a spreadsheet, and what is otherwise than in the one before."""

from __future__ import annotations

import csv
from pathlib import Path

import polars as pl
import psycopg

from datorum.core.model import Policy
from datorum.stations.plan_book import PlanDrift, drift_of, write_plan
from datorum.stations.rehearse import latest_plan
from datorum.store import models
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def drift(journey: Journey) -> PlanDrift:
    with session() as store:
        plan = latest_plan(store, journey.import_id)
        assert plan is not None
        return drift_of(store, plan)


def test_the_whole_plan_is_in_it_with_what_each_field_is_now_and_after(small: Journey, tmp_path: Path) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    for name in ("plan.csv", "plan.xlsx"):
        with session() as store:
            plan = latest_plan(store, small.import_id)
            assert plan is not None
            write_plan(store, plan, tmp_path / name)
    rows = list(csv.DictReader((tmp_path / "plan.csv").read_text("utf-8-sig").splitlines()))
    assert len(rows) == sum(planned.counts.values())
    updated = [row for row in rows if row["What happens"] == "update" and row["Plan (plan), after"]]
    assert updated
    assert all(row["Plan (plan), now"] != row["Plan (plan), after"] for row in updated)
    assert all(row["Why"] for row in rows if row["What happens"] == "held")
    book = {name: pl.read_excel(tmp_path / "plan.xlsx", sheet_name=name, engine="calamine", has_header=False,
                                drop_empty_rows=False) for name in ("Summary", "Plan")}  # fmt: skip
    summary = {what: str(said) for what, said, *_ in book["Summary"].iter_rows()}
    assert (summary["create"], summary["Rehearsed"].endswith("by ada")) == (f"{planned.counts['create']:,}", True)
    assert len(summary["SHA-256"]) == 64
    assert "Signature" in summary
    assert book["Plan"].height == len(rows) + 1


def test_what_is_otherwise_is_told_by_key(small: Journey, site: StandIn) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    assert (drift(small).since, drift(small).changes) == (None, [])
    with psycopg.connect(site.database_url) as connection:
        connection.execute("DELETE FROM customer")
    again = small.rehearse().rehearse
    assert again is not None
    told = {(one.was, one.now): one.records for one in drift(small).changes}
    assert told[("update", "create")] == planned.counts["update"]
    assert told.keys() <= {("update", "create"), ("unchanged", "create")}
    # Of plans that nobody has carried out just the last is kept beside the one that counts.
    small.set_policy(Policy(on_match="skip"))
    small.rehearse()
    with session() as store:
        assert store.query(models.Plan).filter_by(import_id=small.import_id).count() == 2
