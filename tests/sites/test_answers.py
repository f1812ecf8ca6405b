"""Answers are read whole, packed or not, and none of them is let grow beyond what any list page should be."""

from __future__ import annotations

import gzip
from collections.abc import AsyncIterator

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.core.errors import SiteUnavailable
from datorum.sites import SignIn
from datorum.sites.rest import http
from datorum.sites.rest.http import Http, open_http
from datorum.sites.rest.signing import Signer

MOST = 100_000


def answer(size: int) -> bytes:
    return b'{"id": 7, "name": "' + b"a" * size + b'"}'


async def plain(request: web.Request) -> web.Response:
    return web.Response(body=answer(int(request.match_info["size"])), content_type="application/json")


async def packed(request: web.Request) -> web.Response:
    data = gzip.compress(answer(int(request.match_info["size"])))
    return web.Response(body=data, content_type="application/json", headers={"Content-Encoding": "gzip"})


async def in_parts(request: web.Request) -> web.StreamResponse:
    whole = web.StreamResponse(headers={"Content-Type": "application/json"})
    whole.enable_chunked_encoding()
    await whole.prepare(request)
    data = answer(int(request.match_info["size"]))
    for begins in range(0, len(data), 10_000):
        await whole.write(data[begins : begins + 10_000])
    return whole


@pytest.fixture
async def site(monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[tuple[Http, str]]:
    monkeypatch.setattr(http, "_LARGEST_ANSWER", MOST)
    app = web.Application()
    for way in (plain, packed, in_parts):
        app.router.add_get(f"/{way.__name__}/{{size}}", way)
    async with TestServer(app) as server:
        address = str(server.make_url("")).rstrip("/")
        async with open_http(address, Signer(SignIn()), allow_private=True) as opened:
            yield opened, address


@pytest.mark.parametrize("way", ["plain", "packed", "in_parts"])
async def test_an_answer_is_read_whole(site: tuple[Http, str], way: str) -> None:
    opened, address = site
    got = await opened.get(f"{address}/{way}/50000")
    assert (got.status, got.body["id"], len(got.body["name"])) == (200, 7, 50_000)
    assert got.following is None


@pytest.mark.parametrize("way", ["plain", "packed", "in_parts"])
async def test_one_that_is_larger_is_not_read_to_its_end_however_small_it_says_to_be(
    site: tuple[Http, str], way: str
) -> None:
    opened, address = site
    with pytest.raises(SiteUnavailable, match=r"larger than 100,000 bytes"):
        await opened.get(f"{address}/{way}/900000")
