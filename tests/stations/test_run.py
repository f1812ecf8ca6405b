"""A run survives anything, and nothing happens twice."""

from __future__ import annotations

import asyncio
import threading

import psycopg
import pytest
from sqlalchemy import update

from datorum.core.errors import NotReady
from datorum.core.model import Policy
from datorum.sites import SiteLimits
from datorum.sites.retry import Retry
from datorum.stations import run, sites
from datorum.store import models
from datorum.store.database import session
from tests.processes import StandIn, until
from tests.stations.conftest import Journey, taken_and_left


def test_a_second_start_is_the_same_run(small: Journey, site: StandIn) -> None:
    small.rehearse()
    assert small.start() == small.start()
    small.run()
    count = len(site.bodies())
    small.run()
    assert len(site.bodies()) == count


def test_the_site_may_ask_for_time_and_hang_up_and_every_row_still_goes_once(small: Journey, site: StandIn) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    site.take_duplicates()
    site.behave(too_many_every=11, unavailable_every=13, drop_before_every=17, drop_after_every=7, retry_after=0)
    done = small.run().run
    assert done is not None
    assert (done.state, done.failed) == ("done", 0)
    assert done.done == planned.counts["create"] + planned.counts["update"]
    site.behave()
    assert site.twice() == []
    verified = small.verify().verify
    assert verified is not None
    assert verified.mismatches == 0


@pytest.mark.parametrize("asked", [500, 700])
def test_a_run_is_paused_at_once_though_the_site_asked_for_minutes(small: Journey, site: StandIn, asked: int) -> None:
    """At 700 seconds the run pauses by itself, at 500 a person pauses it while it waits."""
    planned = small.rehearse().rehearse
    assert planned is not None
    site.behave(unavailable_every=1, retry_after=asked)
    number = small.start()
    running = threading.Thread(target=asyncio.run, args=(run.carry_out(number),))
    running.start()
    until(lambda: (now := small.now().run) and (now.response_ms or now.state == "paused"), "the first answer")
    if asked == 500:
        with session() as store:
            run.pause(store, "ada", number)
    running.join(20)
    assert not running.is_alive()
    paused = small.now().run
    assert paused is not None
    assert (paused.state, paused.done, paused.failed) == ("paused", 0, 0)
    site.behave()
    with session() as store:
        run.resume(store, "ada", number)
    done = small.run().run
    assert done is not None
    assert (done.state, done.failed) == ("done", 0)
    assert done.done == planned.counts["create"] + planned.counts["update"]
    assert site.twice() == []


def test_a_site_that_is_away_pauses_the_run_and_loses_nothing(
    small: Journey, site: StandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("datorum.stations.sender._RETRY", Retry(tries=2))
    small.rehearse()
    site.behave(unavailable_every=1, retry_after=0)
    paused = small.run().run
    assert paused is not None
    assert (paused.state, paused.done, paused.failed) == ("paused", 0, 0)
    assert "503" in paused.error
    site.behave()
    with session() as store:
        run.resume(store, "ada", paused.id)
    done = small.run().run
    assert done is not None
    assert (done.state, done.done) == ("done", done.total)


def test_a_row_that_was_being_sent_when_the_worker_died_is_looked_up_first(small: Journey, site: StandIn) -> None:
    site.take_duplicates()
    planned = small.rehearse().rehearse
    assert planned is not None
    started = small.start()
    created = [row for row in taken_and_left(started, 10) if row.action == "create"]
    # One arrived before the worker died, the others never left.
    with psycopg.connect(site.database_url) as connection:
        body = {path: change.after for path, change in created[0].changes.items() if "." not in path}
        address = {p.split(".")[1]: c.after for p, c in created[0].changes.items() if p.startswith("address.")}
        connection.execute(
            "INSERT INTO customer (body) VALUES (%s)",
            [psycopg.types.json.Jsonb({**body, "address": address})],
        )
    asyncio.run(run.carry_out(started))
    done = small.now().run
    assert done is not None
    assert (done.state, done.done, done.failed) == ("done", done.total, 0)
    assert site.twice() == []


def test_a_record_changed_since_the_rehearsal_is_left_alone_and_reported(small: Journey, site: StandIn) -> None:
    small.rehearse()
    planned = small.now().rehearse
    assert planned is not None
    with psycopg.connect(site.database_url) as connection:
        meanwhile = """{"plan": "orchard", "newsletter": null, "total_spent": 1, "address": {"city": "Elsewhere"}}"""
        connection.execute("UPDATE customer SET body = body || %s::jsonb, version = version + 1", [meanwhile])
    done = small.run().run
    assert done is not None
    assert done.failed == planned.counts["update"] > 0
    with session() as store:
        [first, *_] = run.failed_rows(store, run.get_run(store, done.id))
    assert "Changed on the site since the rehearsal" in first.item.message


def test_what_the_site_refuses_is_kept_with_what_it_said(small: Journey, site: StandIn) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    [row] = taken_and_left(small.start(), 1)
    with session() as store:
        # It never left.
        store.execute(update(models.PlanItem).where(models.PlanItem.state == "sending").values(state="pending"))
    with psycopg.connect(site.database_url) as connection:
        connection.execute("INSERT INTO customer (body) VALUES (%s)", [psycopg.types.json.Jsonb({"email": row.key})])
    done = small.run().run
    assert done is not None
    assert (done.failed, done.done) == (1, done.total - 1)
    with session() as store:
        [failed] = run.failed_rows(store, run.get_run(store, done.id))
    assert (failed.row, failed.item.status) == (row, 409)
    assert "exists already" in failed.item.message


def test_a_run_pauses_when_asked_and_goes_on(small: Journey, site: StandIn) -> None:
    site.take_duplicates()
    small.rehearse()
    site.behave(delay_ms=200)
    started = small.start()
    worker = threading.Thread(target=lambda: asyncio.run(run.carry_out(started)))
    worker.start()
    until(lambda: (now := small.now().run) and now.done >= 5, "some records")
    with session() as store:
        run.pause(store, "ada", started)
    worker.join(180)
    paused = small.now().run
    assert paused is not None
    assert paused.state == "paused"
    assert 5 <= paused.done < paused.total
    site.behave()
    with session() as store:
        run.resume(store, "ada", started)
    done = small.run().run
    assert done is not None
    assert (done.state, done.done) == ("done", done.total)
    assert site.twice() == []


def test_a_run_that_goes_on_before_what_was_on_its_way_came_to_its_end_is_not_paused_by_that(
    small: Journey, site: StandIn
) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    number = small.start()
    site.behave(delay_ms=500)
    running = threading.Thread(target=asyncio.run, args=(run.carry_out(number),))
    running.start()
    until(lambda: small.now().run.state == "running", "the run")  # type: ignore[union-attr]
    with session() as store:
        run.pause(store, "ada", number)
    with session() as store:
        run.resume(store, "ada", number)
    running.join(30)
    site.behave()
    assert small.now().run.state == "waiting"  # type: ignore[union-attr]
    done = small.run().run
    assert done is not None
    assert (done.state, done.done, done.failed) == ("done", done.total, 0)
    assert site.twice() == []


def test_several_workers_share_a_run_and_nothing_goes_twice(small: Journey, site: StandIn) -> None:
    site.take_duplicates()
    small.rehearse()
    started = small.start()
    site.behave(delay_ms=100)
    workers = [threading.Thread(target=lambda: asyncio.run(run.carry_out(started))) for _ in range(3)]
    for worker in workers:
        worker.start()
    until(lambda: (now := small.now().run) and now.workers == 3, "three workers")
    for worker in workers:
        worker.join(120)
    done = small.now().run
    assert done is not None
    assert (done.state, done.done, done.failed, done.workers) == ("done", done.total, 0, 0)
    assert site.twice() == []


def test_a_run_that_sits_out_quiet_hours_goes_on_when_they_are_taken_out(small: Journey, site: StandIn) -> None:
    all_day = SiteLimits.model_validate(
        {"quiet": [{"begins": "00:00", "ends": "12:00"}, {"begins": "12:00", "ends": "00:00"}]}
    )
    small.rehearse()
    started, number = small.start(), small.now().site_id
    with session() as store:
        sites.set_limits(store, "ada", number, all_day)
    working = threading.Thread(target=lambda: asyncio.run(run.carry_out(started)))
    working.start()
    until(lambda: (now := small.now().run) and "quiet hours" in now.error, "the quiet hours")
    with session() as store:
        sites.set_limits(store, "ada", number, SiteLimits())
    working.join(60)
    done = small.now().run
    assert done is not None
    assert (done.state, done.done, done.error) == ("done", done.total, "")
    assert site.twice() == []


def test_mail_is_sent_only_where_the_policy_says_so(small: Journey, site: StandIn) -> None:
    small.set_policy(Policy(send_mail=True))
    planned = small.rehearse().rehearse
    small.run()
    assert planned is not None
    assert site.mails() == planned.counts["create"]


def test_a_plan_that_does_nothing_is_not_run(small: Journey) -> None:
    small.set_policy(Policy(on_match="skip", on_no_match="skip"))
    small.rehearse()
    with pytest.raises(NotReady, match="has nothing to send"):
        small.start()


def test_what_comes_to_its_end_after_a_pause_is_told_as_well(small: Journey) -> None:
    small.rehearse()
    number = small.start()
    for state in ("running", "paused"):
        for done in (3, 5):
            with session() as store:
                kept = store.get_one(models.Run, number)
                kept.state, kept.done = state, done
            now = small.now().run
            assert now is not None
            assert (now.state, now.done) == (state, done)
