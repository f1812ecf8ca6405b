"""The client keeps to a site's manners: what it wraps records in, and how it turns its pages."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.sites import MailRule, Outcome, SignIn, open_rest_site
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
        self.switches: dict[str, list[str]] = {}
        """Parameters that say whether mail is sent, by the methods that take them."""
        self.said: list[dict[str, str]] = []

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
        document = manners()
        paths = {"post": "/growers", "patch": "/growers/{grower_id}"}
        for name, methods in self.switches.items():
            for method in methods:
                parameters = document["paths"][paths[method]][method].setdefault("parameters", [])
                parameters.append({"name": name, "in": "query", "schema": {"type": "boolean"}})
        return web.json_response(document)

    async def listed(self, request: web.Request) -> web.Response:
        self.asked.append(str(request.rel_url))
        page = int(request.query.get("page", "1"))
        shown = list(self.kept.values())[(page - 1) * PAGE : page * PAGE]
        following = f"/growers?page={page + 1}" if page * PAGE < len(self.kept) else None
        return web.json_response({"data": shown, "meta": {"next": following, "total": len(self.kept)}})

    async def created(self, request: web.Request) -> web.Response:
        self.said.append(dict(request.query))
        body = await request.json()
        record = {**body["data"], "id": len(self.kept) + 1}
        self.kept[record["id"]] = record
        return web.json_response({"data": record}, status=201)

    async def one(self, request: web.Request) -> web.Response:
        return web.json_response({"data": self.kept[int(request.match_info["id"])]})

    async def changed(self, request: web.Request) -> web.Response:
        record = self.kept[int(request.match_info["id"])]
        self.said.append(dict(request.query))
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
        made = await reached.create({"name": "Ada"})
        assert made.outcome is Outcome.DONE
        assert made.record is not None
        assert (made.record.id, site.kept[9]["name"]) == ("9", "Ada")
        changed = await reached.update("9", None, {"name": "Bo"})
        assert (changed.outcome, site.kept[9]) == (Outcome.DONE, {"name": "Bo", "id": 9})


async def test_a_list_that_links_to_its_next_page_is_read_to_its_end(growers: tuple[Growers, str]) -> None:
    _, address = growers
    description = await described(address, SIGN_IN)
    async with open_rest_site(description, "beds", SIGN_IN, allow_private=True) as reached:
        assert sorted(await read_whole(reached.read_all)) == ["b0", "b1", "b2"]


async def test_each_kind_of_mail_is_silenced_by_itself(growers: tuple[Growers, str]) -> None:
    site, address = growers
    site.switches = {"send_welcome": ["post"], "notify_staff": ["post", "patch"]}
    description = await described(address, SIGN_IN)
    found = [(one.name, one.on_create, one.on_update) for one in description.type("growers").mails]
    assert found == [("send_welcome", True, False), ("notify_staff", True, True)]
    async with open_rest_site(description, "growers", SIGN_IN, allow_private=True) as reached:
        await reached.create({"name": "Ada"})
        await reached.create({"name": "Bo"}, mail=MailRule(kinds={"send_welcome": True}))
        await reached.create({"name": "Cy"}, mail=MailRule(True, {"send_welcome": False}))
        await reached.update("9", None, {"name": "Di"}, mail=MailRule(True))
    assert site.said == [
        {"send_welcome": "false", "notify_staff": "false"}, {"send_welcome": "true", "notify_staff": "false"},
        {"send_welcome": "false", "notify_staff": "true"}, {"notify_staff": "true"},
    ]  # fmt: skip
