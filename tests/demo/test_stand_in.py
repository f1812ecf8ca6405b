"""The stand-in site does what its description says, and misbehaves when told to."""

from __future__ import annotations

import httpx
import pytest

from tests.processes import TOKEN, StandIn

NEW = {"email": "ada.new@example.org", "name": "Ada New"}


@pytest.fixture
def http(site: StandIn) -> httpx.Client:
    return httpx.Client(base_url=site.url, headers={"Authorization": f"Bearer {TOKEN}"})


def test_a_token_is_needed(site: StandIn) -> None:
    refused = httpx.get(f"{site.url}/api/customers")
    assert (refused.status_code, refused.headers["content-type"]) == (401, "application/problem+json")


def test_a_list_is_paged_and_leads_on(http: httpx.Client) -> None:
    first = http.get("/api/customers", params={"per_page": 150})
    assert (len(first.json()["items"]), first.json()["total"]) == (150, 200)
    following = http.get(first.links["next"]["url"])
    assert len(following.json()["items"]) == 50
    assert "next" not in following.links


def test_a_second_record_of_the_same_email_is_a_conflict(http: httpx.Client) -> None:
    assert http.post("/api/customers", json=NEW).status_code == 201
    assert http.post("/api/customers", json=NEW | {"email": "ADA.new@example.org"}).status_code == 409


def test_a_body_that_breaks_constraints_is_told_where(http: httpx.Client) -> None:
    refused = http.post("/api/customers", json={"email": "nobody", "name": "x" * 121, "plan": "bonsai", "shoe": 43})
    assert refused.status_code == 422
    assert {error["pointer"] for error in refused.json()["errors"]} == {"#/email", "#/name", "#/plan", "#/shoe"}


def test_entity_tags_guard_a_change(http: httpx.Client) -> None:
    made = http.post("/api/customers", json=NEW)
    path = made.headers["location"]
    changed = http.patch(path, json={"plan": "grove"}, headers={"If-Match": made.headers["etag"]})
    assert (changed.status_code, changed.json()["plan"]) == (200, "grove")
    late = http.patch(path, json={"plan": "orchard"}, headers={"If-Match": made.headers["etag"]})
    assert late.status_code == 412


def test_a_change_keeps_what_it_does_not_carry(http: httpx.Client) -> None:
    made = http.post("/api/customers", json=NEW | {"address": {"city": "Quillham", "street": "The Rye 1"}})
    changed = http.patch(made.headers["location"], json={"address": {"city": "Ryewick"}}).json()
    assert changed["address"] == {"city": "Ryewick", "street": "The Rye 1"}


def test_a_removed_record_is_gone(http: httpx.Client) -> None:
    path = http.post("/api/customers", json=NEW).headers["location"]
    assert http.delete(path).status_code == 204
    assert http.get(path).status_code == 404


def test_a_person_can_look_at_a_record(http: httpx.Client) -> None:
    made = http.post("/api/customers", json=NEW).json()
    page = httpx.get(made["url"])
    assert page.status_code == 200
    assert "Ada New" in page.text


@pytest.mark.parametrize(
    ("how", "status"),
    [({"too_many_every": 1, "retry_after": 3}, 429), ({"unavailable_every": 1, "retry_after": 3}, 503)],
)
def test_it_asks_for_time_when_told_to(http: httpx.Client, site: StandIn, how: dict[str, int], status: int) -> None:
    site.behave(**how)
    answer = http.get("/api/customers")
    assert (answer.status_code, answer.headers["retry-after"]) == (status, "3")


def test_it_hangs_up_when_told_to(http: httpx.Client, site: StandIn) -> None:
    site.behave(drop_before_every=1)
    with pytest.raises(httpx.TransportError):
        http.post("/api/customers", json=NEW)
    site.behave(drop_after_every=1)
    with pytest.raises(httpx.TransportError):
        http.post("/api/customers", json=NEW)
    site.behave()
    assert http.get("/api/customers", params={"email": NEW["email"]}).json()["total"] == 1
