"""Work under way is asked for once, tells how far it is, and ends in one of four ways."""

from __future__ import annotations

import asyncio
import datetime as dt

import psycopg
import pytest
from sqlalchemy import select

from datorum.core.errors import SiteUnavailable, Stopped
from datorum.stations import rehearse, snapshots, work
from datorum.store import models
from datorum.store.database import session
from tests.stations.conftest import Journey


def asked(kind: str = "check", subject: str = "7") -> None:
    with session() as store:
        work.ask(store, kind, subject, "ada")


def state(kind: str = "check", subject: str = "7") -> tuple[str, str] | None:
    with session() as store:
        found = work.under_way(store, kind, subject)
        return (found.state, found.error) if found else None


@pytest.mark.usefixtures("database")
def test_what_is_over_is_there_no_more() -> None:
    asked()
    with work.doing("check", "7") as now:
        assert now is not None
        assert state() == ("going", "")
        assert work.to_do(["check", "verify"]) == [("check", 7, None)]
    assert state() is None
    with work.doing("check", "7") as again:
        assert again is None


@pytest.mark.usefixtures("database")
def test_what_fails_says_why_and_is_begun_again_only_when_asked_for() -> None:
    asked()
    with pytest.raises(SiteUnavailable), work.doing("check", "7"):
        raise SiteUnavailable("The site does not answer.")
    failed = state()
    assert failed is not None
    assert (failed[0], "does not answer" in failed[1]) == ("failed", True)
    assert work.to_do(["check"]) == []
    with work.doing("check", "7") as now:
        assert now is None
    asked()
    assert state() == ("waiting", "")


@pytest.mark.usefixtures("database")
def test_what_the_database_cuts_short_is_still_to_do() -> None:
    asked()
    with pytest.raises(psycopg.OperationalError), work.doing("check", "7"):
        raise psycopg.OperationalError("server closed the connection")
    assert work.to_do(["check"]) == [("check", 7, None)]


@pytest.mark.usefixtures("database")
@pytest.mark.parametrize("gone", [False, True])
def test_what_somebody_stops_ends_where_it_next_tells_how_far_it_is(gone: bool) -> None:
    asked()
    with work.doing("check", "7") as now:
        assert now is not None
        with session() as store:
            if gone:
                store.delete(store.get_one(models.Work, ("check", "7")))
            else:
                work.stop(store, "check", "7")
        with pytest.raises(Stopped):
            now.tell(5, 9)
        raise Stopped("It was stopped.")
    assert state() == (None if gone else ("stopped", ""))


@pytest.mark.usefixtures("database")
def test_the_time_left_goes_by_this_turn_alone() -> None:
    began = dt.datetime(2026, 3, 1, 12, 0, tzinfo=dt.UTC)
    now = models.Work(
        kind="snapshot", subject="1", state="going", done=600, total=1_000, began_with=400, began_at=began
    )
    assert work.seconds_left(now, began + dt.timedelta(seconds=10)) == 20
    now.state = "waiting"
    assert work.seconds_left(now, began) is None


def test_a_rehearsal_can_be_stopped_and_made_anew(small: Journey, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("datorum.sites.rest.reading._page_size", lambda _: 20)
    with session() as store:
        plan = rehearse.start_rehearsal(store, "ada", small.import_id)
        rehearse.stop_rehearsal(store, "bo", small.import_id)
    asyncio.run(rehearse.rehearse(plan.id))
    stopped = small.now().rehearse
    assert stopped is not None
    assert (stopped.state, stopped.error) == ("stopped", "")
    assert small.rehearse().rehearse is not None
    made = small.now().rehearse
    assert made is not None
    assert (made.state, made.id != plan.id) == ("ready", True)


def test_what_was_to_become_of_the_items_of_a_plan_goes_with_it(small: Journey) -> None:
    plans: list[int] = []
    for _ in range(3):
        small.rehearse()
        with session() as store:
            plans += store.scalars(select(models.Plan.id).order_by(models.Plan.id.desc()).limit(1))
    with session() as store:
        kept = set(store.scalars(select(models.PlanItem.plan_id).where(models.PlanItem.plan_id.in_(plans))))
        there = set(store.scalars(select(models.Plan.id).where(models.Plan.id.in_(plans))))
    assert kept == there
    assert plans[0] not in kept


def test_work_on_what_is_forgotten_is_forgotten_with_it(connected: int) -> None:
    with session() as store:
        numbers = [one.id for one in snapshots.start_snapshots(store, "ada", connected, ["customers", "terms"])]
        found = work.under_way(store, "snapshot", numbers[0])
        assert found is not None
        assert found.site_id == connected
    with session() as store:
        snapshots.forget_snapshots(store, "ada", connected)
    assert work.to_do(["snapshot"]) == []
