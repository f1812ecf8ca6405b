"""The page of a site over HTTP: who may see and change what, and what is downloaded."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import httpx

from tests.processes import Served, StandIn


def page(client: httpx.Client) -> dict[str, Any]:
    return dict(client.get("/api/sites/1").raise_for_status().json())


def test_a_site_is_looked_at_corrected_and_put_back(client: httpx.Client, site: StandIn) -> None:
    found = page(client)
    assert len(found["types"]) == 12
    assert found["asks_for"] == ["a token"]
    orders = next(one for one in found["types"] if one["name"] == "orders")
    assert {(link["field"], link["to"]) for link in orders["links"]} >= {("customer_id", "customers")}
    changed = client.put("/api/sites/1/types/orders", json={"size_most": 50, "links": {"number": {"to": "offers"}}})
    changed.raise_for_status()
    orders = next(one for one in changed.json()["types"] if one["name"] == "orders")
    assert orders["corrected"] == {"size_most": 50, "links": {"number": {"to": "offers"}}}
    assert orders["correctable"]["size_most"] == "50"
    overlay = client.get("/api/sites/1/overlay").json()
    assert overlay["overlay"] == "1.0.0"
    wrong = client.put("/api/sites/1/overlay", json={"overlay": "1.0.0", "actions": [{"target": "$["}]})
    assert (wrong.status_code, wrong.json()["type"]) == (422, "urn:datorum:invalid-overlay")
    assert client.put("/api/sites/1/types/growers", json={"title": "x"}).status_code == 404
    empty = {"overlay": "1.0.0", "info": {"title": "none", "version": "1"}, "actions": []}
    assert client.put("/api/sites/1/overlay", json=empty).json()["corrections"] == 0
    health = client.post("/api/sites/1/health").json()
    assert [one["error"] for one in health] == [""] * 12


def test_a_backup_is_sent_as_a_file_and_what_cannot_be_read_is_said_instead(
    client: httpx.Client, site: StandIn
) -> None:
    sent = client.get("/api/sites/1/backup", params={"types": ["customers"]})
    assert sent.headers["content-disposition"].startswith('attachment; filename="site-1-')
    assert zipfile.ZipFile(io.BytesIO(sent.content)).testzip() is None
    assert client.get("/api/sites/1/backup", params={"types": ["growers"]}).status_code == 404
    assert client.get("/api/sites/99/backup").status_code == 404


def test_only_an_administrator_corrects_and_a_viewer_downloads_no_records(served: Served) -> None:
    correction, overlay = {"title": "x"}, {"overlay": "1.0.0", "actions": []}
    for name, statuses in (("bo", (403, 403, 200, 200)), ("jun", (403, 403, 403, 403))):
        with served.signed_in(name) as client:
            asked = (
                client.put("/api/sites/1/types/orders", json=correction),
                client.put("/api/sites/1/overlay", json=overlay),
                client.post("/api/sites/1/health"),
                client.get("/api/sites/1/backup", params={"types": ["terms"]}),
            )
            assert tuple(one.status_code for one in asked) == statuses
            assert client.get("/api/sites/1").status_code == 200
