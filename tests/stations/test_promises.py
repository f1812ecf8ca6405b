"""What a plan froze is what runs, whatever changes around it; and what has run leaves a trace."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest
from sqlalchemy import text

from datorum.core.errors import Conflict, SiteRefused, SiteUnavailable
from datorum.core.model import Mapping
from datorum.core.table import Dialect
from datorum.sites import NO_LIMITS, Page, Pages, SignIn
from datorum.sites.throttle import Throttle
from datorum.stations import archive, check, imports, listing, read, rehearse, rules, run, sites
from datorum.stations import map as mapping_station
from datorum.stations.basis import Target
from datorum.stations.turns import TurnAt
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.processes import TOKEN, StandIn, free_ports, unguessable
from tests.stations.conftest import Journey, taken_and_left


def stale(journey: Journey) -> str:
    planned = journey.now().rehearse
    assert planned is not None
    return planned.stale


def test_a_run_goes_by_its_plans_key_though_the_mappings_key_changed_while_rows_were_in_doubt(
    small: Journey, site: StandIn
) -> None:
    site.take_duplicates()
    planned = small.rehearse().rehearse
    assert planned is not None
    started = small.start()
    site.behave(drop_after_every=1)
    created = [row for row in taken_and_left(started, 30) if row.action == "create"][:10]
    with psycopg.connect(site.database_url) as connection:
        # They arrived, and the worker died before it could know.
        for row in created:
            flat = {path: change.after for path, change in row.changes.items() if "." not in path}
            address = {p.split(".")[1]: c.after for p, c in row.changes.items() if p.startswith("address.")}
            body = psycopg.types.json.Jsonb({**flat, "address": address})
            connection.execute("INSERT INTO customer (body) VALUES (%s)", [body])
    site.behave()
    with session() as store:
        now = imports.open_import(store, small.import_id)
        other_key = now.mapping.model_copy(update={"match_key": "name"})
        mapping_station.save_mapping(store, "bo", small.import_id, now.mapping_version, other_key)
    asyncio.run(run.carry_out(started))
    done = small.now().run
    assert done is not None
    assert (done.state, done.done) == ("done", done.total)
    assert site.twice() == []


def test_a_plan_and_a_check_are_stale_when_a_rule_was_added(small: Journey) -> None:
    with session() as store:
        check.check_import(store, "ada", small.import_id)
    small.rehearse()
    assert stale(small) == ""
    with session() as store:
        item = imports.get_import(store, small.import_id)
        rules.add_rule(store, "bo", item.site_id, item.record_type, "=LEN([name])>1", "is too short", blocks=True)
    assert stale(small) == "rules were added or taken away"
    checked = small.now().check
    assert checked is not None
    assert checked.stale == "rules were added or taken away"
    with pytest.raises(Conflict, match="rules were added"):
        small.start()


def test_a_plan_is_stale_when_its_site_was_connected_anew_elsewhere(small: Journey, site: StandIn) -> None:
    small.rehearse()
    with session() as store:
        item = imports.get_import(store, small.import_id)
        name = item.site.name
    elsewhere = site.description_url.replace("127.0.0.1", "localhost")
    asyncio.run(sites.connect_site("ada", name, elsewhere, SignIn(token=TOKEN)))
    assert stale(small) == "the site was connected anew at another address"


@pytest.mark.parametrize("at_most", [50, 0])
def test_a_site_that_gives_fewer_records_than_it_says_gives_no_plan(
    small: Journey, site: StandIn, at_most: int
) -> None:
    site.behave(lists_at_most=at_most, grows_by=0 if at_most else 1)
    with pytest.raises(SiteUnavailable):
        small.rehearse()
    planned = small.now().rehearse
    assert planned is not None
    assert planned.state == "failed"
    assert "200 records, and gave 50" in planned.error if at_most else "while they are read" in planned.error


def test_a_total_that_changes_once_is_read_again(
    small: Journey, site: StandIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    readings: list[int] = []

    async def grows_at_first(*_: object) -> Pages:
        readings.append(1)
        yield Page([], 1 if len(readings) == 1 else 0, None)

    monkeypatch.setattr("datorum.sites.rest.client.RestSite.read_all", grows_at_first)
    planned = small.rehearse().rehearse
    assert planned is not None
    assert (planned.state, len(readings)) == ("ready", 2)


def test_what_has_run_is_archived_and_keeps_its_plan_run_and_outcomes(small: Journey, site: StandIn) -> None:
    done = small.rehearse()
    small.run()
    assert done.rehearse is not None
    with session() as store:
        archive.remove_import(store, "ada", small.import_id)
    with session() as store:
        assert small.import_id not in {item.id for item in listing.list_imports(store)}
        assert small.import_id in {item.id for item in listing.list_imports(store, archived=True)}
        outcomes = plan_items.counts_by_state(store, done.rehearse.id)
    assert outcomes["done"] == done.rehearse.counts["create"] + done.rehearse.counts["update"]
    with session() as store, pytest.raises(Conflict, match="archived"):
        rehearse.start_rehearsal(store, "ada", small.import_id)
    with session() as store:
        archive.take_out(store, "ada", small.import_id)
    assert small.now().archived_at is None


def test_the_database_itself_keeps_a_plan_that_has_run(small: Journey) -> None:
    small.rehearse()
    small.start()
    with pytest.raises(Exception, match="fk_run_plan_id"), session() as store:
        store.execute(text("DELETE FROM import WHERE id = :id"), {"id": small.import_id})


def test_an_import_of_which_nothing_has_run_goes_with_its_rehearsal(small: Journey) -> None:
    small.rehearse()
    with session() as store:
        archive.remove_import(store, "ada", small.import_id)
    with session() as store:
        assert store.get(models.Import, small.import_id) is None


WHILE_IT_RUNS: dict[str, Callable[[Journey], object]] = {
    "removed": lambda journey: _in_session(lambda store: archive.remove_import(store, "bo", journey.import_id)),
    "rehearsed": lambda journey: journey.rehearse(),
    "read anew": lambda journey: _in_session(
        lambda store: read.read_again(store, "bo", journey.import_id, _dialect(journey, header_line=0))
    ),
    "connected anew": lambda journey: asyncio.run(_connect_again(journey)),
}


def _in_session(work: Callable[..., object]) -> object:
    with session() as store:
        return work(store)


def _dialect(journey: Journey, **changes: object) -> Dialect:
    return Dialect.model_validate({**journey.now().sheet.dialect, **changes})


async def _connect_again(journey: Journey) -> object:
    with session() as store:
        kept = imports.get_import(store, journey.import_id).site
    return await sites.connect_site("bo", kept.name, kept.address, SignIn(token=TOKEN))


@pytest.mark.parametrize("state", ["waiting", "running", "paused"])
@pytest.mark.parametrize("what", WHILE_IT_RUNS)
def test_while_a_run_is_not_over_nothing_takes_its_ground_away(small: Journey, what: str, state: str) -> None:
    small.rehearse()
    started = small.start()
    with session() as store:
        run.get_run(store, started).state = state
    with pytest.raises(Conflict, match=f"Run {started} is {'paused' if state == 'paused' else 'under way'}"):
        WHILE_IT_RUNS[what](small)
    found = small.now().run
    assert found is not None
    assert found.id == started


def test_a_paused_run_can_be_ended_and_what_it_did_stays_known(small: Journey) -> None:
    planned = small.rehearse().rehearse
    assert planned is not None
    started = small.start()
    taken_and_left(started, 3)
    with session() as store:
        run.pause(store, "ada", started)
        run.end(store, "ada", started)
    ended = small.now().run
    assert ended is not None
    assert (ended.state, ended.in_doubt, ended.total) == (
        "ended",
        3,
        planned.counts["create"] + planned.counts["update"],
    )
    with session() as store, pytest.raises(Conflict, match="not paused"):
        run.resume(store, "ada", started)
    assert small.rehearse().run is None


def test_a_run_is_not_ended_while_its_worker_finishes_what_is_on_its_way(small: Journey) -> None:
    small.rehearse()
    started = small.start()
    with session() as store:
        run.pause(store, "ada", started)
    item = small.now()
    turn = TurnAt(started, item.site_id, NO_LIMITS, Throttle(4))
    assert item.rehearse is not None
    plan_items.claim(item.rehearse.id, started, turn.id, 2, 0)
    with session() as store, pytest.raises(Conflict, match="still being finished"):
        run.end(store, "ada", started)
    told = small.now().run
    assert told is not None
    assert (told.workers, told.in_doubt, told.rate) == (1, 0, 0)
    turn.end()
    told = small.now().run
    assert told is not None
    assert (told.workers, told.in_doubt) == (0, 2)
    with session() as store:
        run.end(store, "ada", started)
    run._end(started, "paused", "")
    ended = small.now().run
    assert ended is not None
    assert ended.state == "ended"


def test_a_run_whose_plan_cannot_be_read_fails_and_is_not_begun_again_and_again(
    small: Journey, monkeypatch: pytest.MonkeyPatch
) -> None:
    small.rehearse()
    started = small.start()

    def unreadable(plan: models.Plan) -> None:
        raise ValueError(f"plan {plan.id} is of another version")

    monkeypatch.setattr(Target, "kept", unreadable)
    with pytest.raises(ValueError, match="another version"):
        asyncio.run(run.carry_out(started))
    monkeypatch.undo()
    assert started not in run.runs_under_way()
    failed = small.now().run
    assert failed is not None
    assert (failed.state, failed.done) == ("failed", 0)
    assert failed.error
    # It goes on once it can be.
    with session() as store:
        run.resume(store, "ada", started)
    asyncio.run(run.carry_out(started))
    done = small.now().run
    assert done is not None
    assert done.state == "done"


def test_a_paused_run_does_not_go_on_at_another_address(small: Journey) -> None:
    small.rehearse()
    started = small.start()
    with session() as store:
        run.pause(store, "ada", started)
        store.get_one(models.Site, small.now().site_id).address = f"http://127.0.0.1:{free_ports(1)[0]}/openapi.json"
    with session() as store, pytest.raises(Conflict, match="another address"):
        run.resume(store, "ada", started)


def test_saves_at_the_same_time_leave_one_mapping_and_show_it_to_the_others(small: Journey) -> None:
    version = small.now().map.version

    def save(number: int) -> Conflict | None:
        try:
            with session() as store:
                mapping_station.save_mapping(
                    store, f"person {number}", small.import_id, version, Mapping(parameters={"n": str(number)})
                )
        except Conflict as conflict:
            return conflict
        return None

    with ThreadPoolExecutor(8) as pool:
        refused = [conflict for conflict in pool.map(save, range(8)) if conflict]
    assert len(refused) == 7
    assert small.now().map.version == version + 1
    for conflict in refused:
        assert conflict.current is not None
        assert conflict.current["version"] == version + 1
        assert conflict.current["mapping"]["parameters"]["n"] in "01234567"


def test_a_site_is_not_connected_with_a_token_that_it_does_not_accept(database: None, site: StandIn) -> None:
    name = unguessable()
    with pytest.raises(SiteRefused, match="does not accept the sign-in"):
        asyncio.run(sites.connect_site("ada", name, site.description_url, SignIn(token="another token")))
    with session() as store:
        assert name not in {one.name for one in sites.list_sites(store)}


def test_a_site_that_cannot_be_read_just_now_is_connected_all_the_same(database: None, site: StandIn) -> None:
    site.behave(unavailable_every=1, retry_after=0)
    assert asyncio.run(sites.connect_site("ada", unguessable(), site.description_url, SignIn(token=TOKEN))).id


def _items(plan_id: int) -> list[tuple[int, str]]:
    with session() as store:
        asked = text("SELECT item, state FROM plan_item WHERE plan_id = :plan ORDER BY item")
        return [tuple(row) for row in store.execute(asked, {"plan": plan_id})]


def test_a_plan_that_breaks_while_it_is_made_leaves_nothing_and_is_made_anew_whole(
    small: Journey, monkeypatch: pytest.MonkeyPatch
) -> None:
    small.rehearse()
    with session() as store:
        before = rehearse.latest_plan(store, small.import_id)
        assert before is not None
        plan = rehearse.start_rehearsal(store, "ada", small.import_id)
    asyncio.run(rehearse.rehearse(plan.id))
    whole = _items(plan.id)
    assert whole == _items(before.id) != []
    with session() as store:
        broken = rehearse.start_rehearsal(store, "ada", small.import_id)

    def breaks(*_: object) -> None:
        raise RuntimeError("out of memory")

    with monkeypatch.context() as patched:
        patched.setattr(rehearse, "keep_awaited", breaks)
        with pytest.raises(RuntimeError):
            rehearse._freeze(broken.id)
    assert _items(broken.id) == []
    with session() as store:
        # As if it had broken after they were kept, and before the plan was.
        asked = text(
            "INSERT INTO plan_item (plan_id, item, chunk, action, state) VALUES (:plan, :item, 0, 'create', 'x')"
        )
        store.execute(asked, [{"plan": broken.id, "item": item} for item in (whole[0][0], 999_999)])
    rehearse._freeze(broken.id)
    assert _items(broken.id) == whole
