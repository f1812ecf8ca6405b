"""What a person knows better lies over a site's document as an OpenAPI Overlay, and is read like the rest of it."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.errors import InvalidOverlay
from datorum.sites import Correction, checked, corrected, overlay_with, path_of
from datorum.sites.rest.model import SiteType
from datorum.sites.rest.overlay import LinkCorrected
from datorum.sites.rest.understand import understand
from tests.sites.documents import Json, manners


def overlay(*actions: Json) -> Json:
    return {"overlay": "1.0.0", "info": {"title": "t", "version": "1"}, "actions": list(actions)}


def understood(correction: Correction, path: str = "/growers") -> SiteType:
    found = understand(corrected(manners(), overlay_with(None, "Quillmoss", path, correction))).record_types
    return next(one for one in found if one.listing.path == path)


def test_each_thing_that_can_be_corrected_is() -> None:
    growers = understood(
        Correction(
            title="Growers of seed", items_at="other", total_at="", id_field="name", body_at="", page="p",
            size_most=50, next_at="", silences_mail="quiet", unique=("name",), page_field="name", entry="one",
        )
    )  # fmt: skip
    listing, paging = growers.listing, growers.listing.paging
    assert (growers.title, growers.id_field, growers.page_field) == ("Growers of seed", "name", "name")
    assert (listing.items_at, listing.total_at, listing.entry) == ("other", None, "one")
    assert (paging.page, paging.size, paging.size_most, paging.next_at) == ("p", "per_page", 50, None)
    assert growers.create.body_at is None
    assert [one.name for one in growers.mails] == ["quiet"]
    assert growers.record_type.key_candidates == ("name",)


def test_a_link_is_set_taken_away_and_left_to_be_found() -> None:
    said = {"name": LinkCorrected(to="packets", by="title"), "parent_id": LinkCorrected(to=None)}
    links = {one.field: (one.to, one.by, one.confidence) for one in understood(Correction(links=said)).links}
    assert links == {"name": ("packets", "title", 1.0)}
    untouched = {one.field for one in understood(Correction()).links}
    assert untouched == {"parent_id"}


def test_what_is_said_later_lies_over_what_was_said_before() -> None:
    first = overlay_with(None, "Quillmoss", "/growers", Correction(title="One", size_most=5))
    both = overlay_with(first, "Quillmoss", "/growers", Correction(title="Two"))
    both = overlay_with(both, "Quillmoss", "/beds", Correction(title="Rows"))
    assert [path_of(action["target"]) for action in both["actions"]] == ["/growers", "/beds"]
    found = {one.listing.path: one for one in understand(corrected(manners(), both)).record_types}
    assert (found["/growers"].title, found["/growers"].listing.paging.size_most) == ("Two", 5)
    assert found["/beds"].title == "Rows"
    checked(both)


@pytest.mark.parametrize("path", ["/growers", "/it's/{a}", "/back\\slash"])
def test_a_path_is_found_again_whatever_is_in_it(path: str) -> None:
    document: Json = {"paths": {path: {"get": {}}}}
    told = overlay_with(None, "Quillmoss", path, Correction(title="x"))
    assert path_of(told["actions"][0]["target"]) == path
    assert corrected(document, told)["paths"][path]["x-datorum"] == {"title": "x"}


def test_an_overlay_from_elsewhere_changes_the_document_as_the_standard_has_it() -> None:
    document: dict[str, Any] = {"tags": [1], "paths": {"/a": {"get": {"x": 1}, "put": {}}, "/b": {"get": {}}}}
    told = overlay(
        {"target": "$.paths.*.get", "update": {"x": 2, "deep": {"er": True}}},
        {"target": "$.tags", "update": 2},
        {"target": "$.paths['/a'].put", "remove": True},
        {"target": "$.no.such.place", "update": {"x": 3}},
    )
    found = corrected(document, told)
    assert found["paths"] == {
        "/a": {"get": {"x": 2, "deep": {"er": True}}},
        "/b": {"get": {"x": 2, "deep": {"er": True}}},
    }
    assert found["tags"] == [1, 2]
    assert document["tags"] == [1]
    items = corrected({"list": [0, 1, 2, 3]}, overlay({"target": "$.list[1:3]", "remove": True}))
    assert items == {"list": [0, 3]}


@pytest.mark.parametrize(
    ("told", "says"),
    [
        ([], "no OpenAPI Overlay"),
        ({"overlay": "2.0.0", "actions": []}, "no OpenAPI Overlay"),
        ({"overlay": "1.0.0"}, "no list of actions"),
        (overlay({"update": {}}), "Action 1 of the overlay has no target"),
        (overlay({"target": "$.paths", "update": {}}, {"target": "$[", "update": {}}), "target of action 2"),
        (overlay({"target": "$.paths[?match(@, '(a+)+$')]", "update": {}}), "looks for a pattern"),
        (overlay({"target": "$.openapi", "update": {"a": 1}}), "over a single value"),
    ],
)
def test_what_is_no_overlay_is_refused_with_the_action_that_is_wrong(told: Any, says: str) -> None:
    with pytest.raises(InvalidOverlay, match=says.replace("(", r"\(")):
        corrected(manners(), told)


def test_a_correction_that_cannot_be_read_is_refused_before_it_is_kept_and_costs_one_type_where_it_is() -> None:
    wrong = overlay({"target": "$.paths['/beds']", "update": {"x-datorum": {"size_most": "many"}}})
    with pytest.raises(InvalidOverlay, match="corrects “size_most”"):
        checked(wrong)
    model = understand(corrected(manners(), wrong))
    assert [gap.where for gap in model.not_understood] == ["/beds"]
    assert "/growers" in {one.listing.path for one in model.record_types}
