"""What a site can do beside being read, created and changed: each verb on a site that has it, none on one that has
not."""

from __future__ import annotations

import asyncio
import datetime as dt
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

import pytest
from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.sites import Can, Outcome, SignIn, Site, SiteLimits, Upload, open_rest_site
from datorum.sites.limits import Pace
from tests.sites.documents import NUMBER, TEXT, Json, asks, listed, of, shown, takes
from tests.sites.reach import described

PAIRS = listed(of(key=TEXT, value=TEXT))
SEED = of(id=NUMBER, name=TEXT, more=PAIRS)
FILE = of(note=TEXT, photo={"type": "string", "format": "binary"})


def _keyed(operation: Json) -> Json:
    header = {"in": "header", "name": "Idempotency-Key", "schema": TEXT}
    return {**operation, "parameters": [*operation.get("parameters", []), header]}


DOCUMENT: Json = {
    "openapi": "3.1.0",
    "info": {"title": "Quillmoss seeds", "version": "1"},
    "paths": {
        "/seeds": {
            "get": asks(shown(of(items=listed(SEED), total=NUMBER)), "page"),
            "post": _keyed(takes(shown(SEED, "201"), SEED)),
        },
        "/seeds/{id}": {"get": shown(SEED), "patch": takes(shown(SEED), SEED), "delete": shown(status="204")},
        "/seeds/batch": {"post": _keyed(takes(shown(of(results=listed(SEED))), of(seeds=listed(SEED))))},
        "/seeds/{id}/sow": {"post": takes(shown(status="204"), of(bed=TEXT))},
        "/seeds/{id}/photo": {"post": takes(shown(status="204"), FILE, "multipart/form-data")},
        "/scans": {
            "get": asks(shown(listed(of(id=NUMBER))), "page"),
            "post": takes(shown(of(id=NUMBER), "201"), of(name=TEXT)),
        },
        "/scans/{id}": {"get": shown(of(id=NUMBER))},
        "/scans/upload": {"post": takes(shown(of(id=NUMBER), "201"), {}, "application/octet-stream")},
        "/beds": {"get": asks(shown(listed(of(id=NUMBER))), "page"), "post": takes(shown(), of(name=TEXT))},
    },
}


class Seeds:
    """A site that writes down what came, and answers each with what is laid ready."""

    def __init__(self) -> None:
        self.seen: list[tuple[str, str, dict[str, str], Any]] = []
        self.answers: list[web.Response] = []

    @asynccontextmanager
    async def reached(self, name: str, pace: Pace | None = None) -> AsyncIterator[Site]:
        app = web.Application(client_max_size=1024)
        app.router.add_route("*", "/{path:.*}", self._any)
        async with TestServer(app) as server:
            description = await described(str(server.make_url("/openapi.json")), SignIn())
            async with open_rest_site(description, name, SignIn(), allow_private=True, pace=pace or Pace()) as site:
                yield site

    async def _any(self, request: web.Request) -> web.Response:
        if request.path == "/openapi.json":
            return web.json_response(DOCUMENT)
        body: Any = None
        if request.content_type.startswith("multipart"):
            part = (await request.post())["photo"]
            assert isinstance(part, web.FileField)
            body = (part.filename, part.content_type, part.file.read())
        elif request.can_read_body:
            body = await (request.json() if request.content_type.endswith("json") else request.read())
        self.seen.append((request.method, request.path, dict(request.headers), body))
        return self.answers.pop(0)


@pytest.fixture
def seeds() -> Seeds:
    return Seeds()


async def test_a_site_says_what_it_can_do(seeds: Seeds) -> None:
    async with seeds.reached("seeds") as site:
        assert site.can == {Can.UPDATE, Can.DELETE, Can.BULK, Can.UPLOAD, Can.ACT, Can.KEYED}
        assert site.actions == ("sow",)
    async with seeds.reached("beds") as site:
        assert site.can == frozenset()
        refused = [
            await site.delete("1"), await site.act("sow", "1"), await site.upload("1", Upload("a", "text/plain", b"")),
            *await site.create_many([{"name": "North"}]),
        ]  # fmt: skip
        assert {one.outcome for one in refused} == {Outcome.REFUSED}
        assert "no way to delete a record" in refused[0].message
    assert seeds.seen == []


async def test_a_record_is_deleted_while_it_is_as_it_was_and_one_that_is_gone_is_done(seeds: Seeds) -> None:
    seeds.answers = [web.Response(status=204), web.Response(status=404), web.Response(status=412), _busy()]
    async with seeds.reached("seeds") as site:
        answers = [await site.delete("7", '"7-1"') for _ in range(4)]
    assert [one.outcome for one in answers] == [Outcome.DONE, Outcome.DONE, Outcome.REFUSED, Outcome.LATER]
    method, path, headers, _ = seeds.seen[0]
    assert (method, path, headers["If-Match"]) == ("DELETE", "/seeds/7", '"7-1"')


def _busy() -> web.Response:
    return web.Response(status=429, headers={"Retry-After": "3"})


async def test_several_are_made_in_one_request_and_each_has_its_answer(seeds: Seeds) -> None:
    told = [{"id": 4, "name": "Bean"}, {"status": 409, "error": "The name is taken."}]
    seeds.answers = [web.json_response({"results": told}), web.Response(status=204), _busy()]
    records = [{"name": "Bean", "more.colour": "red"}, {"name": "Rye"}]
    async with seeds.reached("seeds") as site:
        one, other = await site.create_many(records, key="k1")
        silent = await site.create_many(records)
        busy = await site.create_many(records)
    assert (one.outcome, one.record and one.record.id) == (Outcome.DONE, "4")
    assert (other.outcome, other.message) == (Outcome.REFUSED, "The name is taken.")
    assert [(each.outcome, each.record) for each in silent] == [(Outcome.DONE, None)] * 2
    assert [each.outcome for each in busy] == [Outcome.LATER] * 2
    _, path, headers, body = seeds.seen[0]
    assert (path, headers["Idempotency-Key"]) == ("/seeds/batch", "k1")
    assert body == {"seeds": [{"name": "Bean", "more": [{"key": "colour", "value": "red"}]}, {"name": "Rye"}]}


async def test_a_file_is_handed_in_for_a_record_or_by_itself(seeds: Seeds) -> None:
    photo = Upload("bean.png", "image/png", b"\x89PNG")
    seeds.answers = [web.Response(status=204), web.json_response({"id": 9}, status=201)]
    async with seeds.reached("seeds") as site:
        assert (await site.upload(None, photo)).outcome is Outcome.REFUSED
        assert (await site.upload("7", photo)).outcome is Outcome.DONE
    async with seeds.reached("scans") as site:
        made = await site.upload(None, photo)
    assert made.record is not None
    assert made.record.id == "9"
    assert seeds.seen[0][1::2] == ("/seeds/7/photo", ("bean.png", "image/png", b"\x89PNG"))
    assert (seeds.seen[1][1], seeds.seen[1][3]) == ("/scans/upload", b"\x89PNG")
    assert seeds.seen[1][2]["Content-Type"] == "image/png"


async def test_an_action_is_done_with_what_it_takes(seeds: Seeds) -> None:
    seeds.answers = [web.Response(status=204)]
    async with seeds.reached("seeds") as site:
        assert (await site.act("sow", "7", {"bed": "North"})).outcome is Outcome.DONE
        assert (await site.act("reap", "7")).message == "The site's description has no way to reap a record."
    assert [(method, path, body) for method, path, _, body in seeds.seen] == [
        ("POST", "/seeds/7/sow", {"bed": "North"}),
    ]  # fmt: skip


async def test_lists_of_name_and_value_are_read_and_written_as_fields(seeds: Seeds) -> None:
    kept = {"id": 7, "name": "Bean", "more": [{"key": "colour", "value": "red", "id": 3}]}
    seeds.answers = [web.json_response(kept), web.json_response(kept)]
    async with seeds.reached("seeds") as site:
        record = await site.read("7")
        await site.update("7", None, {"more.colour": "green"}, was=record)
    assert record is not None
    assert (record.body["more"], record.given) == ({"colour": "red"}, kept)
    assert seeds.seen[1][3] == {"more": [{"key": "colour", "value": "green", "id": 3}]}


async def test_requests_begin_no_faster_than_a_site_is_to_be_asked(seeds: Seeds) -> None:
    seeds.answers = [web.Response(status=204) for _ in range(4)]
    async with seeds.reached("seeds", Pace(per_minute=600)) as site:
        began = time.monotonic()
        await asyncio.gather(*(site.delete("7") for _ in range(4)))
    assert time.monotonic() - began >= 0.3


@pytest.mark.parametrize(
    ("now", "until"),
    [
        ("2026-11-28T21:30:00+00:00", "2026-11-29T06:00:00+01:00"),
        ("2026-11-28T04:59:00+00:00", "2026-11-28T06:00:00+01:00"),
        ("2026-11-28T05:00:00+00:00", None),
        ("2026-11-28T11:10:00+00:00", "2026-11-28T14:00:00+01:00"),
    ],
)
def test_quiet_hours_are_of_the_sites_own_clock_and_follow_on_one_another(now: str, until: str | None) -> None:
    hours = [("22:00", "06:00"), ("12:00", "13:00"), ("13:00", "14:00")]
    quiet = [{"begins": begins, "ends": ends} for begins, ends in hours]
    limits = SiteLimits.model_validate({"quiet": quiet, "zone": "Europe/Oslo"})
    found = limits.quiet_until(dt.datetime.fromisoformat(now))
    assert found == (dt.datetime.fromisoformat(until) if until else None)


@pytest.mark.parametrize(
    "limits",
    [
        {"concurrency": 0}, {"per_minute": -1}, {"zone": "Quillmoss"}, {"many": 1},
        {"quiet": [{"begins": "06:00", "ends": "06:00"}]}, {"quiet": [{"begins": "25:00", "ends": "06:00"}]},
    ],
)  # fmt: skip
def test_limits_that_mean_nothing_are_refused(limits: Any) -> None:
    with pytest.raises(ValueError, match="validation error"):
        SiteLimits.model_validate(limits)
