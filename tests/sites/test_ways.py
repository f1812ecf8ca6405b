"""Records are written in the way that a document gives, whatever that is, and signed as it asks."""

from __future__ import annotations

import asyncio
import base64
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from typing import Any

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.core.errors import AnotherRecord, AnotherServer, SiteRefused, SiteUnavailable
from datorum.core.model import Field
from datorum.sites import Outcome, SignIn, Site, open_rest_site
from datorum.sites.rest.bodies import encoded
from datorum.sites.rest.limits import asked_to_rest
from datorum.sites.snapshot import read_whole
from tests.sites.documents import NUMBER, TEXT, Json, listed, manners, of, shown, takes
from tests.sites.reach import described

EVERYTHING = SignIn(
    token="t", user="ada", password="rye", keys={"api_key": "k"}, client_id="datorum", client_secret="moss"
)


class Nursery:
    """A site that keeps packets, beds, and notes below its growers, each in a way of its own, and writes down what
    came."""

    def __init__(self, document: Json | None = None) -> None:
        self.document = document or manners()
        self.seen: list[tuple[str, str, dict[str, str], Any]] = []
        self.packets: dict[str, Json] = {str(n): {"packet_no": str(n), "title": f"Packet {n}"} for n in range(1, 8)}
        self.beds: dict[str, Json] = {"b1": {"_id": "b1", "name": "North"}}
        self.notes: dict[str, list[Json]] = {"1": [{"slug": "a"}, {"slug": "b/c"}], "2": [], "3": [{"slug": "a"}]}
        self.tokens = 0
        self.answers: list[web.Response] = []

    @asynccontextmanager
    async def reached(self, name: str, sign_in: SignIn = EVERYTHING) -> AsyncIterator[Site]:
        app = web.Application()
        app.router.add_route("*", "/{path:.*}", self._any)
        async with TestServer(app) as server:
            description = await described(str(server.make_url("/openapi.json")), sign_in)
            async with open_rest_site(description, name, sign_in, allow_private=True) as site:
                self.seen.clear()
                yield site

    async def _any(self, request: web.Request) -> web.Response:
        form = request.content_type == "application/x-www-form-urlencoded"
        body: Any = None
        if request.can_read_body:
            body = [*(await request.post()).items()] if form else await request.json()
        self.seen.append((request.method, str(request.rel_url), dict(request.headers), body))
        if self.answers:
            return self.answers.pop(0)
        return await self._ways(request)(request, body)

    def _ways(self, request: web.Request) -> Callable[[web.Request, Any], Awaitable[web.Response]]:
        for start, way in (
            ("/openapi.json", self._document), ("/token", self._token), ("/packets", self._packets),
            ("/beds", self._beds), ("/growers", self._growers),
        ):  # fmt: skip
            if request.path.startswith(start):
                return way
        raise web.HTTPNotFound

    async def _document(self, _request: web.Request, _body: Any) -> web.Response:
        return web.json_response(self.document)

    async def _token(self, request: web.Request, body: Any) -> web.Response:
        self.tokens += 1
        asked = base64.b64encode(b"datorum:moss").decode()
        if request.headers.get("Authorization") != f"Basic {asked}" or ("grant_type", "client_credentials") not in body:
            return web.json_response({"error": "invalid_client"}, status=401)
        return web.json_response({"access_token": f"got{self.tokens}", "expires_in": 3600})

    async def _packets(self, request: web.Request, body: Any) -> web.Response:
        number = request.path.removeprefix("/packets/").removesuffix(".json")
        if request.method == "GET" and number in self.packets:
            headers = {"Last-Modified": "Sat, 28 Nov 2026 08:00:00 GMT"}
            return web.json_response({"packet": self.packets[number]}, headers=headers)
        if request.method == "GET":
            start = int(request.query["offset"])
            # It gives two at a time, however many it is asked for.
            rows = [{"packet": one} for one in [*self.packets.values()][start : start + 2]]
            return web.json_response({"rows": rows, "count": len(self.packets)})
        if number in self.packets:
            self.packets[number] |= dict(body)
            return web.Response(status=204)
        number = str(len(self.packets) + 1)
        self.packets[number] = {"packet_no": number} | dict(body)
        return web.json_response({"id": int(number)}, status=201)

    async def _beds(self, request: web.Request, body: Any) -> web.Response:
        if request.method == "POST":
            return web.Response(status=202)
        if request.method == "PUT":
            self.beds[body["_id"]] = body
            return web.Response(status=204)
        one = request.path.removeprefix("/beds").strip("/")
        return web.json_response(self.beds[one] if one else [*self.beds.values()])

    async def _growers(self, request: web.Request, body: Any) -> web.Response:
        parts = request.path.strip("/").split("/")
        if len(parts) == 1:
            numbers = [{"id": int(number)} for number in self.notes] if request.query["page"] == "1" else []
            return web.json_response({"data": numbers, "meta": {"total": len(self.notes)}})
        notes = self.notes[parts[1]]
        if request.method == "GET":
            at = int(request.query.get("cursor", "0"))
            following = {"next_cursor": str(at + 1)} if at + 1 < len(notes) else {}
            return web.json_response({"page": {"notes": notes[at : at + 1], **following}})
        if request.method == "POST":
            notes.append({"slug": f"n{len(notes)}", **body})
            where = f"https://elsewhere.example/growers/{parts[1]}/notes/n{len(notes) - 1}"
            return web.Response(status=201, headers={"Location": where})
        return web.json_response({"slug": parts[-1]})


async def test_forms_ids_as_answers_and_a_record_that_is_changed_by_post() -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        found = await read_whole(packets.read_all)
        assert sorted(found) == [str(number) for number in range(1, 8)]
        assert all("api=2" in url for _, url, _, _ in nursery.seen)
        made = await packets.create({"title": "Søt & rå", "tag_ids": [1, 2], "grower_id": None})
        assert (made.outcome, made.record and made.record.id) == (Outcome.DONE, "8")
        assert nursery.seen[-1][3] == [("title", "Søt & rå"), ("tag_ids[]", "1"), ("tag_ids[]", "2"), ("grower_id", "")]
        changed = await packets.update("3", None, {"title": "Other"})
        assert changed.outcome is Outcome.DONE
        assert (nursery.seen[-1][0], nursery.packets["3"]["title"]) == ("POST", "Other")


async def test_what_is_to_be_blank_is_sent_as_the_site_takes_it() -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        await packets.update("3", None, {"title": None, "tag_ids": None, "grower_id": None})
        # A number has no other way to be none; the site says what it makes of it.
        assert nursery.seen[-1][3] == {"title": "", "tag_ids": [], "grower_id": None}


async def test_a_change_says_which_version_it_means() -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        record = await packets.read("3")
        assert record is not None
        await packets.update("3", record.etag, {"title": "Other"})
        assert nursery.seen[-1][2]["If-Unmodified-Since"] == "Sat, 28 Nov 2026 08:00:00 GMT"
        await packets.update("3", '"v1"', {"title": "Other"})
        assert nursery.seen[-1][2]["If-Match"] == '"v1"'


async def test_a_record_that_is_replaced_by_a_put_on_its_list_and_one_that_is_made_later() -> None:
    nursery = Nursery()
    async with nursery.reached("beds") as beds:
        assert (await beds.update("b1", None, {"name": "South"})).outcome is Outcome.DONE
        assert nursery.beds == {"b1": {"_id": "b1", "name": "South"}}
        later = await beds.create({"name": "East"})
        assert (later.outcome, later.record, later.status) == (Outcome.DONE, None, 202)


async def test_records_that_belong_to_others_are_read_below_each_of_them_and_written_there() -> None:
    nursery = Nursery()
    async with nursery.reached("growers_notes") as notes:
        found = await read_whole(notes.read_all)
        assert list(found) == ["1/a", "1/b%2Fc", "3/a"]
        assert found["3/a"].body == {"grower_id": "3", "slug": "a"}
        made = await notes.create({"grower_id": 2, "text": "dry"})
        assert (made.outcome, made.record and made.record.id) == (Outcome.DONE, "2/n0")
        assert nursery.notes["2"] == [{"slug": "n0", "text": "dry"}]
        assert (await notes.create({"text": "dry"})).outcome is Outcome.REFUSED
        await notes.update("1/b%2Fc", None, {"text": "wet"})
        assert nursery.seen[-1][:2] == ("PATCH", "/growers/1/notes/b%2Fc?api_key=k")


@pytest.mark.parametrize(
    ("given", "header", "key"),
    [
        (SignIn(token="t"), "Bearer t", None),
        (SignIn(user="ada", password="rye", keys={"api_key": "k"}), "Basic YWRhOnJ5ZQ==", "k"),
        (SignIn(user="ada", password="rye"), None, None),
        (SignIn(), None, None),
    ],
)
async def test_a_request_carries_all_that_one_alternative_needs_or_nothing(
    given: SignIn, header: str | None, key: str | None
) -> None:
    nursery = Nursery()
    async with nursery.reached("packets", given) as packets:
        await packets.read("3")
        _, url, headers, _ = nursery.seen[-1]
        assert headers.get("Authorization") == header
        assert ("api_key=k" in url) == (key == "k")


async def test_an_operation_that_asks_for_another_sign_in_gets_it_and_a_token_is_got_once() -> None:
    nursery = Nursery()
    async with nursery.reached("beds") as beds:
        for _ in range(2):
            await beds.create({"name": "East"})
        assert nursery.seen[-1][2]["Authorization"] == "Bearer got1"
        await beds.read("b1")
        # A key and a name together come first in the document.
        assert nursery.seen[-1][2]["Authorization"] == "Basic YWRhOnJ5ZQ=="
        nursery.answers = [web.Response(status=401)]
        await beds.create({"name": "East"})
        assert nursery.seen[-1][2]["Authorization"] == "Bearer got2"


async def test_a_wrong_secret_is_said() -> None:
    nursery = Nursery()
    given = EVERYTHING.model_copy(update={"client_secret": "wrong", "token": ""})
    async with nursery.reached("beds", given) as beds:
        with pytest.raises(SiteRefused, match="gives no token"):
            await beds.create({"name": "East"})


async def test_a_secret_goes_to_another_server_only_when_a_person_has_said_so() -> None:
    document = manners()
    flow = document["components"]["securitySchemes"]["flow"]["flows"]["clientCredentials"]
    flow["tokenUrl"] = "https://login.example/token"
    document["paths"]["/growers"]["get"]["security"] = [{"flow": []}]
    with pytest.raises(AnotherServer, match=r"login\.example"):
        async with Nursery(document).reached("growers"):
            pass


@pytest.mark.parametrize("within", ["header", "cookie"])
async def test_a_key_goes_where_the_document_says(within: str) -> None:
    document = manners()
    document["security"] = [{"key": []}]
    document["components"]["securitySchemes"]["key"] |= {"in": within, "name": "X-Key"}
    nursery = Nursery(document)
    # A token that was given does for the only key.
    async with nursery.reached("packets", SignIn(token="k&")) as packets:
        await packets.read("3")
        headers = nursery.seen[-1][2]
        assert (
            headers.get("X-Key" if within == "header" else "Cookie") == {"header": "k&", "cookie": "X-Key=k%26"}[within]
        )
        assert "Authorization" not in headers


async def test_headers_and_parameters_that_take_but_one_value_are_sent() -> None:
    document = manners()
    version = {"in": "header", "name": "X-Version", "required": True, "schema": {"const": "7"}}
    document["paths"]["/beds"]["get"]["parameters"].append(version)
    document["paths"]["/beds"]["put"]["parameters"] = [
        version, {"in": "query", "name": "confirm", "required": True, "schema": {"enum": ["yes"]}},
    ]  # fmt: skip
    nursery = Nursery(document)
    async with nursery.reached("beds") as beds:
        await read_whole(beds.read_all)
        assert nursery.seen[-1][2]["X-Version"] == "7"
        await beds.update("b1", None, {"name": "South"})
        _, url, headers, _ = nursery.seen[-1]
        assert (url, headers["X-Version"]) == ("/beds?confirm=yes&api_key=k", "7")


async def test_a_key_that_makes_a_record_once_is_sent_where_the_site_takes_it() -> None:
    document = manners()
    taken = [{"in": "header", "name": "Idempotency-Key", "schema": TEXT}]
    document["paths"]["/growers"]["post"]["parameters"] = taken
    nursery = Nursery(document)
    nursery.answers = [web.json_response(document), web.json_response({"data": {"id": 1}}, status=201)]
    async with nursery.reached("growers") as growers:
        await growers.create({"name": "Ada"}, key="row-7")
        assert nursery.seen[-1][2]["Idempotency-Key"] == "row-7"
    other = Nursery()
    async with other.reached("packets") as packets:
        await packets.create({"title": "x"}, key="row-7")
        assert "Idempotency-Key" not in other.seen[-1][2]


async def test_a_request_is_led_on_within_the_server_and_not_elsewhere() -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        nursery.answers = [web.Response(status=301, headers={"Location": "/packets/4.json"})]
        with pytest.raises(AnotherRecord, match="asked for 3 of its packets, and gave 4"):
            await packets.read("3")
        nursery.answers = [web.Response(status=307, headers={"Location": "/packets/5.json"})]
        assert (await packets.update("3", None, {"title": "x"})).outcome is Outcome.DONE
        assert nursery.packets["5"]["title"] == "x"
        nursery.answers = [web.Response(status=302, headers={"Location": "https://elsewhere.example/"})]
        with pytest.raises(SiteRefused, match="sign-in belongs to"):
            await packets.read("3")
        nursery.answers = [web.Response(status=302, headers={"Location": "/packets/3.json"}) for _ in range(9)]
        with pytest.raises(SiteUnavailable, match="leads from one address to the next"):
            await packets.read("3")


async def test_the_last_answer_of_a_period_makes_the_next_request_wait() -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        nursery.answers = [web.json_response({"id": 8}, headers={"RateLimit": '"default";r=0;t=7'}, status=201)]
        assert (await packets.create({"title": "x"})).wait == 7


@pytest.mark.parametrize(
    ("headers", "seconds"),
    [
        ({}, None),
        ({"RateLimit": "limit=10, remaining=0, reset=5"}, 5),
        ({"RateLimit": "limit=10, remaining=3, reset=5"}, None),
        ({"RateLimit-Remaining": "0", "RateLimit-Reset": "9"}, 9),
        ({"X-RateLimit-Remaining": "0", "X-RateLimit-Reset": "2000000000"}, 600),
        ({"X-RateLimit-Remaining": "0", "X-RateLimit-Reset": "1000000000"}, 0),
        ({"X-Rate-Limit-Remaining": "0", "X-Rate-Limit-Reset": "1000000000000"}, 0),
        ({"X-RateLimit-Remaining": "0"}, None),
        ({"X-RateLimit-Remaining": "nothing", "X-RateLimit-Reset": "²"}, None),
    ],
)
def test_how_long_a_site_asks_to_be_left_alone(headers: dict[str, str], seconds: float | None) -> None:
    assert asked_to_rest(headers) == seconds


@pytest.mark.parametrize(
    ("body", "says"),
    [
        (
            {"title": "No", "errors": [{"pointer": "#/address/city", "detail": "is missing"}]},
            "address.city: is missing",
        ),
        ({"errors": {"email": ["is taken", "is long"]}}, "email: is taken; email: is long"),
        ({"detail": [{"loc": ["body", "tags", 0], "msg": "no such tag"}]}, "tags.0: no such tag"),
        ({"error": {"code": 9, "message": "Title is blank"}}, "Title is blank"),
        ({"error": "invalid_request", "error_description": "no"}, "invalid_request"),
        ({"errors": [{"source": {"pointer": "/data/name"}, "title": "too short"}]}, "data.name: too short"),
        ([{"message": "first"}, {"message": "second"}], "first; second"),
        ("<html><h1>Not here</h1></html>", "Not here"),
        ({}, "422"),
    ],
)
async def test_a_refusal_is_told_in_the_sites_own_words(body: Any, says: str) -> None:
    nursery = Nursery()
    async with nursery.reached("packets") as packets:
        answer = web.Response(text=body, status=422) if isinstance(body, str) else web.json_response(body, status=422)
        nursery.answers = [answer]
        refused = await packets.create({"title": "x"})
        assert refused.outcome is Outcome.REFUSED
        assert says in refused.message


async def test_pages_whose_numbers_begin_at_nought_or_that_are_all_the_same() -> None:
    document = {
        "openapi": "3.1.0",
        "paths": {
            "/rows": {
                "get": {**shown(listed(of(id=NUMBER))), "parameters": [
                    {"in": "query", "name": "page", "schema": {"type": "integer", "default": 0}},
                ]},
                "post": takes(shown(), of(name=TEXT)),
            },
            "/rows/{id}": {"get": shown(of(id=NUMBER))},
        },
    }  # fmt: skip
    nursery = Nursery(document)
    pages = [web.json_response([{"id": 1}, {"id": 2}]), web.json_response([{"id": 3}]), web.json_response([])]
    async with nursery.reached("rows") as rows:
        nursery.answers = [*pages]
        assert list(await read_whole(rows.read_all)) == ["1", "2", "3"]
        assert [url for _, url, _, _ in nursery.seen] == ["/rows?page=0", "/rows?page=1", "/rows?page=2"]
        nursery.answers = [web.json_response([{"id": 1}]) for _ in range(9)]
        assert list(await read_whole(rows.read_all)) == ["1"]
        assert not rows.finds_by(Field(path="name", title="Name"))


def test_a_form_is_written_as_forms_are() -> None:
    body = {"a": {"b": 1, "c": [{"d": "x y"}]}, "on": True, "none": None, "tags": ["1", "2"]}
    assert encoded(body, "application/x-www-form-urlencoded; charset=utf-8") == (
        b"a%5Bb%5D=1&a%5Bc%5D%5B0%5D%5Bd%5D=x+y&on=true&none=&tags%5B%5D=1&tags%5B%5D=2"
    )
    assert encoded({"n": 2**70}, "application/json") == b'{"n":1180591620717411303424}'


def _rows(**page: Json) -> Json:
    """A document of rows whose list is paged so."""
    answer = of(items=listed(of(id=NUMBER)), **page)
    paging = [{"in": "query", "name": name, "schema": NUMBER} for name in ("page", "limit")]
    return {
        "openapi": "3.1.0",
        "paths": {
            "/rows": {"get": {**shown(answer), "parameters": paging}, "post": takes(shown(), of(name=TEXT))},
            "/rows/{id}": {"get": shown(of(id=NUMBER))},
        },
    }


def _page(*numbers: int, **more: Any) -> web.Response:
    return web.json_response({"items": [{"id": number} for number in numbers], **more})


async def test_a_count_of_the_page_is_not_taken_for_one_of_all() -> None:
    nursery = Nursery(_rows(count=NUMBER))
    async with nursery.reached("rows") as rows:
        nursery.answers = [
            _page(1, 2, count=2),
            _page(3, 4, count=2),
            _page(3, 4, count=2),
            _page(5, count=1),
            _page(count=0),
        ]
        assert list(await read_whole(rows.read_all)) == ["1", "2", "3", "4", "5"]
        nursery.answers = [_page(1, 2, count=2), _page(count=0)]
        assert list(await read_whole(rows.read_all)) == ["1", "2"]


async def test_pages_are_asked_for_ahead_and_come_in_order_where_their_number_is_known() -> None:
    nursery = Nursery(_rows(total=NUMBER))
    under_way, most = 0, 0

    async def slowly(request: web.Request, _body: Any) -> web.Response:
        nonlocal under_way, most
        under_way += 1
        most = max(most, under_way)
        page = int(request.query["page"])
        # The later ones answer first.
        await asyncio.sleep(0.05 / page)
        under_way -= 1
        return _page(*range(page * 10, page * 10 + (10 if page < 9 else 5)), total=85)

    async with nursery.reached("rows") as rows:
        nursery._ways = lambda _: slowly  # type: ignore[method-assign,assignment]
        pages = [[record.id for record in page.records] async for page in rows.read_all()]
        assert [page[0] for page in pages] == [str(number * 10) for number in range(1, 10)]
        assert most > 1
        assert len(nursery.seen) == 9
