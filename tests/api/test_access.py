"""Who may do what, and what keeps others out."""

from __future__ import annotations

import re
import socket

import httpx
import psycopg
import pytest

from demo.data import CustomersDemo
from tests.processes import PASSWORD, PLAIN, TOKEN, Served, unguessable


def test_a_wrong_password_says_no_more_than_that(served: Served) -> None:
    for name in ("ada", f"nobody-{unguessable()}"):
        refused = httpx.post(
            f"{served.url}/api/session", json={"name": name, "password": "wrong"}, timeout=180, verify=PLAIN
        )
        assert refused.status_code == 401
        assert refused.headers["content-type"] == "application/problem+json"
        assert refused.json()["title"] == "The name and the password do not match."


def test_guessing_passwords_is_stopped_for_a_while(served: Served) -> None:
    name = f"guessed-{unguessable()}"
    for _ in range(10):
        httpx.post(f"{served.url}/api/session", json={"name": name, "password": "wrong"}, timeout=180, verify=PLAIN)
    stopped = httpx.post(
        f"{served.url}/api/session", json={"name": name, "password": PASSWORD}, timeout=180, verify=PLAIN
    )
    assert stopped.status_code == 429


def test_the_cookie_is_out_of_reach_of_scripts_and_other_sites(served: Served) -> None:
    signed = httpx.post(
        f"{served.url}/api/session", json={"name": "ada", "password": PASSWORD}, timeout=180, verify=PLAIN
    )
    cookie = signed.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie


@pytest.mark.parametrize("path", ["/api/imports", "/api/sites", "/api/imports/1", "/api/imports/1/held.csv"])
def test_nothing_is_shown_to_those_who_have_not_signed_in(served: Served, path: str) -> None:
    assert httpx.get(f"{served.url}{path}", timeout=180, verify=PLAIN).status_code == 401


def test_a_change_without_the_sign_ins_own_token_is_refused(served: Served) -> None:
    with served.signed_in("ada") as client:
        del client.headers["X-CSRF-Token"]
        assert client.delete("/api/imports/1").status_code == 403
        client.headers["X-CSRF-Token"] = "guess"
        assert client.delete("/api/imports/1").status_code == 403


def test_after_signing_out_the_cookie_is_worth_nothing(served: Served) -> None:
    with served.signed_in("ada") as client:
        token = client.cookies["datorum"]
        assert client.delete("/api/session").status_code == 204
        assert (
            httpx.get(f"{served.url}/api/session", cookies={"datorum": token}, timeout=180, verify=PLAIN).status_code
            == 401
        )


def test_roles_are_held(served: Served, demo: CustomersDemo) -> None:
    upload = {"files": {"file": ("c.csv", demo.csv[:3000])}, "data": {"site_id": 1, "record_type": "customers"}}
    with served.signed_in("jun") as viewer, served.signed_in("bo") as editor:
        assert viewer.get("/api/imports").status_code == 200
        refused = viewer.post("/api/imports", **upload)  # type: ignore[arg-type]
        assert refused.status_code == 403
        assert "viewer" in refused.json()["title"]
        made = editor.post("/api/imports", **upload)  # type: ignore[arg-type]
        assert made.status_code == 201
        number = made.json()["id"]
        for method, path in (
            ("PUT", "policy"), ("POST", "check"), ("POST", "rehearsal"), ("POST", "runs"),
            ("POST", "runs/1/verification"), ("POST", "runs/1/undo"),
        ):  # fmt: skip
            assert viewer.request(method, f"/api/imports/{number}/{path}", json={}).status_code == 403
        site = {"name": "x", "address": "http://x.example"}
        assert editor.post("/api/sites", json=site).status_code == 403
        assert editor.put("/api/sites/1", json={"name": "x"}).status_code == 403
        assert editor.delete("/api/sites/1").status_code == 403


def test_pages_carry_the_headers_that_guard_them(served: Served) -> None:
    headers = httpx.get(served.url, timeout=180, verify=PLAIN).headers
    assert "default-src 'self'" in headers["content-security-policy"]
    assert headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    "path", ["/../pyproject.toml", "/%2e%2e/pyproject.toml", "/assets/..%2f..%2f..%2fpyproject.toml"]
)
def test_files_outside_the_web_client_are_not_served(served: Served, path: str) -> None:
    host, port = served.url.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=10) as wire:
        # As it stands: a client would take the points out before it asks.
        wire.sendall(f"GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n".encode())
        answer = b"".join(iter(lambda: wire.recv(65536), b""))
    assert answer.startswith(b"HTTP/1.1 ")
    assert b"[project]" not in answer
    assert b"requires-python" not in answer


def test_a_sites_token_is_never_shown_and_is_sealed(served: Served, client: httpx.Client) -> None:
    for path in ("/api/sites", "/api/imports", "/api/openapi.json"):
        assert TOKEN not in client.get(path).text
    with psycopg.connect(served.database_url) as connection:
        everything = connection.execute("SELECT to_jsonb(site)::text, sealed_sign_in FROM site").fetchall()
    assert everything
    for row, sealed in everything:
        assert TOKEN not in row
        assert TOKEN.encode() not in bytes(sealed)
        assert TOKEN.encode().hex() not in row


_ONLY_LOOKS = {"difference", "ledger", "inspect", "feed", "value-table", "formula", "link", "lines", "addresses"}
"""Operations that ask a question too long for an address, and change nothing."""


def operations(client: httpx.Client) -> list[tuple[str, str]]:
    """Every operation of the API as method and address, its parameters filled in."""
    paths: dict[str, dict[str, object]] = client.get("/api/openapi.json").json()["paths"]
    filled = {path: re.sub(r"\{[^}]*\}", "1", path).replace("held.1", "held.csv") for path in paths}
    return [(method.upper(), filled[path]) for path, item in paths.items() for method in item]


def test_no_operation_answers_without_a_sign_in(served: Served) -> None:
    with httpx.Client(base_url=served.url, timeout=180, verify=PLAIN) as nobody:
        answers = {
            (method, path): nobody.request(method, path).status_code
            for method, path in operations(nobody)
            if path != "/api/session"
        }
    assert len(answers) > 50
    assert {one: status for one, status in answers.items() if status != 401} == {}


def test_a_viewer_is_refused_every_operation_that_changes_something(served: Served) -> None:
    with served.signed_in("jun") as viewer:
        answers = {
            (method, path): viewer.request(method, path).status_code
            for method, path in operations(viewer)
            if method != "GET" and path != "/api/session" and path.rsplit("/", 1)[-1] not in _ONLY_LOOKS
        }
    assert len(answers) >= 25
    assert {one: status for one, status in answers.items() if status != 403} == {}
