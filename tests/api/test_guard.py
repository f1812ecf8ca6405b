"""What is refused before it is read, and what every answer carries."""

from __future__ import annotations

import asyncio
import socket
from typing import Any

import httpx
import pytest
from fastapi import FastAPI, Request

from datorum.api.guard import Guard
from datorum.api.problems import add_problem_details
from datorum.settings import Settings
from tests.processes import Served


def test_a_body_of_somebody_who_has_not_signed_in_is_refused_before_it_is_read(served: Served) -> None:
    host, port = served.url.removeprefix("http://").split(":")
    for path in ("/api/imports", "/api/imports/1/ledger", "/api/nothing"):
        with socket.create_connection((host, int(port)), timeout=10) as wire:
            wire.sendall(f"POST {path} HTTP/1.1\r\nHost: {host}\r\nContent-Length: {2 * 1024**3}\r\n\r\n".encode())
            # Not a byte of the body is sent, and the answer is there.
            assert wire.recv(64).startswith(b"HTTP/1.1 401")


@pytest.mark.parametrize(
    ("path", "length", "status"),
    [("/api/imports/1/ledger", 64 * 1024**2, 413), ("/api/session", 1024**2, 413), ("/api/imports/1/ledger", 20, 422)],
)
def test_a_body_that_is_too_large_is_refused(client: httpx.Client, path: str, length: int, status: int) -> None:
    answer = client.post(path, content=b" " * length, headers={"Content-Type": "application/json"})
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_body_that_does_not_say_its_length_is_counted(client: httpx.Client) -> None:
    pieces = (b" " * 1024**2 for _ in range(40))
    answer = client.post("/api/imports/1/ledger", content=pieces, headers={"Content-Type": "application/json"})
    assert answer.status_code == 413


def test_data_are_not_kept_by_anybody_on_the_way_and_the_client_is(client: httpx.Client) -> None:
    assert client.get("/api/imports").headers["cache-control"] == "no-store"
    assert client.get("/api/imports/999999").headers["cache-control"] == "no-store"
    assert client.get("/").headers["cache-control"] == "no-cache"
    assert "strict-transport-security" not in client.get("/").headers


def guarded(**settings: Any) -> httpx.AsyncClient:
    app = FastAPI()
    add_problem_details(app)
    app.add_middleware(Guard, settings=Settings(**settings))
    under_way = 0

    @app.get("/slow")
    async def slow(request: Request) -> int:
        nonlocal under_way
        under_way += 1
        seen = under_way
        await asyncio.sleep(0.05)
        under_way -= 1
        return seen

    @app.get("/fault")
    def fault() -> None:
        raise RuntimeError("with something personal in it")

    transport = httpx.ASGITransport(app, raise_app_exceptions=False)
    return httpx.AsyncClient(transport=transport, base_url="https://datorum.example")


async def test_https_is_insisted_on_where_that_is_set() -> None:
    async with guarded(hsts_seconds=86_400) as client:
        answer = await client.get("/slow")
    assert answer.headers["strict-transport-security"] == "max-age=86400"


@pytest.mark.parametrize(
    ("name", "status"), [("datorum.example", 200), ("evil.example", 400), ("datorum.example:8443", 200)]
)
async def test_only_names_that_are_allowed_are_served(name: str, status: int) -> None:
    async with guarded(allowed_hosts=["datorum.example"]) as client:
        answer = await client.get("/slow", headers={"Host": name})
    assert answer.status_code == status


async def test_one_browser_has_no_more_than_a_few_requests_worked_on_at_once() -> None:
    async with guarded() as client:
        one = asyncio.gather(*(client.get("/slow", headers={"Cookie": "datorum=one"}) for _ in range(30)))
        await asyncio.sleep(0.01)
        other = await client.get("/slow", headers={"Cookie": "datorum=other"})
        # The other browser waits for one of its own, and not for the thirty of the first.
        left = not one.done()
        answers = await one
    assert max(answer.json() for answer in answers) <= 7
    assert other.status_code == 200
    assert left


async def test_what_nobody_expected_is_told_without_its_words() -> None:
    async with guarded() as client:
        answer = await client.get("/fault")
    assert answer.status_code == 500
    assert answer.headers["content-type"] == "application/problem+json"
    assert "personal" not in answer.text
