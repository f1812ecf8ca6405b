"""The stand-in site does what its description says, and misbehaves when told to."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from tests.processes import PLAIN, TOKEN, StandIn

NEW = {"email": "ada.new@example.org", "name": "Ada New"}


@pytest.fixture
def http(site: StandIn) -> httpx.Client:
    return httpx.Client(base_url=site.url, headers={"Authorization": f"Bearer {TOKEN}"}, timeout=180, verify=PLAIN)


def test_a_token_is_needed(site: StandIn) -> None:
    refused = httpx.get(f"{site.url}/api/customers", timeout=180, verify=PLAIN)
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
    page = httpx.get(made["url"], timeout=180, verify=PLAIN)
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


def made(http: httpx.Client, to: str, **body: object) -> dict[str, Any]:
    answer = http.post(f"/api/{to}", json=body)
    assert answer.status_code == 201, answer.text
    return dict(answer.json())


def test_what_a_record_points_at_has_to_be_there(http: httpx.Client) -> None:
    customer = made(http, "customers", **NEW)["id"]
    made(http, "products", sku="QB-102", name="Runner bean", slug="runner-bean", price=42)
    lines = [
        {"product_sku": "QB-102", "quantity": 2, "price": 42},
        {"product_sku": "QB-999", "quantity": 1, "price": 9},
    ]
    order = {"customer_id": customer, "placed_at": "2026-11-03T10:00:00Z", "lines": lines}
    refused = http.post("/api/orders", json=order | {"customer_id": 9999, "offer_code": "NONE"})
    assert refused.status_code == 422
    assert {one["pointer"] for one in refused.json()["errors"]} == {
        "#/customer_id", "#/offer_code", "#/lines/1/product_sku",
    }  # fmt: skip
    first = made(http, "orders", **(order | {"lines": lines[:1], "number": 8000}))
    # Numbers go on from the largest.
    assert made(http, "orders", **(order | {"lines": lines[:1]}))["number"] == 8001
    assert http.post("/api/orders", json=order | {"lines": lines[:1], "number": 8000}).status_code == 409
    assert http.get("/api/orders", params={"number": 8000}).json()["items"][0]["id"] == first["id"]


def test_an_open_field_is_added_before_it_is_used(http: httpx.Client) -> None:
    product = {"sku": "QB-102", "name": "Runner bean", "slug": "runner-bean", "price": 42}
    refused = http.post("/api/products", json=product | {"metadata": {"sowing": "May"}})
    assert refused.json()["errors"] == [{"pointer": "#/metadata/sowing", "detail": refused.json()["detail"]}]
    made(http, "open-fields", name="sowing", title="Sowing", of="products")
    path = http.post("/api/products", json=product | {"metadata": {"sowing": "May"}}).headers["location"]
    made(http, "open-fields", name="harvest", title="Harvest", of="products")
    changed = http.patch(path, json={"metadata": {"harvest": "August"}}).json()
    assert changed["metadata"] == {"sowing": "May", "harvest": "August"}


def test_mail_of_each_kind_is_written_unless_it_is_silenced(http: httpx.Client, site: StandIn) -> None:
    customer = http.post("/api/customers", json=NEW, params={"notify": False}).json()["id"]
    made(http, "products", sku="QB-102", name="Runner bean", slug="runner-bean", price=42)
    order = {
        "customer_id": customer, "placed_at": "2026-11-03T10:00:00Z",
        "lines": [{"product_sku": "QB-102", "quantity": 1, "price": 42}],
    }  # fmt: skip
    assert site.mails() == 0
    path = http.post("/api/orders", json=order).headers["location"]
    http.patch(path, json={"status": "sent"})
    http.patch(path, json={"note": "no news"})
    http.patch(path, json={"status": "done"}, params={"notify": False})
    made(http, "offers", code="SPRING", kind="percent", amount=10)
    assert site.mails() == 3


def test_a_member_is_invited_and_signs_in_with_a_password_that_nobody_is_shown(
    http: httpx.Client, site: StandIn
) -> None:
    user = made(http, "users", username="bo.rye", email="bo@quillmoss.example", password="rye-and-moss")
    assert not {"password", "password_hash"} & user.keys()
    assert http.post(f"/api/users/{user['id']}/invite").status_code == 204
    assert http.post("/api/users/9999/invite").status_code == 404
    assert site.mails() == 1
    right = http.post("/sign-in", data={"username": "bo.rye", "password": "rye-and-moss"})
    assert "Welcome, bo.rye" in right.text
    for name, password in (("bo.rye", "wrong"), ("nobody", "rye-and-moss")):
        assert http.post("/sign-in", data={"username": name, "password": password}).status_code == 401
    assert "rye-and-moss" not in http.get(f"/users/{user['id']}").text


def test_a_file_is_handed_in_for_a_medium(http: httpx.Client) -> None:
    medium = made(http, "media", filename="bean.jpg")["id"]
    assert http.post(f"/api/media/{medium}/file", files={"file": b"picture"}).status_code == 422
    assert http.post(f"/api/media/{medium}/file", files={"file": b"%PDF-1.7 bean"}).status_code == 204
    assert http.post("/api/media/9999/file", files={"file": b"%PDF-1.7"}).status_code == 404
    found = http.get(f"/api/media/{medium}").json()
    assert (found["size"], found["content_type"]) == (13, "application/pdf")
    assert http.get(found["file_url"]).content == b"%PDF-1.7 bean"


def test_a_person_finds_their_way_by_the_menu(http: httpx.Client) -> None:
    term = made(http, "vocabularies", name="habit", title="Habit")
    made(http, "terms", vocabulary_name="habit", slug="climbing", name="Climbing")
    assert term["name"] == "habit"
    home = http.get("/").text
    for name in ("customers", "orders", "course-entries", "terms"):
        assert f'href="/{name}"' in home
        assert http.get(f"/{name}").status_code == 200
    assert "Climbing" in http.get("/terms", params={"vocabulary_name": "habit"}).text
    assert "Climbing" not in http.get("/terms", params={"vocabulary_name": "colour"}).text
    assert (http.get("/growers").status_code, http.get("/terms/99").status_code) == (404, 404)
