"""Descriptions of a site have versions; what a person corrects is one, and imports rest on theirs until they go on."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from datorum.core.errors import AnotherServer, Conflict, InvalidOverlay, NotFound, NotReady, SiteUnavailable
from datorum.sites import WAYS, Correction, SignIn, fetch_document
from datorum.sites.rest.overlay import LinkCorrected
from datorum.stations import corrections, sites
from datorum.stations.descriptions import description_of, history_of, version_of
from datorum.stations.health import health_of, sign_in_words, ways_of
from datorum.stations.imports import get_import, latest_mapping, open_import
from datorum.stations.map import save_mapping
from datorum.stations.preflight import Point, must_be_agreed_to, preflight
from datorum.stations.rehearse import latest_plan, rehearse, start_rehearsal
from datorum.stations.site_now import site_now
from datorum.store.database import session
from datorum.store.secrets import seal
from tests.processes import TOKEN, StandIn
from tests.stations.conftest import Journey

SHEET = b"E-mail;Name;Notes\na@quillmoss.example;Ada;early\nb@quillmoss.example;Bo;late\n"


@pytest.fixture
def says(monkeypatch: pytest.MonkeyPatch) -> list[Callable[[Any], None]]:
    """Changes that the site makes to its document before anybody is given it."""
    changes: list[Callable[[Any], None]] = []
    fetch = fetch_document

    async def changed(*arguments: Any, **named: Any) -> Any:
        document = await fetch(*arguments, **named)
        for change in changes:
            change(document)
        return document

    monkeypatch.setitem(WAYS, "rest", replace(WAYS["rest"], fetch=changed))
    return changes


def _fields(document: Any) -> Any:
    return document["components"]["schemas"]["NewCustomer"]["properties"]


def again(site_id: int) -> None:
    asyncio.run(sites.change_site("bo", site_id))


def versions(site_id: int) -> list[tuple[int, list[tuple[str, str]]]]:
    with session() as store:
        told = history_of(store, sites.get_site(store, site_id))
        return [(kept.version, [(one.field, one.what) for one in found]) for kept, found in told]


def correct(site_id: int, **said: Any) -> None:
    with session() as store:
        corrections.correct_type(store, "ada", site_id, "customers", Correction(**said))


def news(journey: Journey) -> list[tuple[str, str, bool]]:
    with session() as store:
        told = corrections.what_is_new(store, get_import(store, journey.import_id))
        assert all(one.title for one in told if one.field)
        return [(one.field, one.what, one.fed) for one in told]


def test_a_site_that_says_the_same_again_gets_no_new_version(connected: int) -> None:
    again(connected)
    assert versions(connected) == [(1, [])]


def test_what_a_site_says_otherwise_is_told_and_imports_go_on_when_somebody_says_so(
    connected: int, begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)
    journey.rehearse()

    def without_notes(document: Any) -> None:
        fields = _fields(document)
        del fields["notes"]
        fields["name"]["maxLength"] = 2
        fields["mother_tongue"] = {"type": "string"}

    says.append(without_notes)
    again(connected)
    told = [("mother_tongue", "is new"), ("name", "is of another length"), ("notes", "is no longer taken")]
    assert versions(connected)[0] == (2, told)
    assert [one[:2] for one in news(journey)] == told
    assert {field for field, _, fed in news(journey) if fed} == {"name", "notes"}
    assert journey.now().site_says_otherwise
    # Until then it rests on what it rested on.
    assert not journey.now().rehearse.stale  # type: ignore[union-attr]
    with session() as store:
        corrections.go_on_with_latest(store, "bo", journey.import_id)
    now = journey.now()
    assert not now.site_says_otherwise
    assert "describes its records otherwise" in now.rehearse.stale or "mapping" in now.rehearse.stale  # type: ignore[union-attr]
    with session() as store:
        latest = latest_mapping(store, journey.import_id)
        assert "notes" not in latest.body["fields"]
        assert latest.created_by == "bo"
    assert news(journey) == []


def test_an_import_goes_on_by_itself_where_nothing_of_its_records_has_changed(
    connected: int, begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)
    says.append(lambda document: document["info"].update(description="A word more."))
    again(connected)
    assert [version for version, _ in versions(connected)] == [2, 1]
    assert not journey.now().site_says_otherwise


def test_an_import_of_records_that_are_gone_stays_where_it_is(
    connected: int, begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)

    def as_growers(document: Any) -> None:
        document["paths"] = {path.replace("customers", "growers"): item for path, item in document["paths"].items()}

    says.append(as_growers)
    with session() as store:
        before = sites.get_site(store, connected)
    # The list is not there, but what it says of itself is kept: nothing is read yet.
    again(before.id)
    assert ("", "is no longer there") in versions(connected)[0][1]
    with session() as store, pytest.raises(NotFound, match="keeps no customers"):
        corrections.go_on_with_latest(store, "bo", journey.import_id)
    assert journey.now().record_type == "customers"


def test_a_correction_is_a_version_of_its_own_and_stays_when_the_site_is_tried_again(connected: int) -> None:
    correct(connected, title="Members", links={"referred_by": LinkCorrected(to="customers", by="email")})
    correct(connected, unique=("member_number",))
    again(connected)
    with session() as store:
        site = sites.get_site(store, connected)
        customers = description_of(site).type("customers")
        assert version_of(store, site).version == 3
        assert (customers.title, customers.record_type.key_candidates) == ("Members", ("member_number",))
        told = corrections.overlay_of(store, connected)
        assert (told["overlay"], told["extends"]) == ("1.0.0", site.address)
        assert corrections.said_of(told)["/api/customers"].title == "Members"


def test_corrections_that_were_downloaded_are_given_to_another_datorum(connected: int, site: StandIn) -> None:
    correct(connected, title="Members")
    with session() as store:
        told = corrections.overlay_of(store, connected)
    other = asyncio.run(sites.connect_site("ada", "other", site.description_url, SignIn(token=TOKEN))).id
    with session() as store:
        corrections.replace_overlay(store, "ada", other, told)
        assert description_of(sites.get_site(store, other)).type("customers").title == "Members"
        corrections.replace_overlay(store, "ada", other, None)
        assert description_of(sites.get_site(store, other)).type("customers").title == "Customers"


def test_no_correction_leads_to_a_server_that_nobody_agreed_to_or_breaks_what_stands(connected: int) -> None:
    moved = {"overlay": "1.0.0", "actions": [{"target": "$", "update": {"servers": [{"url": "https://else.example"}]}}]}
    with session() as store, pytest.raises(AnotherServer, match=r"else\.example"):
        corrections.replace_overlay(store, "ada", connected, moved)
    unreadable = {"overlay": "1.0.0", "actions": [{"target": "$[", "update": {}}]}
    with session() as store, pytest.raises(InvalidOverlay):
        corrections.replace_overlay(store, "ada", connected, unreadable)
    with session() as store, pytest.raises(NotFound, match="no such"):
        corrections.correct_type(store, "ada", connected, "no such", Correction(title="x"))
    assert [version for version, _ in versions(connected)] == [1]


def test_nothing_is_corrected_or_renewed_while_a_run_is_not_over(
    connected: int, begin: Callable[[bytes], Journey]
) -> None:
    journey = begin(SHEET)
    journey.rehearse()
    journey.start()
    with pytest.raises(Conflict, match="under way"):
        correct(connected, title="Members")
    with session() as store, pytest.raises(Conflict, match="under way"):
        corrections.go_on_with_latest(store, "bo", journey.import_id)


def test_a_mapping_that_was_saved_meanwhile_goes_on_too(
    connected: int, begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)
    says.append(lambda document: _fields(document).pop("notes"))
    again(connected)
    with session() as store:
        mapping = open_import(store, journey.import_id).mapping
        fields = {path: fed for path, fed in mapping.fields.items() if path != "name"}
        save_mapping(store, "ada", journey.import_id, 1, mapping.model_copy(update={"fields": fields}))
    with session() as store:
        corrections.go_on_with_latest(store, "bo", journey.import_id)
        assert set(latest_mapping(store, journey.import_id).body["fields"]) == {"email"}


def test_the_health_of_a_site_and_what_it_is_in_words(connected: int, site: StandIn) -> None:
    customers, *others = asyncio.run(health_of(connected))
    assert {(one.records, one.error) for one in others} == {(0, "")}
    assert (customers.records, customers.at_least, customers.error) == (200, 200, "")
    with session() as store:
        description = description_of(sites.get_site(store, connected))
    assert sign_in_words(description) == ["a token"]
    ways = dict(ways_of(description.type("customers")))
    assert ways["list"] == "GET /api/customers, the records in items"
    assert ways["pages"] == "numbers, page; per_page at a time, 200 at most"
    assert ways["mail"] == "notify=false silences it"
    with session() as store:
        kept = sites.get_site(store, connected)
        kept.sealed_sign_in = seal(SignIn(token="another").model_dump_json())
    refused, *_ = asyncio.run(health_of(connected))
    assert "does not accept the sign-in" in refused.error


def test_what_is_corrected_is_told_by_what_it_changes(connected: int) -> None:
    correct(connected, size_most=50)
    correct(connected, silences_mail="quiet")
    correct(connected, links={"member_number": LinkCorrected(to="customers", by="email")})
    told = [[what for _, what in found] for _, found in versions(connected)]
    assert told == [["points at other records"], ["is silenced otherwise"], ["is listed otherwise"], []]


def _described_point(journey: Journey) -> Point:
    with session() as store:
        plan = latest_plan(store, journey.import_id)
        assert plan is not None
        there = asyncio.run(site_now(plan.id))
        return next(one for one in preflight(store, plan, there) if one.name == "description")


def test_a_plan_is_not_run_on_a_description_that_the_site_has_changed_since(
    begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)
    journey.rehearse()
    assert _described_point(journey).state == "good"
    says.append(lambda document: _fields(document).update(mother_tongue={"type": "string"}))
    other = _described_point(journey)
    assert (other.state, "Mother tongue" in other.text or "mother_tongue" in other.text) == ("warned", True)
    says.append(lambda document: _fields(document).pop("notes"))
    used = _described_point(journey)
    assert (used.state, "Notes is no longer" in used.text) == ("held", True)
    with pytest.raises(Conflict, match="Notes is no longer"):
        must_be_agreed_to([used], ["description"])
    # And it is not rehearsed on it either; what the site says is at hand to be gone on with.
    with session() as store:
        again = start_rehearsal(store, "ada", journey.import_id)
    with pytest.raises(NotReady, match="Notes is no longer"):
        asyncio.run(rehearse(again.id))
    assert journey.now().site_says_otherwise
    with session() as store:
        corrections.go_on_with_latest(store, "bo", journey.import_id)
    assert journey.rehearse().rehearse.state == "ready"  # type: ignore[union-attr]


def test_a_document_that_cannot_be_had_is_told_and_the_rehearsal_goes_on(
    begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    journey = begin(SHEET)

    def away(_: Any) -> None:
        raise SiteUnavailable("The site answers 404.")

    says.append(away)
    assert journey.rehearse().rehearse.state == "ready"  # type: ignore[union-attr]
    point = _described_point(journey)
    assert (point.state, "is not known: The site answers 404" in point.text) == ("warned", True)


def test_a_mapping_that_nobody_touched_is_suggested_anew_when_the_site_is_corrected(
    connected: int, begin: Callable[[bytes], Journey], says: list[Callable[[Any], None]]
) -> None:
    says.append(lambda document: _fields(document)["notes"].update(title="Zzz"))
    again(connected)
    untouched, rehearsed = begin(SHEET), begin(SHEET)
    rehearsed.rehearse()
    correct(connected, unique=("notes",))
    with session() as store:
        keys = [open_import(store, one.import_id).mapping.match_key for one in (untouched, rehearsed)]
        left = [open_import(store, one.import_id).item.description_id for one in (untouched, rehearsed)]
        assert keys == ["notes", "email"]
        assert left[0] == sites.get_site(store, connected).description_id != left[1]
