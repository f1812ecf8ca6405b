"""A site's pages as people see them: looked at, signed in on, and never followed to anybody else's."""

from __future__ import annotations

from collections.abc import AsyncIterator

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.sites import open_pages
from datorum.sites.pages import Pages

FORM = """<form action="/find"><input name="q"></form><form action="{action}" method="{method}">
<input type="hidden" name="csrf" value="{csrf}"><input name="code"><input name="user_name">
<input type="password" name="pw"></form>"""


class Shop:
    """A site with a page on which people sign in, which asks for a word of its own and keeps a cookie."""

    def __init__(self) -> None:
        self.action, self.method, self.welcome = "/enter", "post", "Welcome"
        self.seen: list[dict[str, str]] = []

    async def form(self, _: web.Request) -> web.Response:
        answer = web.Response(
            text=FORM.format(action=self.action, method=self.method, csrf="w7"), content_type="text/html"
        )
        answer.set_cookie("visit", "v1")
        return answer

    async def enter(self, request: web.Request) -> web.Response:
        given = {name: str(value) for name, value in (await request.post()).items()}
        self.seen.append(given)
        if request.cookies.get("visit") != "v1" or given.get("csrf") != "w7":
            return web.Response(status=403)
        if given.get("pw") != "moss":
            return await self.form(request)
        raise web.HTTPSeeOther("/home")

    async def home(self, _: web.Request) -> web.Response:
        return web.Response(text=self.welcome, content_type="text/html")

    async def elsewhere(self, _: web.Request) -> web.Response:
        raise web.HTTPFound("http://10.0.0.1/private")

    async def round_and_round(self, _: web.Request) -> web.Response:
        raise web.HTTPFound("/round")


@pytest.fixture
def shop() -> Shop:
    return Shop()


@pytest.fixture
async def there(shop: Shop) -> AsyncIterator[tuple[Pages, str]]:
    app = web.Application()
    app.add_routes([
        web.get("/sign-in", shop.form), web.post("/enter", shop.enter), web.get("/home", shop.home),
        web.get("/elsewhere", shop.elsewhere), web.get("/round", shop.round_and_round),
    ])  # fmt: skip
    async with TestServer(app) as server:
        at = str(server.make_url("/")).rstrip("/")
        async with open_pages(f"{at}/openapi.json", allow_private=True) as pages:
            yield pages, at


async def test_a_page_tells_whether_it_is_there(there: tuple[Pages, str]) -> None:
    pages, at = there
    assert (await pages.look(f"{at}/home")).status == 200
    assert (await pages.look(f"{at}/gone")).status == 404
    # Nobody is followed to another server, or round and round.
    assert (await pages.look(f"{at}/elsewhere")).status is None
    assert (await pages.look(f"{at}/round")).status is None
    assert not pages.has("http://127.0.0.1:1/home")
    assert (await pages.look("http://127.0.0.1:1/home")).status is None


async def test_somebody_signs_in_with_all_that_the_form_has(there: tuple[Pages, str], shop: Shop) -> None:
    pages, at = there
    assert (await pages.sign_in(f"{at}/sign-in", "ada", "moss")).ok
    assert shop.seen == [{"csrf": "w7", "user_name": "ada", "pw": "moss"}]
    wrong = await pages.sign_in(f"{at}/sign-in", "ada", "rye")
    assert (wrong.ok, wrong.why) == (False, "the site asks for the password again")


async def test_a_password_goes_to_no_other_server(there: tuple[Pages, str], shop: Shop) -> None:
    pages, at = there
    shop.action = "http://127.0.0.1:1/enter"
    with pytest.raises(SiteRefused, match="to another server"):
        await pages.sign_in(f"{at}/sign-in", "ada", "moss")
    assert shop.seen == []
    with pytest.raises(SiteRefused, match="no form"):
        await pages.sign_in(f"{at}/home", "ada", "moss")


async def test_private_addresses_are_not_reached_unless_they_may_be() -> None:
    with pytest.raises(SiteRefused, match="private"):
        async with open_pages("http://127.0.0.1:1/openapi.json", allow_private=False):
            pass
    with pytest.raises(SiteUnavailable, match="no web address"):
        async with open_pages("ftp://quillmoss.example", allow_private=True):
            pass
