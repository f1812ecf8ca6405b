"""What a document says of a site's record types, whatever its manners, and whatever is wrong with it."""

from __future__ import annotations

import json
import random
from typing import Any

import pytest

from datorum.core.errors import SiteUnavailable
from datorum.sites.rest.model import SiteType
from datorum.sites.rest.understand import understand
from tests.sites.documents import Json, manners, shown, takes


@pytest.fixture(scope="module")
def types() -> dict[str, SiteType]:
    return {one.listing.path: one for one in understand(manners()).record_types}


def test_record_types_are_lists_that_can_be_added_to_each_under_a_name_of_its_own(types: dict[str, SiteType]) -> None:
    assert {path: one.name for path, one in types.items()} == {
        "/growers": "growers",
        "/packets.json": "packets",
        "/beds": "beds",
        "/growers/{grower_id}/notes": "growers_notes",
        "/beds/{bedId}/notes": "beds_notes",
    }


def test_what_wraps_lists_entries_answers_and_requests(types: dict[str, SiteType]) -> None:
    growers, packets = types["/growers"], types["/packets.json"]
    assert growers.item is not None
    assert packets.item is not None
    assert (growers.listing.items_at, growers.item.answer_at, growers.create.body_at) == ("data", "data", "data")
    assert (packets.listing.items_at, packets.listing.entry, packets.item.answer_at) == ("rows", "packet", "packet")
    assert packets.create.body_at is None
    assert types["/beds"].listing.items_at is None
    assert types["/growers/{grower_id}/notes"].listing.items_at == "page.notes"
    assert [field.path for field in growers.fields] == ["id", "name", "parent_id"]


def test_where_one_record_is_and_how_it_is_changed(types: dict[str, SiteType]) -> None:
    growers, packets, beds = types["/growers"], types["/packets.json"], types["/beds"]
    assert packets.item is not None
    assert packets.item.path == "/packets/{packet_no}.json"
    ways = [(one.update.method, one.update.path) for one in (growers, packets, beds) if one.update]
    assert ways == [("patch", "/growers/{grower_id}"), ("post", "/packets/{packet_no}.json"), ("put", "/beds")]
    assert [growers.delete is not None, packets.delete is not None] == [True, False]
    assert [call.path for call in growers.bulk] == ["/growers/bulk"]
    assert [call.name for call in growers.actions] == ["invite"]
    notes = types["/growers/{grower_id}/notes"].item
    assert notes is not None
    assert not notes.readable
    assert types["/beds/{bedId}/notes"].item is None


def test_the_id_of_a_record_whatever_it_is_called(types: dict[str, SiteType]) -> None:
    ids = {path: one.id_field for path, one in types.items()}
    assert (ids["/growers"], ids["/packets.json"], ids["/beds"]) == ("id", "packet_no", "_id")
    assert types["/growers/{grower_id}/notes"].parents == ("grower_id",)


def test_how_pages_are_turned(types: dict[str, SiteType]) -> None:
    growers = types["/growers"].listing
    assert (growers.paging.style, growers.paging.styles) == ("next-url", ("page", "next-url"))
    assert (growers.paging.page, growers.paging.size, growers.paging.next_at) == ("page", "per_page", "meta.next")
    assert growers.total_at == "meta.total"
    packets = types["/packets.json"].listing
    assert (packets.paging.style, packets.paging.offset, packets.total_at) == ("offset", "offset", "count")
    assert packets.constants == {"api": "2"}
    notes = types["/growers/{grower_id}/notes"].listing.paging
    assert (notes.style, notes.cursor, notes.next_token_at) == ("cursor", "cursor", "page.next_cursor")
    beds = types["/beds"].listing.paging
    assert (beds.style, beds.cursor) == ("link-header", None)


def test_what_a_request_takes_and_is_answered_with(types: dict[str, SiteType]) -> None:
    created = {path: (one.create.media, one.create.answers) for path, one in types.items()}
    assert created == {
        "/growers": ("application/json", "record"),
        "/packets.json": ("application/x-www-form-urlencoded", "id"),
        "/beds": ("application/json", "later"),
        "/growers/{grower_id}/notes": ("application/json", "location"),
        "/beds/{bedId}/notes": ("application/json", "nothing"),
    }


def test_what_has_to_be_carried(types: dict[str, SiteType]) -> None:
    asked = types["/growers"].auth
    assert asked is not None
    assert [[(one.kind, one.within, one.name) for one in way] for way in asked] == [
        [("apiKey", "query", "api_key"), ("basic", None, None)],
        [("bearer", None, None)],
    ]


def test_links_are_told_with_their_reasons(types: dict[str, SiteType]) -> None:
    [grower] = types["/packets.json"].links
    assert (grower.field, grower.to, grower.by, grower.many) == ("grower_id", "growers", "id", False)
    assert grower.why == "grower_id is called like the id of growers"
    [parent] = types["/growers"].links
    assert (parent.field, parent.to) == ("parent_id", "growers")


def test_a_bad_part_costs_that_part_and_is_told() -> None:
    document = manners()
    document["paths"]["/crates"] = {"get": shown(), "post": takes(shown(), {"type": "object", "properties": [1]})}
    model = understand(document)
    assert len(model.record_types) == 5
    assert [(one.where, bool(one.why)) for one in model.not_understood] == [("/crates", True)]


@pytest.mark.parametrize("document", [{}, {"paths": None}, {"paths": [1]}, [], None])
def test_what_is_no_document_is_refused(document: Any) -> None:
    with pytest.raises(SiteUnavailable):
        understand(document)


@pytest.mark.parametrize("paths", [{}, {"/a": None}, {"/a": {"get": 1, "post": []}}])
def test_what_describes_nothing_has_no_record_types(paths: Json) -> None:
    assert [one.fields for one in understand({"paths": paths}).record_types] in ([], [()])


def _places(part: Any) -> list[tuple[Any, Any]]:
    """Every place in a document, as what holds it and under which name."""
    found: list[tuple[Any, Any]] = []
    names = list(part) if isinstance(part, dict) else range(len(part)) if isinstance(part, list) else ()
    for name in names:
        found += [(part, name), *_places(part[name])]
    return found


def copy(part: Any) -> Any:
    return json.loads(json.dumps(part))


@pytest.mark.parametrize("seed", range(10))
def test_no_damaged_document_is_more_than_not_understood(seed: int) -> None:
    chance = random.Random(seed)
    for _ in range(30):
        document = copy(manners())
        for _ in range(chance.randrange(1, 12)):
            holder, name = chance.choice(_places(document))
            other, its = chance.choice(_places(document))
            holder[name] = chance.choice(
                [
                    None,
                    [],
                    {},
                    7,
                    "text",
                    True,
                    {"$ref": "#/paths"},
                    {"$ref": f"#/{its}"},
                    {"$ref": 3},
                    copy(other[its]),
                ]
            )
        if not isinstance(document.get("paths"), dict):
            continue
        model = understand(document)
        assert len(model.record_types) + len(model.not_understood) <= 12
