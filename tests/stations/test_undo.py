"""What a run did is taken back, as far as nobody has a hand in it since; the rest is listed before that happens."""

from __future__ import annotations

import asyncio
import datetime as dt
from typing import Any

import psycopg
import pytest

from datorum.core.errors import Conflict
from datorum.core.model import FieldMapping, Policy
from datorum.core.plan.frame import rows_of
from datorum.stations import run, undo
from datorum.stations.account import account_of
from datorum.stations.history import runs_of
from datorum.stations.imports import open_import
from datorum.stations.map import save_mapping
from datorum.stations.pilot import telling_items, with_all_meant
from datorum.stations.preflight import preflight
from datorum.stations.rehearse import latest_plan
from datorum.stations.site_now import SiteNow
from datorum.stations.snapshots import start_snapshots, take
from datorum.stations.tolerances import accept
from datorum.stations.undo_view import UndoState, undo_state
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.test_made import BY_NAME, ORDERS
from tests.stations.whole import SITE, Begin, relink

_OWN = ("id", "version", "created_at", "updated_at")


def bodies(site: StandIn, table: str = "customer") -> dict[str, dict[str, Any]]:
    """What the site has, but for what it gives by itself."""
    return {
        str(one.get("email") or one["id"]): {name: value for name, value in one.items() if name not in _OWN}
        for one in site.bodies(table)
    }


def planned_undo(run_id: int, items: set[int] | None = None) -> UndoState:
    with session() as store:
        plan = undo.start_undo(store, "ada", run_id, items)
    asyncio.run(undo.plan_undo(plan.id))
    return state_of(run_id)


def state_of(run_id: int) -> UndoState:
    with session() as store:
        return undo_state(store, run.get_run(store, run_id))


def take_back(run_id: int) -> UndoState:
    plan_id = state_of(run_id).plan_id
    assert plan_id is not None
    with session() as store:
        started = run.start_run(store, "ada", plan_id)
    asyncio.run(run.carry_out(started.id))
    return state_of(run_id)


def change(site: StandIn, email: str, *, tagged: bool = True, **body: Any) -> None:
    """``tagged``: the record gets another entity tag, as it does on most sites."""
    with psycopg.connect(site.database_url) as connection:
        connection.execute(
            "UPDATE customer SET body = body || %s, version = version + %s WHERE body->>'email' = %s",
            [psycopg.types.json.Jsonb(body), int(tagged), email],
        )


def test_all_goes_back_to_what_it_was(small: Journey, site: StandIn) -> None:
    before = bodies(site)
    done = (small.rehearse(), small.run().run)[1]
    assert done is not None
    assert bodies(site) != before
    planned = planned_undo(done.id)
    assert planned.state == "ready"
    assert planned.counts["delete"] + planned.counts["update"] == done.done
    assert bodies(site) != before
    taken = take_back(done.id)
    assert (taken.state, taken.done, taken.failed, taken.left) == ("done", done.done, 0, [])
    assert bodies(site) == before
    now = small.now()
    assert now.run is not None
    assert (now.run.kind, now.run.state) == ("undo", "done")
    assert now.rehearse is not None
    assert "taken back" in now.rehearse.stale
    with session() as store, pytest.raises(Conflict, match="nothing of the run"):
        undo.start_undo(store, "ada", done.id)
    with session() as store, pytest.raises(Conflict, match="not taken back"):
        undo.start_undo(store, "ada", now.run.id)


def test_what_somebody_has_changed_since_stays_and_is_told(small: Journey, site: StandIn) -> None:
    small.rehearse()
    done = small.run().run
    assert done is not None
    with session() as store:
        rows = [row for _, row in _items(store, done.id)]
    made = [row.key or "" for row in rows if row.action == "create"]
    updated = next(row for row in rows if row.action == "update" and len(row.changes) > 1)
    phone = next(iter(updated.changes))
    change(site, made[0], name="By hand")
    with psycopg.connect(site.database_url) as connection:
        connection.execute("DELETE FROM customer WHERE body->>'email' = %s", [made[1]])
    planned = planned_undo(done.id)
    assert {one.key: one.reason for one in planned.left} == {made[0]: "somebody has changed it since: Name"}
    assert planned.counts["unchanged"] == 1
    # And one is changed after the undo was rehearsed.
    change(site, made[2], name="Later by hand")
    taken = take_back(done.id)
    assert (taken.failed, taken.done) == (1, taken.total - 1)
    left = bodies(site)
    assert (left[made[0]]["name"], left[made[2]]["name"]) == ("By hand", "Later by hand")
    assert not set(made[3:]) & left.keys()
    assert phone


def _items(store: Any, run_id: int) -> list[tuple[models.PlanItem, Any]]:
    one = run.get_run(store, run_id)
    items = store.query(models.PlanItem).filter_by(plan_id=one.plan_id, run_id=run_id).order_by(models.PlanItem.item)
    rows = plan_items.rows(store, one.plan_id, [item.item for item in items])
    return [(item, rows[item.item]) for item in items]


def test_what_the_site_keeps_otherwise_than_it_was_sent_nobody_has_changed(small: Journey, site: StandIn) -> None:
    before = bodies(site)
    small.rehearse()
    site.behave(alter_city=True)
    done = small.run().run
    assert done is not None
    altered = {name for name, one in bodies(site).items() if (one.get("address") or {}).get("city", "").isupper()}
    assert len(altered) > 2
    someone, another, *_ = sorted(altered - before.keys())
    change(site, someone, name="By hand")
    change(site, another, name="By hand", tagged=False)
    planned = planned_undo(done.id)
    # By the entity tag that the site gave when it was sent; of the one that is another now, field by field.
    left = {one.key: one.reason for one in planned.left}
    assert left.keys() == {someone, another}
    assert "Name" in left[someone]
    assert "city" in left[someone]
    # Nothing that sites do by themselves explains it, whatever the tag says.
    assert left[another] == "somebody has changed it since: Name"
    small.verify()
    with session() as store:
        accept(store, "ada", run.get_run(store, done.id), "address.city", "case")
    planned = planned_undo(done.id)
    assert {one.reason for one in planned.left} == {"somebody has changed it since: Name"}
    site.behave()
    taken = take_back(done.id)
    assert (taken.state, taken.failed) == ("done", 0)
    after = bodies(site)
    assert after.keys() - before.keys() == {someone, another}
    assert {name: after[name] for name in before} == before


def test_some_records_of_a_run_are_taken_back_alone(small: Journey, site: StandIn) -> None:
    small.rehearse()
    done = small.run().run
    assert done is not None
    with session() as store:
        created = [item.item for item, row in _items(store, done.id) if row.action == "create"][:3]
    count = len(site.bodies())
    assert planned_undo(done.id, set(created)).counts["delete"] == 3
    assert take_back(done.id).done == 3
    assert len(site.bodies()) == count - 3
    # The rest can follow.
    assert planned_undo(done.id).total == done.done - 3


def test_what_was_deleted_is_created_again_where_all_of_a_kind_had_gone(small: Journey, site: StandIn) -> None:
    before = bodies(site)
    small.set_policy(Policy(clear_first=True))
    planned = small.rehearse().rehearse
    assert planned is not None
    assert (planned.counts["delete"], planned.counts["update"]) == (len(before), 0)
    with session() as store:
        plan = latest_plan(store, small.import_id)
        assert plan is not None
        store.query(models.Snapshot).update({"downloaded_at": dt.datetime.now(dt.UTC)})
        started = run.start_run(store, "ada", plan.id, deletes=len(before)).id
    asyncio.run(run.carry_out(started))
    done = small.now().run
    assert done is not None
    assert (done.failed, done.done) == (0, done.total)
    assert len(site.bodies()) == planned.counts["create"]
    verified = small.verify().verify
    assert verified is not None
    assert verified.mismatches == 0
    undone = planned_undo(done.id)
    assert (undone.counts["create"], undone.counts["delete"]) == (len(before), planned.counts["create"])
    assert take_back(done.id).failed == 0
    assert bodies(site) == before


def test_what_links_made_goes_behind_what_means_it(start: Begin, site: StandIn) -> None:
    tables = ("customer", "order")
    site.have(SITE)
    before = {table: bodies(site, table) for table in tables}
    orders = start("orders", ORDERS)
    relink(orders, customer_id=BY_NAME)
    orders.rehearse()
    with session() as store:
        plan = latest_plan(store, orders.import_id)
        assert plan is not None
        told = telling_items(store, plan)
        whole = with_all_meant(store, plan.id, told)
    # What the pilot means goes with it.
    assert any(item < 0 for item in whole)
    done = orders.run().run
    assert done is not None
    assert done.failed == 0
    assert planned_undo(done.id).left == []
    taken = take_back(done.id)
    assert (taken.failed, taken.done) == (0, done.done)
    assert {table: bodies(site, table) for table in tables} == before


def in_two_runs(start: Begin) -> tuple[Journey, int, int]:
    """Orders whose customers are made first, one of them sent in a pilot and the rest after it: the import, and both
    runs."""
    orders = start("orders", ORDERS)
    relink(orders, customer_id=BY_NAME)
    orders.rehearse()
    with session() as store:
        plan = latest_plan(store, orders.import_id)
        assert plan is not None
        first = run.start_run(store, "ada", plan.id, pilot=[2]).id
    asyncio.run(run.carry_out(first))
    rest = orders.run().run
    assert rest is not None
    return orders, first, rest.id


def test_what_a_pilot_made_is_nobodys_change_and_all_runs_are_undone_as_one(start: Begin, site: StandIn) -> None:
    site.have(SITE)
    tables = ("customer", "order")
    before = {table: bodies(site, table) for table in tables}
    orders, first, rest = in_two_runs(start)
    # The second order of the customer whom the pilot made names that customer.
    assert planned_undo(rest).left == []
    with session() as store:
        plan_id = undo.start_undo(store, "ada", rest, with_earlier=True).id
    asyncio.run(undo.plan_undo(plan_id))
    planned = state_of(rest)
    assert (planned.runs, planned.counts["delete"], planned.left) == (2, 5, [])
    taken = take_back(rest)
    assert (taken.state, taken.done, taken.failed) == ("done", 5, 0)
    assert {table: bodies(site, table) for table in tables} == before
    with session() as store:
        account = account_of(store, orders.import_id)
        assert account is not None
        assert (account.runs, account.sent, account.taken, account.undone) == (2, 5, 0, 5)
        sent = [one for one in runs_of(store, orders.import_id) if one.of_run is None]
        assert {one.id: one.done - one.taken_back for one in sent} == {first: 0, rest: 0}


def test_a_pilot_is_undone_after_the_rest_of_its_plan(start: Begin, site: StandIn) -> None:
    site.have(SITE)
    before = bodies(site, "order")
    _, first, rest = in_two_runs(start)
    for number in (rest, first):
        assert planned_undo(number).left == []
        assert take_back(number).failed == 0
    assert bodies(site, "order") == before


def test_what_two_runs_changed_returns_to_what_it_was_before_both(small: Journey, site: StandIn) -> None:
    before = bodies(site)
    small.rehearse()
    small.run()
    with session() as store:
        now = open_import(store, small.import_id)
        phone = FieldMapping(constant="+4712345678")
        fed = now.mapping.model_copy(update={"fields": {**now.mapping.fields, "phone": phone}})
        save_mapping(store, "ada", small.import_id, now.mapping_version, fed)
    small.rehearse()
    second = small.run().run
    assert second is not None
    assert second.done > 0
    with session() as store:
        plan_id = undo.start_undo(store, "ada", second.id, with_earlier=True).id
    asyncio.run(undo.plan_undo(plan_id))
    assert state_of(second.id).left == []
    assert take_back(second.id).failed == 0
    assert bodies(site) == before


def test_what_may_have_arrived_is_asked_for_again(small: Journey, site: StandIn) -> None:
    small.rehearse()
    done = small.run().run
    assert done is not None
    with session() as store:
        made = [(item, row) for item, row in _items(store, done.id) if row.action == "create"][:2]
        for item, _ in made:
            item.state, item.status = "failed", None
        site_has = account_of(store, small.import_id)
    verified = small.verify().verify
    assert verified is not None
    with session() as store:
        account = account_of(store, small.import_id)
        assert account is not None
        assert site_has is not None
        assert (site_has.now, site_has.unexplained) == (None, None)
        assert (account.sent, account.in_question, account.taken) == (done.total, 2, done.total - 2)
        # Both are there: the outcomes alone do not say so.
        assert (account.now, account.unexplained) == (len(site.bodies()), 2)
    (arrived, _), (_, otherwise) = made
    change(site, otherwise.key, name="By hand")
    planned = planned_undo(done.id)
    assert [one.reason for one in planned.left] == [
        "it is not known whether this run made it, and it is not what was sent"
    ]
    with session() as store:
        assert undo.undo_of(store, done.id) is not None
        [row] = plan_items.rows(store, planned.plan_id or 0, [arrived.item]).values()
    assert (row.action, row.reason) == ("delete", "its connection broke; it is as it was sent")


@pytest.mark.parametrize("hold", [False, True])
def test_who_still_points_at_what_would_be_deleted_is_told_and_holds_it_if_wanted(
    small: Journey, site: StandIn, start: Begin, hold: bool
) -> None:
    site.have(SITE)
    small.rehearse()
    done = small.run().run
    assert done is not None
    with session() as store:
        made = [row.key for _, row in _items(store, done.id) if row.action == "create"]
    orders = start("orders", [{**ORDERS[0], "Customer e-mail": made[0]}])
    relink(orders, customer_id={"by": ("email",)})
    orders.rehearse()
    ordered = orders.run().run
    assert ordered is not None
    assert (ordered.done, ordered.failed) == (1, 0)
    with session() as store:
        plan = undo.start_undo(store, "ada", done.id, hold_meant=hold)
    asyncio.run(undo.plan_undo(plan.id))
    planned = state_of(done.id)
    told = planned.left if hold else planned.meant
    assert [(one.key, one.reason) for one in told] == [(made[0], "1 of the site’s orders points at it")]
    assert planned.counts["delete"] == len(made) - hold


def test_a_rehearsal_says_who_points_at_what_would_be_deleted(small: Journey, site: StandIn, start: Begin) -> None:
    site.have(SITE)
    kept = site.bodies()[0]["email"]
    orders = start("orders", [{**ORDERS[0], "Customer e-mail": kept}])
    relink(orders, customer_id={"by": ("email",)})
    orders.rehearse()
    assert orders.run().run is not None
    with session() as store:
        # Orders are read, so that it is known whom they mean.
        site_id = open_import(store, small.import_id).item.site_id
        for one in start_snapshots(store, "ada", site_id, ["orders"]):
            store.commit()
            asyncio.run(take(one.id))
    small.set_policy(Policy(clear_first=True))
    planned = small.rehearse().rehearse
    assert planned is not None
    with session() as store:
        plan = latest_plan(store, small.import_id)
        assert plan is not None
        gone = [row for number in plan_items.chunk_numbers(store, plan.id)
                for row in rows_of(plan_items.chunk(store, plan.id, number)) if row.action == "delete"]  # fmt: skip
        said = {row.reason for row in gone if row.on_site and row.on_site["email"] == kept}
        assert len(said) == 1
        assert "of the site’s orders point" in said.pop()
        points = {one.name: one for one in preflight(store, plan, SiteNow())}
        assert points["pointed at"].state == "warned"
