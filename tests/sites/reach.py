"""A site as a person connects it, without keeping it."""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Collection
from contextlib import asynccontextmanager

from aiohttp import web
from aiohttp.test_utils import TestServer

from datorum.sites import SignIn, Site, SiteDescription, describe, fetch_document, must_be_agreed, open_rest_site


async def described(address: str, sign_in: SignIn, servers: Collection[str] = ()) -> SiteDescription:
    """What a site says of itself, where it sends requests nowhere that was not agreed to."""
    found = describe(await fetch_document(address, sign_in, allow_private=True), address)
    must_be_agreed(found, address, servers)
    return found


@asynccontextmanager
async def answered_by(answer: Callable[[web.Request], Awaitable[web.StreamResponse]], name: str) -> AsyncIterator[Site]:
    """One record type of a site all of whose requests are answered by ``answer``, its document among them."""
    app = web.Application()
    app.router.add_route("*", "/{path:.*}", answer)
    async with TestServer(app) as server:
        description = await described(str(server.make_url("/openapi.json")), SignIn())
        async with open_rest_site(description, name, SignIn(), allow_private=True) as site:
            yield site
