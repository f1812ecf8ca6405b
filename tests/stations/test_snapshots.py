"""All records of a site, read and kept: whole or not at all, gone on with after a break, and looked at again."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from datorum.core.errors import NotFound, SiteRefused, SiteUnavailable, Stopped
from datorum.core.json_text import loads
from datorum.sites import SignIn
from datorum.sites.rest.reading import ListReader
from datorum.stations import sites, snapshots, work
from datorum.stations.snapshots import Freshness
from datorum.store import models
from datorum.store.database import session
from datorum.store.secrets import seal
from datorum.store.snapshots import ID, chunks, field_columns, key_column, records_in, with_texts
from tests.processes import PLAIN, TOKEN, StandIn


def start(site_id: int, *names: str) -> list[int]:
    with session() as store:
        return [one.id for one in snapshots.start_snapshots(store, "ada", site_id, names)]


def taken(site_id: int, name: str = "customers") -> models.Snapshot:
    """A snapshot that is read to its end."""
    [number] = start(site_id, name)
    asyncio.run(snapshots.take(number))
    return kept(number)


def kept(number: int) -> models.Snapshot:
    with session() as store:
        return store.get_one(models.Snapshot, number)


def bodies(number: int) -> list[dict[str, Any]]:
    with session() as store:
        return [record.body for chunk in chunks(store, number) for record in records_in(chunk)]


def recheck(site_id: int) -> Freshness:
    [found] = asyncio.run(snapshots.recheck("ada", site_id))
    return found


@pytest.fixture
def api(site: StandIn) -> Iterator[httpx.Client]:
    """The stand-in's own API, as its administrator changes it meanwhile."""
    with httpx.Client(
        base_url=f"{site.url}/api", headers={"Authorization": f"Bearer {TOKEN}"}, timeout=180, verify=PLAIN
    ) as client:
        yield client


def test_every_record_is_kept_with_its_id_its_keys_and_what_the_site_gave(connected: int, api: httpx.Client) -> None:
    found = taken(connected)
    assert (found.state, found.records_read) == ("ready", 200)
    with session() as store:
        whole = list(chunks(store, found.id))
    assert sum(chunk.height for chunk in whole) == 200
    given = api.get("/customers").json()["items"][6]
    [mine] = [body for body in bodies(found.id) if body["id"] == 7]
    assert mine == given
    row = whole[0].filter(whole[0][ID] == "7")
    assert row[key_column("email")].to_list() == [given["email"]]


def test_what_fields_have_is_told_from_their_columns_as_from_the_records(connected: int) -> None:
    found = taken(connected)
    texts = {"address.city": "city", "total_spent": "spent", "newsletter": "newsletter", "nothing.of.it": "nothing"}
    with session() as store:
        [kept_so] = chunks(store, found.id, [ID, *field_columns(texts)])
        [whole] = chunks(store, found.id)
    assert "field:address.city" in kept_so.columns
    assert not any(name.startswith("field:") for name in whole.columns), "the rest would be read twice"
    told = with_texts(kept_so, texts).select(ID, *texts.values())
    # As of a chunk from before they were kept.
    assert told.equals(with_texts(whole, texts).select(ID, *texts.values()))
    by_id = {str(body["id"]): body for body in bodies(found.id)}
    for number, *row in told.iter_rows():
        body = by_id[number]
        expected = [body.get("address", {}).get("city"), body.get("total_spent"), body.get("newsletter"), None]
        assert list(map(loads, row)) == expected


def test_a_reading_that_breaks_goes_on_where_it_was(connected: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(snapshots, "_CHUNK", 20)
    monkeypatch.setattr("datorum.sites.rest.reading._page_size", lambda _: 20)
    [number] = start(connected, "customers")
    ask, asked = ListReader._page, list[object]()

    async def some(self: ListReader, *where: Any) -> Any:
        asked.append(where)
        if len(asked) > 4:
            raise SiteUnavailable("The site at there does not answer.")
        return await ask(self, *where)

    with monkeypatch.context() as now:
        now.setattr(ListReader, "_page", some)
        with pytest.raises(SiteUnavailable):
            asyncio.run(snapshots.take(number))
    broken = kept(number)
    assert broken.state == "failed"
    assert 0 < broken.records_read < 200
    assert start(connected, "customers") == [number]
    asyncio.run(snapshots.take(number))
    found = kept(number)
    assert (found.state, found.records_read) == ("ready", 200)
    assert sorted(body["id"] for body in bodies(number)) == list(range(1, 201))


def test_somebody_stops_it_and_it_goes_on(connected: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(snapshots, "_CHUNK", 20)
    monkeypatch.setattr("datorum.sites.rest.reading._page_size", lambda _: 20)
    [number] = start(connected, "customers")
    with session() as store:
        snapshots.stop_snapshots(store, "ada", connected)
    asyncio.run(snapshots.take(number))
    assert kept(number).state == "stopped"
    assert 0 < kept(number).records_read < 200
    with session() as store:
        assert snapshots.ready_snapshots(store, connected) == {}
    assert taken(connected).records_read == 200


def test_a_site_that_gives_fewer_than_it_says_is_no_snapshot(connected: int, site: StandIn) -> None:
    before = taken(connected)
    site.behave(lists_at_most=120)
    [number] = start(connected, "customers")
    with pytest.raises(SiteUnavailable, match="says that it has 200 records, and gave 120"):
        asyncio.run(snapshots.take(number))
    site.behave(lists_at_most=0)
    with session() as store:
        # What was whole before still stands.
        assert snapshots.ready_snapshots(store, connected)["customers"].id == before.id


def test_a_new_one_takes_the_place_of_the_one_before(connected: int, api: httpx.Client) -> None:
    before = taken(connected)
    api.delete("/customers/3").raise_for_status()
    after = taken(connected)
    assert (after.records_read, len(bodies(after.id))) == (199, 199)
    with session() as store:
        assert store.get(models.Snapshot, before.id) is None
        assert list(chunks(store, before.id)) == []


def test_a_few_requests_tell_whether_it_is_still_so(connected: int, api: httpx.Client) -> None:
    found = taken(connected)
    first = recheck(connected)
    assert (first.verdict, first.changed) == ("as it was", 0)
    api.patch("/customers/7", json={"notes": "Called twice"}, params={"notify": False}).raise_for_status()
    new = {"email": "new@quillmoss.example", "name": "New"}
    api.post("/customers", json=new, params={"notify": False}).raise_for_status()
    second = recheck(connected)
    assert (second.verdict, second.changed) == ("brought up to date", 2)
    assert kept(found.id).records_read == 201
    held = {body["id"]: body for body in bodies(found.id)}
    assert len(held) == len(bodies(found.id)) == 201
    assert (held[7]["notes"], held[201]["email"]) == ("Called twice", "new@quillmoss.example")
    api.delete("/customers/9").raise_for_status()
    third = recheck(connected)
    assert (third.verdict, third.why) == (
        "changed", "there are 200 now, and 201 were read or have come since: some are gone",
    )  # fmt: skip
    # Nothing of it is half brought up to date.
    assert len(bodies(found.id)) == 201


def test_a_site_that_gives_no_changes_is_asked_for_what_it_tells(
    connected: int, api: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    taken(connected)
    monkeypatch.setattr("datorum.sites.rest.client.RestSite.changed_since", lambda *_: None)
    same = recheck(connected)
    assert (same.verdict, same.why) == (
        "not told", "there are as many; the site does not say whether one was changed since",
    )  # fmt: skip
    api.delete("/customers/9").raise_for_status()
    fewer = recheck(connected)
    assert (fewer.verdict, fewer.why) == ("changed", "there are 199 now, and 200 were read")


def test_a_site_that_refuses_says_so_and_names_that_are_not_there_are_told(connected: int) -> None:
    with session() as store, pytest.raises(NotFound, match="keeps no growers"):
        snapshots.start_snapshots(store, "ada", connected, ["growers"])
    with pytest.raises(NotFound, match="not read yet"):
        recheck(connected)
    [number] = start(connected, "customers")
    with session() as store:
        sites.get_site(store, connected).sealed_sign_in = seal(SignIn(token="another").model_dump_json())
    with pytest.raises(SiteRefused):
        asyncio.run(snapshots.take(number))
    assert "does not accept the sign-in" in kept(number).error


def test_all_types_are_read_where_none_is_named_and_forgotten_together(connected: int) -> None:
    numbers = start(connected)
    assert len(numbers) == 12
    for number in numbers[:3]:
        asyncio.run(snapshots.take(number))
    with session() as store:
        assert len(snapshots.ready_snapshots(store, connected)) == 3
        snapshots.forget_snapshots(store, "ada", connected)
    with session() as store:
        assert snapshots.latest_snapshots(store, connected) == {}
    # One that was forgotten while a worker has it comes to its end quietly.
    asyncio.run(snapshots.take(numbers[4]))


def test_a_reading_that_two_are_at_keeps_every_record_once(connected: int, monkeypatch: pytest.MonkeyPatch) -> None:
    with session() as store:
        [number] = [one.id for one in snapshots.start_snapshots(store, "ada", connected, ["customers"])]
    kept, held = snapshots._keep, asyncio.Event()
    added_to: list[str] = []

    async def both() -> None:
        loop, waits = asyncio.get_running_loop(), iter((True, False))

        def late(*given: Any) -> None:
            # The first to have anything to keep does so when the other is through.
            if next(waits, False):
                asyncio.run_coroutine_threadsafe(held.wait(), loop).result(30)
            kept(*given)
            with session() as store:
                added_to.append(store.get_one(models.Snapshot, number).state)

        monkeypatch.setattr(snapshots, "_keep", late)
        first, second = asyncio.create_task(snapshots.take(number)), asyncio.create_task(snapshots.take(number))
        done, _ = await asyncio.wait({first, second}, return_when=asyncio.FIRST_COMPLETED)
        assert len(done) == 1
        held.set()
        await asyncio.gather(first, second)

    asyncio.run(both())
    # Who looks at one that is ready never sees it while it is added to.
    assert set(added_to) == {"reading"}
    with session() as store:
        ids = [one for chunk in chunks(store, number) for one in chunk[ID]]
        found = store.get_one(models.Snapshot, number)
        assert (found.state, found.records_read) == ("ready", len(ids))
    assert len(set(ids)) == len(ids) > 0


@pytest.mark.parametrize(("state", "error"), [("failed", SiteUnavailable), ("stopped", Stopped)])
def test_what_another_has_failed_to_read_meanwhile_is_told_to_whoever_waits_for_it(
    connected: int, site: StandIn, monkeypatch: pytest.MonkeyPatch, state: str, error: type[Exception]
) -> None:
    async def fails_elsewhere(snapshot_id: int, progress: object = None) -> None:
        work.Doing("snapshot", snapshot_id).end(state, "The site answers 503.")

    monkeypatch.setattr(snapshots, "take", fails_elsewhere)
    with pytest.raises(error):
        asyncio.run(snapshots.read_fresh("ada", connected, ["customers"]))
