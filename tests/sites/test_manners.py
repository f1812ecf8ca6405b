"""The client keeps to a site's manners: what it wraps records in, and how it turns its pages."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.sites import Outcome, SignIn, open_rest_site
from datorum.sites.snapshot import read_whole
from tests.sites.documents import manners
from tests.sites.reach import described

PAGE = 3
SIGN_IN = SignIn(token="t")


class Growers:
    """A site that wraps everything in ``data`` and gives the address of the next page; its beds come with Link."""

    def __init__(self) -> None:
        self.kept: dict[int, dict[str, Any]] = {
            number: {"id": number, "name": f"Grower {number}"} for number in range(1, 9)
        }
        self.asked: list[str] = []

    def app(self) -> web.Application:
        app = web.Application()
        app.router.add_get("/openapi.json", self.document)
        app.router.add_get("/growers", self.listed)
        app.router.add_post("/growers", self.created)
        app.router.add_get("/growers/{id}", self.one)
        app.router.add_patch("/growers/{id}", self.changed)
        app.router.add_get("/beds", self.beds)
        return app

    async def document(self, _: web.Request) -> web.Response:
        return web.json_response(manners())

    async def listed(self, request: web.Request) -> web.Response:
        self.asked.append(str(request.rel_url))
        page = int(request.query.get("page", "1"))
        shown = list(self.kept.values())[(page - 1) * PAGE : page * PAGE]
        following = f"/growers?page={page + 1}" if page * PAGE < len(self.kept) else None
        return web.json_response({"data": shown, "meta": {"next": following, "total": len(self.kept)}})

    async def created(self, request: web.Request) -> web.Response:
        body = await request.json()
        record = {**body["data"], "id": len(self.kept) + 1}
        self.kept[record["id"]] = record
        return web.json_response({"data": record}, status=201)

    async def one(self, request: web.Request) -> web.Response:
        return web.json_response({"data": self.kept[int(request.match_info["id"])]})

    async def changed(self, request: web.Request) -> web.Response:
        record = self.kept[int(request.match_info["id"])]
        record |= (await request.json())["data"]
        return web.json_response({"data": record})

    async def beds(self, request: web.Request) -> web.Response:
        page = int(request.query.get("at", "0"))
        headers = {"Link": f'</beds?at={page + 1}>; rel="next"'} if page < 2 else {}
        return web.json_response([{"_id": f"b{page}", "name": f"Bed {page}"}], headers=headers)


@pytest.fixture
async def growers() -> AsyncIterator[tuple[Growers, str]]:
    site = Growers()
    async with TestServer(site.app()) as server:
        yield site, str(server.make_url("/openapi.json"))


async def test_records_are_read_out_of_what_wraps_them_page_after_page(growers: tuple[Growers, str]) -> None:
    site, address = growers
    description = await described(address, SIGN_IN)
    async with open_rest_site(description, "growers", SIGN_IN, allow_private=True) as reached:
        found = await read_whole(reached.read_all)
        assert sorted(found, key=int) == [str(number) for number in range(1, 9)]
        assert len(site.asked) == 3
        one = await reached.read("3")
        assert one is not None
        assert one.body["name"] == "Grower 3"


async def test_records_are_sent_as_the_site_wraps_them(growers: tuple[Growers, str]) -> None:
    site, address = growers
    description = await described(address, SIGN_IN)
    async with open_rest_site(description, "growers", SIGN_IN, allow_private=True) as reached:
        made = await reached.create({"name": "Ada"}, send_mail=False)
        assert made.outcome is Outcome.DONE
        assert made.record is not None
        assert (made.record.id, site.kept[9]["name"]) == ("9", "Ada")
        changed = await reached.update("9", None, {"name": "Bo"}, send_mail=False)
        assert (changed.outcome, site.kept[9]) == (Outcome.DONE, {"name": "Bo", "id": 9})


async def test_a_list_that_links_to_its_next_page_is_read_to_its_end(growers: tuple[Growers, str]) -> None:
    _, address = growers
    description = await described(address, SIGN_IN)
    async with open_rest_site(description, "beds", SIGN_IN, allow_private=True) as reached:
        assert sorted(await read_whole(reached.read_all)) == ["b0", "b1", "b2"]
