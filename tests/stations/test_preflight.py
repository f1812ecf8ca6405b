"""What is to be in order before a run, and what sets it right."""

from __future__ import annotations

import asyncio
import datetime as dt

import httpx
import pytest

from datorum.core.errors import Conflict
from datorum.core.model import Policy
from datorum.sites import SiteLimits
from datorum.stations import backup, preflight, run, sites, verify
from datorum.stations.preflight import Point
from datorum.stations.rehearse import latest_plan
from datorum.stations.site_now import site_now
from datorum.store import models
from datorum.store.database import session
from tests.processes import TOKEN, StandIn
from tests.stations.conftest import Journey


def points(journey: Journey, *, pilot: bool = False) -> dict[str, Point]:
    with session() as store:
        plan = latest_plan(store, journey.import_id)
        assert plan is not None
        return {one.name: one for one in preflight.preflight(store, plan, asyncio.run(site_now(plan.id)), pilot=pilot)}


def test_each_point_that_is_not_in_order_says_what_sets_it_right(small: Journey, site: StandIn) -> None:
    small.set_policy(Policy(send_mail=True))
    small.rehearse()
    found = points(small)
    assert {name for name, one in found.items() if one.state != "good"} >= {"mail", "backup", "pilot", "worker"}
    assert all(one.remedy for name, one in found.items() if one.state != "good")
    assert "pilot" not in points(small, pilot=True)
    for _ in backup.backup_of(small.now().site_id, ["customers"]):
        pass
    small.set_policy(Policy())
    assert (points(small)["backup"].state, points(small)["plan"].state) == ("good", "held")
    assert "the policy changed" in points(small)["plan"].text


def test_a_site_that_was_read_long_ago_and_has_quiet_hours(small: Journey, site: StandIn) -> None:
    small.rehearse()
    with session() as store:
        plan = latest_plan(store, small.import_id)
        assert plan is not None
        plan.snapshot_at = dt.datetime.now(dt.UTC) - dt.timedelta(hours=3)
        quiet = [{"begins": "00:00", "ends": "12:00"}, {"begins": "12:00", "ends": "00:00"}]
        store.get_one(models.Site, small.now().site_id).limits = {"quiet": quiet, "zone": "UTC"}
    found = points(small)
    assert (found["snapshot"].state, "3 hours ago" in found["snapshot"].text) == ("warned", True)
    assert found["quiet hours"].state == "warned"


def test_a_pilot_is_in_order_once_it_is_verified_as_sent(small: Journey, site: StandIn) -> None:
    small.rehearse()
    with session() as store:
        plan = latest_plan(store, small.import_id)
        assert plan is not None
        pending = store.query(models.PlanItem.item).filter_by(plan_id=plan.id, state="pending")
        started = run.start_run(store, "ada", plan.id, pilot=[item for (item,) in pending.limit(3)])
    asyncio.run(run.carry_out(started.id))
    assert points(small)["pilot"].text == "the pilot was not verified"
    with session() as store:
        verification = verify.start_verification(store, "ada", started.id)
    asyncio.run(verify.verify(verification.id))
    assert points(small)["pilot"].state == "good"


def test_what_is_not_agreed_to_is_named() -> None:
    amiss = Point(name="mail", state="warned", text="the site sends its mail", remedy="Have it silenced.")
    fine = Point(name="disk", state="good", text="plenty")
    assert preflight.must_be_agreed_to([amiss, fine], ["mail"]) == ["the site sends its mail"]
    with pytest.raises(Conflict, match="the site sends its mail") as refused:
        preflight.must_be_agreed_to([amiss, fine], [])
    assert refused.value.current == {"points": [amiss.model_dump()]}
    held = Point(name="room", state="held", text="the site would have 12 of at most 10 customers")
    with pytest.raises(Conflict, match="12 of at most 10"):
        preflight.must_be_agreed_to([amiss, held], ["mail", "room"])


def test_a_site_that_has_changed_since_the_rehearsal_is_told(
    small: Journey, site: StandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    small.rehearse()
    assert (
        points(small)["site"].text
        == "the site has as many records as when it was rehearsed, and none was changed since"
    )
    with httpx.Client(base_url=f"{site.url}/api", headers={"Authorization": f"Bearer {TOKEN}"}, timeout=180) as api:
        api.patch("/customers/3", json={"notes": "Rang"}, params={"notify": False}).raise_for_status()
        assert points(small)["site"].text == "a record was changed on the site since"
        new = {"email": "new@quillmoss.example", "name": "New"}
        api.post("/customers", json=new, params={"notify": False}).raise_for_status()
    assert points(small)["site"].text == "the site has 1 record more than when it was rehearsed"
    small.rehearse()
    small.run()
    # What the plan itself has made is no change.
    assert points(small)["site"].state == "good"
    monkeypatch.setattr("datorum.stations.site_now._SECONDS", 0.0)
    late = points(small)["site"]
    assert (late.state, late.text) == ("warned", "the site does not answer: it takes too long to answer")


def test_no_run_begins_beyond_the_room_that_a_site_has(small: Journey, connected: int) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    assert "room" not in points(small)
    then = planned.records_read + planned.counts["create"]
    for most, state in ((then, "good"), (then - 1, "held")):
        with session() as store:
            sites.set_limits(store, "ada", connected, SiteLimits(room={"customers": most}))
        room = points(small)["room"]
        assert (room.state, room.text) == (state, f"the site would have {then:,} of at most {most:,} customers")
