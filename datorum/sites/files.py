"""Files fetched from addresses that sheets name: anybody may have written these, so that each is judged, and each to
which it leads."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from typing import TypeVar
from urllib.parse import urljoin

import aiohttp
from yarl import URL

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.sites.rest.addresses import PrivateAddress, checked_address, connector, private
from datorum.sites.rest.http import BROKEN
from datorum.sites.retry import GiveUp, Retry

_TIMEOUT = aiohttp.ClientTimeout(total=300, connect=10, sock_read=30)
_REDIRECTS = 5
_RETRY = Retry(tries=3)
Item = TypeVar("Item")
_LATER = (429, 502, 503, 504)


@asynccontextmanager
async def open_fetcher(*, allow_private: bool, connections: int) -> AsyncIterator[Fetcher]:
    """What fetches files, without any sign-in, for as long as the block lasts."""
    async with aiohttp.ClientSession(
        connector=connector(connections, allow_private=allow_private), timeout=_TIMEOUT,
        cookie_jar=aiohttp.DummyCookieJar(),
    ) as session:  # fmt: skip
        yield Fetcher(session, allow_private=allow_private)


async def each_in_turn(items: Sequence[Item], most: int, do: Callable[[Item, int], Awaitable[None]]) -> None:
    """Do something for each of some items, for at most so many at once; it is told which of these it is. What is raised
    first ends the rest, and is raised on."""
    waiting = list(reversed(items))

    async def some(number: int) -> None:
        while waiting:
            await do(waiting.pop(), number)

    try:
        async with asyncio.TaskGroup() as group:
            for number in range(most):
                group.create_task(some(number))
    except ExceptionGroup as several:
        raise several.exceptions[0] from None


class Fetcher:
    """Fetches files from public addresses, or from others where these are allowed."""

    def __init__(self, session: aiohttp.ClientSession, *, allow_private: bool) -> None:
        self._session = session
        self._allow_private = allow_private

    async def fetch(self, address: str, target: Path, largest: int) -> None:
        """Write the file at an address to ``target``, of ``largest`` bytes at most. Raises SiteUnavailable,
        SiteRefused."""
        tried = 0
        while True:
            tried += 1
            try:
                status, said = await self._once(address, target, largest), ""
            except BROKEN as error:
                if isinstance(error, aiohttp.ClientConnectorError) and isinstance(error.os_error, PrivateAddress):
                    raise private(URL(address).host or "") from None
                status, said = 0, f"it does not answer ({type(error).__name__})"
            if status == 200:
                return
            decision = _RETRY.after(tried)
            if isinstance(decision, GiveUp) or status not in (0, *_LATER):
                raise SiteUnavailable(said or f"its address answers {status}", remedy="Look whether the file is there.")
            await asyncio.sleep(decision.seconds)

    async def _once(self, address: str, target: Path, largest: int) -> int:
        """The status of an answer; of one that is right the file was written."""
        for _ in range(_REDIRECTS):
            checked_address(address, allow_private=self._allow_private)
            async with self._session.get(address, allow_redirects=False) as response:
                location = response.headers.get("Location", "")
                if response.status in (301, 302, 303, 307, 308) and location:
                    address = urljoin(address, location)
                    continue
                if response.status != 200:
                    return response.status
                await _write(response, target, largest)
                return response.status
        raise SiteUnavailable("its address leads from one to the next", remedy="Look whether the file is there.")


async def _write(response: aiohttp.ClientResponse, target: Path, largest: int) -> None:
    done = 0
    with target.open("wb") as file:
        async for part in response.content.iter_chunked(256 * 1024):
            done += len(part)
            if done > largest:
                raise SiteRefused(f"it has more than {largest:,} bytes", remedy="Raise DATORUM_FILE_BYTES.")
            file.write(part)
