"""Bad input gets a sentence that says what, where and what to do."""

from __future__ import annotations

import httpx
import pytest

from demo.data import CustomersDemo
from tests.processes import StandIn, free_ports


def upload(client: httpx.Client, data: bytes, name: str = "customers.csv", **more: object) -> httpx.Response:
    form = {"site_id": "1", "record_type": "customers", **{key: str(value) for key, value in more.items()}}
    return client.post("/api/imports", files={"file": (name, data)}, data=form)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "The file is empty."),
        (b"name,email\n", "The file has a header and no rows."),
        (b"\x00\x01\x02\x03" * 100, "The file is not text"),
        ((",".join(f"c{i}" for i in range(10_000)) + "\n" + "," * 9_999).encode(), "The file has 10,000 columns"),
    ],
)
def test_a_file_that_is_no_sheet(client: httpx.Client, data: bytes, says: str) -> None:
    refused = upload(client, data)
    problem = refused.json()
    assert refused.status_code == 422
    assert problem["title"].startswith(says)
    assert problem["detail"]
    assert problem["place"]["file"] == "customers.csv"


def test_a_messy_file_is_read_and_nothing_is_lost(client: httpx.Client) -> None:
    messy = b"\n".join(
        [
            b"Export of the old shop;;;",
            b"E-mail;Name;Name;",
            b"ada@example.org;Ada;Corfield;x",
            b"bo@example.org;Bo",
            b"jun@example.org;Jun;Dunwick;x;y;z",
            b"E-mail;Name;Name;",
            b"",
            "åse@example.org;Åse;Bjørkvik;x".encode("cp1252"),
        ]
    )
    made = upload(client, messy, "../../old shop.csv").json()
    sheet = made["sheet"]
    assert sheet["filename"] == "old shop.csv"
    assert (sheet["rows"], sheet["blank_lines"]) == (5, 1)
    assert sheet["dialect"]["encoding"] == "windows-1252"
    assert sheet["flags"] == {"short": 1, "long": 1, "header again": 1}
    rows = client.get(f"/api/imports/{made['id']}/rows").json()["rows"]
    assert [row[0] for row in rows] == [3, 4, 5, 6, 8]
    assert rows[-1][2][1] == "Åse"
    checked = client.post(f"/api/imports/{made['id']}/check").json()
    assert checked["ready"] + checked["held"] == checked["rows"] == 5


def test_a_dialect_that_does_not_fit_changes_nothing(client: httpx.Client, demo: CustomersDemo) -> None:
    made = upload(client, demo.csv[:3000]).json()
    path = f"/api/imports/{made['id']}"
    for wrong in (
        {"encoding": "klingon"},
        {"delimiter": "ab"},
        {"header_line": -1},
        {"header_line": 999},
        {"encoding": "zip"},
    ):
        refused = client.put(f"{path}/dialect", json={**made["sheet"]["dialect"], **wrong})
        assert refused.status_code == 422, wrong
        assert refused.json()["title"]
    assert client.get(path).json()["sheet"] == made["sheet"]


def test_a_site_that_is_down_is_said(client: httpx.Client) -> None:
    [port] = free_ports(1)
    refused = client.post("/api/sites", json={"name": "away", "address": f"http://127.0.0.1:{port}/o"})
    assert refused.status_code == 502
    assert "does not answer" in refused.json()["title"]


def test_a_site_that_describes_nothing_is_said(client: httpx.Client, stand_in: StandIn) -> None:
    for address, says in (
        (stand_in.url, "no OpenAPI 3 document"),
        (f"{stand_in.url}/behaviour", "no OpenAPI 3 document"),
        (f"{stand_in.url}/nowhere", "answers 404"),
        (f"{stand_in.url}api/openapi.json", "no web address"),
    ):
        refused = client.post("/api/sites", json={"name": "wrong", "address": address})
        assert refused.status_code == 502, address
        assert says in refused.json()["title"]
        changed = client.put("/api/sites/1", json={"address": address, "sign_in": {"token": "t"}})
        assert changed.status_code == 502, address
        assert says in changed.json()["title"]
    assert client.get("/api/sites").json()[0]["address"] == stand_in.description_url


@pytest.mark.parametrize(
    "address", ["no address", "file:///etc/passwd", "http://[", "a\x00b", "http://user:pw@x.example/"]
)
def test_a_site_is_not_changed_to_what_is_no_address(client: httpx.Client, stand_in: StandIn, address: str) -> None:
    refused = client.put("/api/sites/1", json={"address": address, "sign_in": {"token": "t"}})
    assert 400 <= refused.status_code < 500 or refused.status_code == 502
    assert refused.json()["title"]
    assert client.get("/api/sites").json()[0]["address"] == stand_in.description_url


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", "/api/imports/999999", 404),
        ("GET", "/api/imports/999999/mapping", 404),
        ("GET", "/api/imports/word", 422),
        ("POST", "/api/imports/999999/check", 404),
        ("GET", "/api/nothing", 404),
    ],
)
def test_what_is_not_there_is_a_problem_not_a_traceback(
    client: httpx.Client, method: str, path: str, status: int
) -> None:
    answer = client.request(method, path)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"


def test_stations_out_of_order_say_what_comes_first(client: httpx.Client, demo: CustomersDemo) -> None:
    path = f"/api/imports/{upload(client, demo.csv[:3000]).json()['id']}"
    for method, station, says in (
        ("POST", "runs", "no rehearsal"),
        ("GET", "held.csv", "not been checked"),
    ):
        refused = client.request(method, f"{path}/{station}")
        assert refused.status_code == 409
        assert says in refused.json()["title"]


def test_an_import_is_removed_with_all_that_it_kept(client: httpx.Client, demo: CustomersDemo) -> None:
    number = upload(client, demo.csv[:3000]).json()["id"]
    client.post(f"/api/imports/{number}/check")
    assert client.delete(f"/api/imports/{number}").status_code == 204
    assert client.get(f"/api/imports/{number}").status_code == 404
