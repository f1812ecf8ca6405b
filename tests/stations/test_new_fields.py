"""Fields that a sheet has and a site lacks are added by name, made first by the run, and taken back with the rest."""

from __future__ import annotations

import asyncio

import pytest

from datorum.core.errors import InvalidMapping
from datorum.stations import run, undo
from datorum.stations.imports import open_import
from datorum.stations.made import made_of
from datorum.stations.new_fields import add_field, field_to_add
from datorum.stations.rehearse import latest_plan
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import Begin, Rows

PRODUCTS: Rows = [
    {"SKU": f"QB-10{at}", "Name": f"Kale {at}", "Slug": f"kale-{at}", "Price": "3.00", "Sowing time": time}
    for at, time in ((1, "May"), (2, ""), (3, "June"))
]  # fmt: skip


def _added(journey: Journey, name: str = "sowing_time", part: str = "metadata") -> None:
    with session() as store:
        add_field(store, "ada", journey.import_id, part, name, "Sowing time", "Sowing time")


def test_a_column_becomes_a_field_that_is_made_first_and_taken_back_last(start: Begin, site: StandIn) -> None:
    site.have({"open_field": [{"name": "harvest", "title": "Harvest", "of": "products"}]})
    journey = start("products", PRODUCTS)
    with session() as store:
        offered = field_to_add(open_import(store, journey.import_id), "Sowing time")
    assert [(one.path, one.made_by) for one in offered.parts] == [("metadata", "Open fields")]
    assert (offered.name, offered.title) == ("sowing_time", "Sowing time")
    _added(journey)
    planned = journey.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["create"], planned.made, planned.to_send) == (3, {"open-fields": 1}, 4)
    with session() as store:
        plan = latest_plan(store, journey.import_id)
        assert plan is not None
        [made] = made_of(store, plan, 0, 10).records
    assert (made.key, [(one.title, one.value) for one in made.fields]) == (
        "sowing_time", [("Of", "products"), ("Title", "Sowing time")],
    )  # fmt: skip
    done = journey.run().run
    assert done is not None
    assert (done.done, done.failed) == (4, 0)
    verified = journey.verify().verify
    assert verified is not None
    assert verified.mismatches == 0
    sown = {one["sku"]: one.get("metadata", {}).get("sowing_time") for one in site.bodies("product")}
    assert sown == {"QB-101": "May", "QB-102": None, "QB-103": "June"}
    again = journey.rehearse().rehearse
    assert again is not None
    assert (again.made, again.counts["unchanged"]) == ({}, 3)
    with session() as store:
        inverse = undo.start_undo(store, "ada", done.id).id
    asyncio.run(undo.plan_undo(inverse))
    with session() as store:
        taken = run.start_run(store, "ada", inverse).id
    asyncio.run(run.carry_out(taken))
    assert site.bodies("product") == []
    assert [one["name"] for one in site.bodies("open_field")] == ["harvest"]


def test_what_is_there_is_not_made_again_and_nothing_is_made_for_what_does_not_go(start: Begin, site: StandIn) -> None:
    site.have({"open_field": [{"name": "sowing_time", "title": "Sowing", "of": "products"}]})
    known = start("products", PRODUCTS)
    _added(known)
    planned = known.rehearse().rehearse
    assert planned is not None
    assert planned.made == {}
    held = start("products", [{**PRODUCTS[0], "Price": "dear", "Sowing time": "May"}])
    _added(held, "sowing_month")
    planned = held.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["held"], planned.made, planned.to_send) == (1, {}, 0)


def test_names_that_the_site_does_not_take_are_refused_and_where_there_is_no_part_it_is_said(start: Begin) -> None:
    journey = start("products", PRODUCTS)
    with pytest.raises(InvalidMapping, match="“Sowing Time”"):
        _added(journey, "Sowing Time")
    with pytest.raises(InvalidMapping, match="without points"):
        _added(journey, "a.b")
    with pytest.raises(InvalidMapping, match="no part"):
        _added(journey, part="variants")
