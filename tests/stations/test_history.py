"""Every run of an import stays known, with its plan, its outcome and what reading back proved."""

from __future__ import annotations

import psycopg
import pytest
from psycopg.types.json import Jsonb
from sqlalchemy import select

from datorum.core.errors import NotFound
from datorum.stations import history, rehearse
from datorum.stations.history import PastRun, RunReport
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def runs(journey: Journey) -> list[PastRun]:
    with session() as store:
        return history.runs_of(store, journey.import_id)


def report(journey: Journey, run_id: int) -> RunReport:
    with session() as store:
        return history.report_of(store, journey.import_id, run_id)


def test_each_run_is_kept_with_its_plan_outcome_and_verification(small: Journey, site: StandIn) -> None:
    assert runs(small) == []
    small.rehearse()
    with session() as store:
        plan = rehearse.latest_plan(store, small.import_id)
        assert plan is not None
        item = models.PlanItem
        number = store.scalars(select(item.item).where(item.plan_id == plan.id, item.action == "create")).first()
        assert number is not None
        key = plan_items.rows(store, plan.id, [number])[number].key
    with psycopg.connect(site.database_url) as connection:
        other = Jsonb({**site.bodies()[0], "email": key})
        connection.execute("INSERT INTO customer (body) VALUES (%s)", [other])
    small.run()
    small.rehearse()
    assert len(runs(small)) == 1
    site.behave(alter_city=True)
    small.run()
    verified = small.verify().verify
    assert verified is not None

    latest, first = runs(small)
    assert (first.failed, first.done, first.state, first.started_by) == (1, first.total - 1, "done", "ada")
    assert first.verification is None
    assert (latest.done, latest.failed, latest.filename) == (latest.total, 0, "customers.csv")
    assert latest.counts["update"] == 1
    assert latest.verification is not None
    assert (latest.verification.compared, latest.verification.differ) == (verified.compared, verified.mismatches)
    assert [row.key for row in report(small, first.id).failed] == [key]
    second = report(small, latest.id)
    assert (second.failed, {one.key for one in second.mismatches}) == ([], {key})
    assert {change.records for change in second.changed_fields} == {1}


def test_a_run_is_looked_up_in_its_own_import_alone(small: Journey) -> None:
    small.rehearse()
    small.run()
    with session() as store, pytest.raises(NotFound):
        history.report_of(store, small.import_id, runs(small)[0].id + 1)
    with session() as store, pytest.raises(NotFound):
        history.runs_of(store, small.import_id + 1)
