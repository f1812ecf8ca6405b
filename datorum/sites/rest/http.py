"""Requests to a REST site by aiohttp: signed, JSON answers, addresses guarded, redirects only to the same server, and
reading tried again."""

from __future__ import annotations

import asyncio
import email.utils
import json
import time
from collections.abc import AsyncIterator, Mapping
from contextlib import asynccontextmanager
from typing import Any, NamedTuple
from urllib.parse import urljoin

import aiohttp
import orjson
from yarl import URL

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.sites.limits import NO_PACE, Pace
from datorum.sites.rest.addresses import (
    PrivateAddress,
    checked_address,
    connector,
    origin,
    private,
    shown,
)
from datorum.sites.rest.limits import asked_to_rest
from datorum.sites.rest.model import Needs
from datorum.sites.rest.signing import Carried, Signer
from datorum.sites.retry import GiveUp, Retry

BROKEN = (aiohttp.ClientError, asyncio.TimeoutError)
"""What is raised where a connection does not come about, or breaks."""
_TIMEOUT = aiohttp.ClientTimeout(total=60, connect=10)
_LARGEST_ANSWER = 64 * 1024 * 1024
_RETRY = Retry()
_REDIRECTS = 5
_JSON = "application/json"


class Got(NamedTuple):
    """An answer: its body as JSON where it is any, its headers whatever their case, and the address of the next page
    (RFC 8288) where it links to one."""

    status: int
    body: Any
    headers: Mapping[str, str]
    following: str | None

    @property
    def ok(self) -> bool:
        """Whether what was asked was done."""
        return 200 <= self.status < 300

    @property
    def rest(self) -> float | None:
        """The seconds until the site takes the next request, where this was the last of a period."""
        return asked_to_rest(self.headers)

    @property
    def retry_after(self) -> float | None:
        """The seconds that the site asks to be left alone for (RFC 9110, 10.2.3), given so or as a date."""
        value = self.headers.get("Retry-After", "")
        if value.isdigit():
            return float(value)
        try:
            return max(0.0, email.utils.parsedate_to_datetime(value).timestamp() - time.time())
        except (ValueError, OverflowError):
            return None


class _Ask(NamedTuple):
    """A request without what it is signed with."""

    method: str
    url: str
    parameters: Mapping[str, str]
    headers: Mapping[str, str]
    data: bytes | aiohttp.FormData | None
    brief: bool


@asynccontextmanager
async def open_http(
    address: str,
    signer: Signer,
    *,
    allow_private: bool,
    connections: int = 8,
    pace: Pace = NO_PACE,
    answer_seconds: float | None = None,
) -> AsyncIterator[Http]:
    """The way to the origin of ``address``, to which alone the sign-in goes. What changes something is waited for no
    longer than ``answer_seconds``. Raises SiteUnavailable, SiteRefused."""
    checked_address(address, allow_private=allow_private)
    async with aiohttp.ClientSession(
        connector=connector(connections, allow_private=allow_private), timeout=_TIMEOUT,
        cookie_jar=aiohttp.DummyCookieJar(),
    ) as session:  # fmt: skip
        yield Http(session, origin(address), signer, pace, answer_seconds)


class Http:
    """Requests to one origin."""

    def __init__(
        self,
        session: aiohttp.ClientSession,
        to: str,
        signer: Signer,
        pace: Pace,
        answer_seconds: float | None = None,
    ) -> None:
        self._session = session
        self._origin = to
        self._signer = signer
        self._pace = pace
        self._brief = aiohttp.ClientTimeout(total=answer_seconds, connect=10) if answer_seconds else _TIMEOUT
        self._not_before = 0.0

    async def get(
        self,
        url: str,
        parameters: Mapping[str, str] | None = None,
        headers: Mapping[str, str] | None = None,
        needs: Needs | None = None,
        *,
        brief: bool = False,
    ) -> Got:
        """An answer to a question, asked again where the site asks for time or hangs up; one that is ``brief`` is not
        waited for as long as a whole list. Raises SiteUnavailable."""
        tried = 0
        while True:
            tried += 1
            await asyncio.sleep(max(0.0, self._not_before - time.monotonic()))
            try:
                got = await self.request("GET", url, parameters or {}, headers or {}, needs, brief=brief)
            except BROKEN as error:
                decision = _RETRY.after(tried)
                if isinstance(decision, GiveUp) or isinstance(error, aiohttp.ClientConnectorError):
                    raise SiteUnavailable(
                        f"The site at {shown(url)} does not answer.",
                        remedy="Look whether the address is right and the site is up, then try again.",
                    ) from error
            else:
                if got.status not in (429, 502, 503, 504):
                    # Whoever asks next waits until the site takes more.
                    self._not_before = max(self._not_before, time.monotonic() + (got.rest or 0.0))
                    return got
                decision = _RETRY.after(tried, got.retry_after)
                if isinstance(decision, GiveUp):
                    return got
            await asyncio.sleep(decision.seconds)

    async def request(
        self,
        method: str,
        url: str,
        parameters: Mapping[str, str],
        headers: Mapping[str, str],
        needs: Needs | None,
        data: bytes | aiohttp.FormData | None = None,
        media: str = _JSON,
        *,
        brief: bool = True,
    ) -> Got:
        """One request and its answer. Raises one of ``BROKEN``, SiteRefused for an address elsewhere or not public."""
        # A form with a file says itself what it is.
        if isinstance(data, bytes):
            headers = {**headers, "Content-Type": media}
        ask = _Ask(method, url, parameters, headers, data, brief)
        for _ in range(_REDIRECTS):
            got = await self._signed(ask, needs)
            location = got.headers.get("Location", "")
            if got.status not in (301, 302, 303, 307, 308) or not location:
                return got
            if method != "GET" and got.status not in (307, 308):
                return got
            # The address that it is led to has its own query.
            ask = ask._replace(url=urljoin(ask.url, location), parameters={})
        raise SiteUnavailable(
            f"The site at {shown(url)} leads from one address to the next.", remedy="Connect it by the address meant."
        )

    async def _signed(self, ask: _Ask, needs: Needs | None) -> Got:
        """The answer to a request with what it needs; with a new token, where the last one is no longer taken."""
        if origin(ask.url) != self._origin:
            raise SiteRefused(
                f"The site leads to {origin(ask.url)}, and its sign-in belongs to {self._origin}.",
                remedy="Connect it by the address that is meant.",
            )
        got = await self._sent(ask, await self._signer.carried(needs, self._session))
        if got.status == 401 and self._signer.forget_tokens():
            got = await self._sent(ask, await self._signer.carried(needs, self._session))
        return got

    async def _sent(self, ask: _Ask, carried: Carried) -> Got:
        parameters, headers = {**ask.parameters, **carried.query}, {**ask.headers, **carried.headers}
        await self._pace.turn()
        timeout = self._brief if ask.brief else _TIMEOUT
        try:
            async with self._session.request(
                ask.method,
                ask.url,
                params=parameters,
                headers=headers,
                data=ask.data,
                allow_redirects=False,
                timeout=timeout,
            ) as response:
                body = await _whole(response)
                linked = response.links.get("next") if "Link" in response.headers else None
                following = str(linked["url"]) if linked else None
                return Got(response.status, _parsed(body), response.headers, following)
        except aiohttp.ClientConnectorError as error:
            if isinstance(error.os_error, PrivateAddress):
                raise private(URL(ask.url).host or "") from None
            raise


async def _whole(response: aiohttp.ClientResponse) -> bytes:
    """All of an answer. Raises SiteUnavailable for one that is larger than any list page should be."""
    told = response.content_length
    if told is not None and told <= _LARGEST_ANSWER and "Content-Encoding" not in response.headers:
        # What is packed may be very much more than it says.
        return await response.read()
    body = bytearray()
    async for part in response.content.iter_any():
        body += part
        if len(body) > _LARGEST_ANSWER:
            raise SiteUnavailable(
                f"The site's answer at {shown(str(response.url))} is larger than {_LARGEST_ANSWER:,} bytes.",
                remedy="Ask its administrator for smaller pages.",
            )
    return bytes(body)


def _parsed(body: bytes) -> Any:
    if not body:
        return {}
    try:
        return orjson.loads(body)
    except json.JSONDecodeError:
        pass
    try:
        # Numbers and halves of pairs of surrogates that the standard has none of: a question mark stands for these.
        return _in_unicode(json.loads(body, parse_constant=lambda _: None))
    except (ValueError, RecursionError):
        return body[:500].decode("utf-8", errors="replace")


def _in_unicode(value: Any) -> Any:
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode()
    if isinstance(value, list):
        return [_in_unicode(one) for one in value]
    if isinstance(value, dict):
        return {_in_unicode(name): _in_unicode(one) for name, one in value.items()}
    return value
