"""Migrations over HTTP: files dropped, decided on, taken further by a worker, and told of as that goes."""

from __future__ import annotations

import csv
import io
from typing import Any

import httpx
import pytest

from tests.api.test_events import words
from tests.api.test_runs import AGREED
from tests.processes import Served, StandIn, until
from tests.stations.whole import CUSTOMERS, ORDERS, SITE, Rows


def _csv(rows: Rows) -> bytes:
    text = io.StringIO()
    writer = csv.DictWriter(text, list(rows[0]))
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue().encode()


class Move:
    """A migration over HTTP."""

    def __init__(self, client: httpx.Client) -> None:
        self._client = client
        begun = client.post("/api/migrations", json={"site_id": 1, "name": "A move"})
        assert begun.status_code == 201, begun.text
        self.path = f"/api/migrations/{begun.json()['id']}"

    def ask(self, method: str, path: str = "", *, status: int = 200, json: Any = None) -> Any:
        answer = self._client.request(method, f"{self.path}{path}", json=json)
        assert answer.status_code == status, answer.text
        return answer.json() if answer.content else None

    def drop(self, name: str, data: bytes, status: int = 201) -> Any:
        answer = self._client.post(f"{self.path}/files", files={"file": (name, data)})
        assert answer.status_code == status, answer.text
        return answer.json()

    def through(self, goal: str) -> Any:
        self.ask("POST", "/go", status=202, json={"to": goal, **AGREED})
        until(lambda: self.ask("GET")["going_to"] is None, goal)
        return self.ask("GET")


@pytest.fixture
def move(client: httpx.Client, site: StandIn) -> Move:
    site.have(SITE)
    return Move(client)


def test_a_move_goes_from_files_to_the_site_and_back_and_is_told_of(
    move: Move, client: httpx.Client, site: StandIn
) -> None:
    move.drop("orders.csv", _csv(ORDERS[:4]))
    dropped = move.drop("customers.csv", _csv(CUSTOMERS))
    assert (dropped["unread"], [one["name"] for one in dropped["board"]["cards"]]) == ([], ["Customers", "Orders"])
    with client.stream("GET", f"{move.path}/events", timeout=30) as answer:
        told = words(answer.iter_lines())
        assert next(told)["going_to"] is None
        move.ask("POST", "/go", status=202, json={"to": "rehearse"})
        seen = [next(told)]
        while seen[-1]["going_to"] is not None or not seen[-1]["create"]:
            seen.append(next(told))
    assert (seen[-1]["create"], seen[-1]["stopped"]) == (4, "")
    assert {one["name"] for one in move.ask("GET", "/preflight")} >= {"backup", "pilot"}
    done = move.through("run")
    assert (done["stopped"], [one["stations"][5]["done"] for one in done["cards"]]) == ("", [1.0, 1.0])
    assert len(site.bodies("order")) == 2
    assert {one["name"]: one["back"] for one in move.through("rehearse undo")["cards"]} == {
        "Customers": {"delete": 2}, "Orders": {"delete": 2}
    }  # fmt: skip
    assert move.through("undo")["stopped"] == ""
    assert site.bodies("order") == []


def test_what_is_none_of_the_sites_kinds_is_decided_on_or_let_go(move: Move) -> None:
    board = move.drop("weather.csv", b"Bed,Rain mm,Frost\nA1,3.5,no\nA2,4,yes\n")["board"]
    [one] = board["undecided"]
    assert move.ask("PUT", f"/sheets/{one['id']}", status=404, json={"record_type": "clouds"})["detail"]
    decided = move.ask("PUT", f"/sheets/{one['id']}", json={"record_type": "products"})
    assert [card["record_type"] for card in decided["cards"]] == ["products"]
    number = decided["cards"][0]["import_id"]
    assert move.ask("DELETE", f"/imports/{number}")["cards"] == []
    assert [card["import_id"] for card in move.ask("PUT", f"/imports/{number}")["cards"]] == [number]


def test_a_board_is_called_otherwise_limited_and_taken_away(move: Move, client: httpx.Client) -> None:
    changed = move.ask("PATCH", json={"name": "Quillmoss move", "held_most": 1.5})
    assert (changed["name"], changed["held_most"]) == ("Quillmoss move", 1.5)
    assert move.ask("PATCH", status=422, json={"held_most": 101})["title"]
    assert "Quillmoss move" in {one["name"] for one in client.get("/api/migrations").json()}
    move.ask("DELETE", status=204)
    assert move.ask("GET", status=404)["type"] == "urn:datorum:not-found"
    assert client.get(f"{move.path}/events").status_code == 404


def test_what_is_no_file_says_so_and_changes_nothing(move: Move) -> None:
    problem = move.drop("nothing.xlsx", b"PK\x03\x04 no workbook", status=422)
    assert "nothing.xlsx" in str(problem)
    assert move.ask("GET")["cards"] == []
    assert "no imports yet" in move.ask("POST", "/go", status=409, json={"to": "check"})["title"]


def test_who_only_looks_takes_nothing_further(move: Move, served: Served) -> None:
    with served.signed_in("jun") as viewer:
        assert viewer.get(move.path).status_code == 200
        assert viewer.post(f"{move.path}/go", json={"to": "check"}).status_code == 403
        assert viewer.post(f"{move.path}/files", files={"file": ("a.csv", b"a\n1\n")}).status_code == 403
        assert viewer.delete(move.path).status_code == 403


def test_files_that_cells_name_are_given_told_and_let_go(client: httpx.Client) -> None:
    rows = 'SKU,Name,Slug,Price,Pictures\nQB-301,Bean,bean-301,30.00,"tall.jpg, low.jpg"\n'
    made = client.post("/api/imports", files={"file": ("products.csv", rows.encode())},
                       data={"site_id": 1, "record_type": "products"}).json()["id"]  # fmt: skip
    address = f"/api/imports/{made}/files"
    assert client.get(address).json()["named"] == 0
    given = client.post(address, files={"file": ("tall.jpg", b"\xff\xd8\xff\xe0 a bean")}).raise_for_status().json()
    assert (given["named"], given["found"], given["held"]) == (2, 1, 1)
    assert [one["value"] for one in given["missing"]] == ["low.jpg"]
    refused = client.post(f"{address}/fetch")
    assert (refused.status_code, refused.json()["title"]) == (
        409, "No file is named by an address that is still to be fetched."
    )  # fmt: skip
    damaged = client.post(address, files={"file": ("all.zip", b"PK\x03\x04 no archive")})
    assert damaged.status_code == 201
    assert "is called as if it were application/zip" not in damaged.text
    gone = client.delete(address).json()
    assert (gone["found"], gone["held"]) == (0, 0)
