"""What a site has refused becomes a check of it, and what is still to be sent is held to that before it goes."""

from __future__ import annotations

import asyncio

import pytest

from datorum.core.errors import NotFound
from datorum.stations import run
from datorum.stations.ledger.assemble import ledger
from datorum.stations.ledger.shown import Question
from datorum.stations.pilot import telling_items
from datorum.stations.refusal_rules import make_it_a_check, rule_offered
from datorum.stations.rehearse import latest_plan
from datorum.stations.rules import rules_of
from datorum.stations.run_progress import progress_of
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey


def test_a_refusal_is_made_a_check_that_the_rest_is_held_to(small: Journey, site: StandIn) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    # The document says nothing of it.
    site.behave(postcode_digits=4)
    with session() as store:
        plan = latest_plan(store, small.import_id)
        assert plan is not None
        started = run.start_run(store, "ada", plan.id, pilot=telling_items(store, plan)).id
    asyncio.run(run.carry_out(started))
    with session() as store:
        done = run.get_run(store, started)
        assert done.failed > 0
        [refusal] = progress_of(store, done).refusals
        assert (refusal.field, refusal.records, refusal.status) == ("address.postcode", done.failed, 422)
        assert refusal.said == "address.postcode: postcode must be 4 digits"
        offered = rule_offered(store, done, refusal.item)
        assert (offered.sentence, offered.field) == ("is not of 4 digits", "address.postcode")
        assert offered.to_come > 0
        assert 0 < offered.taken <= done.done
        with pytest.raises(NotFound):
            rule_offered(store, done, 999_999)
    with session() as store:
        held = make_it_a_check(store, "ada", run.get_run(store, started), refusal.item)
    assert held == offered.to_come
    with session() as store:
        pilot = run.get_run(store, started)
        assert pilot.total == done.total == sum(part.total for part in progress_of(store, pilot).parts)
        now = small.now()
        [rule] = rules_of(store, now.site_id, now.record_type)
        assert (rule.sentence, rule.blocks) == ("is not of 4 digits", True)
        shown = ledger(store, small.import_id, Question(station="rehearse", records="action", action="held"))
        assert any(head.note.endswith("postcode is not of 4 digits") for head in shown.records)
    # What was rehearsed before is stale by it, and rehearsed anew the site refuses nothing more.
    again = small.rehearse().rehearse
    assert again is not None
    assert again.counts["held"] >= planned.counts["held"] + held
    rest = small.run().run
    assert rest is not None
    assert (rest.failed, rest.done) == (0, rest.total)


def test_the_rest_of_a_paused_run_goes_on_without_what_would_be_refused(small: Journey, site: StandIn) -> None:
    small.rehearse()
    site.behave(postcode_digits=4, delay_ms=60)
    started = small.start()

    async def some() -> None:
        working = asyncio.create_task(run.carry_out(started))
        while not working.done():
            with session() as store:
                one = run.get_run(store, started)
                if one.failed > 2 and one.done > 2 and one.state == "running":
                    run.pause(store, "ada", started)
            await asyncio.sleep(0.05)

    asyncio.run(some())
    with session() as store:
        one = run.get_run(store, started)
        refused_before, total = one.failed, one.total
        held = make_it_a_check(store, "ada", one, progress_of(store, one).refusals[0].item)
        run.resume(store, "ada", started)
    site.behave(postcode_digits=4)
    asyncio.run(run.carry_out(started))
    done = small.now().run
    assert done is not None
    assert (done.state, done.failed, done.total) == ("done", refused_before, total - held)
    assert held > 0
