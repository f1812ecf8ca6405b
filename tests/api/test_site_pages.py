"""The page of a site over HTTP: who may see and change what, and what is downloaded."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import httpx

from tests.processes import TOKEN, Served, StandIn, until


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


def read(client: httpx.Client, *types: str) -> list[dict[str, Any]]:
    """A snapshot of some record types, when a worker has read it."""
    client.post("/api/sites/1/snapshot", json={"types": types}).raise_for_status()

    def ready() -> list[dict[str, Any]] | None:
        kept: list[dict[str, Any]] = client.get("/api/sites/1/snapshot").json()
        return kept if all(one["state"] == "ready" for one in kept) else None

    found: list[dict[str, Any]] = until(ready, "the snapshot is read")
    return found


def test_a_snapshot_is_read_looked_at_checked_and_forgotten(client: httpx.Client, site: StandIn) -> None:
    assert client.get("/api/sites/1/snapshot").json() == []
    assert client.post("/api/sites/1/snapshot/check").status_code == 404
    assert client.get("/api/sites/1/backup").status_code == 409
    kept = {one["record_type"]: one for one in read(client, "customers", "terms")}
    assert (kept["customers"]["kept"], kept["customers"]["seconds_left"], kept["customers"]["error"]) == (200, None, "")
    checked = client.post("/api/sites/1/snapshot/check").json()
    assert [one["verdict"] for one in checked] == ["as it was"] * 2
    [customers, _] = client.get("/api/sites/1/samples").json()
    assert customers["keys"][0] == {
        "fields": ["email"], "records": 200, "shared": 0, "stated": True, "example": "",
    }  # fmt: skip
    assert client.post("/api/sites/1/snapshot/stop").status_code == 200
    assert client.delete("/api/sites/1/snapshot").status_code == 204
    assert client.get("/api/sites/1/snapshot").json() == []
    assert client.post("/api/sites/1/snapshot", json={"types": ["growers"]}).status_code == 404


def test_a_site_is_spared_and_removed_with_its_imports_by_their_number(client: httpx.Client, site: StandIn) -> None:
    new = {"name": "Another", "address": site.description_url, "sign_in": {"token": TOKEN}}
    number = client.post("/api/sites", json=new).raise_for_status().json()["id"]
    limits = {
        "concurrency": 2,
        "per_minute": 600,
        "quiet": [{"begins": "22:00", "ends": "06:00"}],
        "zone": "Europe/Oslo",
    }
    told = client.put(f"/api/sites/{number}/limits", json=limits).raise_for_status().json()["limits"]
    assert (told["concurrency"], told["quiet"][0]["begins"]) == (2, "22:00:00")
    wrong = client.put(f"/api/sites/{number}/limits", json={**limits, "zone": "Quillmoss"})
    assert wrong.status_code == 422
    data = {"site_id": str(number), "record_type": "customers"}
    files = {"file": ("a.csv", b"E-mail,Name\na@quillmoss.example,Ada\n")}
    client.post("/api/imports", data=data, files=files).raise_for_status()
    refused = client.delete(f"/api/sites/{number}")
    assert (refused.status_code, "1 import goes" in refused.text) == (409, True)
    assert client.delete(f"/api/sites/{number}", params={"imports": 2}).status_code == 409
    assert client.delete(f"/api/sites/{number}", params={"imports": 1}).status_code == 204
    assert client.get("/api/imports").json() == []
    assert client.get(f"/api/sites/{number}").status_code == 404


def test_a_backup_is_sent_as_a_file_and_what_cannot_be_read_is_said_instead(
    client: httpx.Client, site: StandIn
) -> None:
    read(client, "customers")
    sent = client.get("/api/sites/1/backup", params={"types": ["customers"]})
    assert sent.headers["content-disposition"].startswith('attachment; filename="site-1-')
    assert zipfile.ZipFile(io.BytesIO(sent.content)).testzip() is None
    assert client.get("/api/sites/1/backup", params={"types": ["growers"]}).status_code == 404
    assert client.get("/api/sites/99/backup").status_code == 404


def test_only_an_administrator_corrects_and_a_viewer_downloads_no_records(served: Served) -> None:
    correction, overlay = {"title": "x"}, {"overlay": "1.0.0", "actions": []}
    for name, statuses in (("bo", (403, 403, 200, 403, 202, 409)), ("jun", (403, 403, 403, 403, 403, 403))):
        with served.signed_in(name) as client:
            asked = (
                client.put("/api/sites/1/types/orders", json=correction),
                client.put("/api/sites/1/overlay", json=overlay),
                client.post("/api/sites/1/health"),
                client.put("/api/sites/1/limits", json={}),
                client.post("/api/sites/1/snapshot", json={"types": ["terms"]}),
                client.get("/api/sites/1/backup", params={"types": ["users"]}),
            )
            assert tuple(one.status_code for one in asked) == statuses
            assert client.get("/api/sites/1").status_code == 200
