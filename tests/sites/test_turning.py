"""A list is read to its end by whatever its answers say of the next page, or it is told that this is not known."""

from __future__ import annotations

from contextlib import AbstractAsyncContextManager
from typing import Any

import pytest
from aiohttp import web

from datorum.core.errors import SiteUnavailable
from datorum.sites import Site
from datorum.sites.snapshot import read_whole
from tests.sites.documents import NUMBER, TEXT, Json, asks, listed, of, shown, takes
from tests.sites.reach import answered_by

THING = of(id=NUMBER, name=TEXT)
NULLABLE: Json = {"anyOf": [TEXT, {"type": "null"}]}
EACH, ALL = 3, 8


class Things:
    """A site whose list has pages of three; ``mark`` says what stands in the answer for the page that begins at."""

    def __init__(self, parameter: str | None, mark: Any, around: Json | None = None) -> None:
        self._parameter, self._mark = parameter, mark
        answer = of(items=listed(THING), **(around or {"next": NULLABLE}))
        listing = asks(shown(answer), *([parameter] if parameter else []))
        self._document = {
            "openapi": "3.1.0", "info": {"title": "Quillmoss things", "version": "1"},
            "paths": {"/things": {"get": listing, "post": takes(shown(THING, "201"), of(name=TEXT))},
                      "/things/{id}": {"get": shown(THING)}},
        }  # fmt: skip

    async def _any(self, request: web.Request) -> web.Response:
        if request.path == "/openapi.json":
            return web.json_response(self._document)
        asked = request.query.get(self._parameter or "at", "0")
        begins = int(asked.removeprefix("c-").removesuffix("=="))
        further = begins + EACH
        items = [{"id": one, "name": f"T{one}"} for one in range(begins, min(further, ALL))]
        return web.json_response({"items": items, "next": self._mark(further) if further < ALL else None})

    def reached(self) -> AbstractAsyncContextManager[Site]:
        return answered_by(self._any, "things")


@pytest.mark.parametrize(
    ("parameter", "mark"),
    [
        ("cursor", lambda at: f"c-{at}=="),
        ("after", lambda at: f"c-{at}=="),
        ("next", lambda at: f"c-{at}=="),
        ("cursor", lambda at: at),
        ("cursor", lambda at: f"/things?cursor={at}"),
        ("cursor", lambda at: f"?cursor={at}"),
        (None, lambda at: f"things?at={at}"),
    ],
)
async def test_what_is_called_next_may_be_an_address_or_a_mark(parameter: str | None, mark: Any) -> None:
    async with Things(parameter, mark).reached() as things:
        found = await read_whole(things.read_all)
    assert sorted(map(int, found)) == list(range(ALL))


async def test_a_mark_that_nothing_takes_is_told() -> None:
    async with Things(None, lambda at: f"c-{at}==").reached() as things:
        with pytest.raises(SiteUnavailable, match="more comes after “c-3==”, and not how that is asked for"):
            await read_whole(things.read_all)
