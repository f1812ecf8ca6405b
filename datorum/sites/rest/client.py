"""The client of a REST site: aiohttp, no redirects, private addresses only where allowed."""

from __future__ import annotations

import asyncio
import email.utils
import ipaddress
import itertools
import json
import socket
import time
from collections.abc import AsyncIterator, Collection
from contextlib import asynccontextmanager
from typing import Any
from urllib.parse import quote, urljoin, urlsplit

import aiohttp
import orjson
from aiohttp.abc import AbstractResolver, ResolveResult

from datorum.core.errors import SiteRefused, SiteUnavailable
from datorum.core.match_key import key_text
from datorum.core.model import Field, SiteRecord
from datorum.core.plan import at, nest
from datorum.sites.protocol import Answer, Outcome, Pages
from datorum.sites.rest.description import Collection as SiteCollection
from datorum.sites.rest.description import Paging, SiteDescription, describe
from datorum.sites.snapshot import read_whole

_TIMEOUT = aiohttp.ClientTimeout(total=60, connect=10)
_LARGEST_ANSWER = 64 * 1024 * 1024
_TRIES = 6
_Broken = (aiohttp.ClientError, asyncio.TimeoutError)


async def fetch_description(address: str, token: str, *, allow_private: bool) -> SiteDescription:
    """Fetch and read the OpenAPI document at ``address``. Raises SiteUnavailable or SiteRefused."""
    async with _http(token, allow_private) as http:
        client = _Client(http, address, allow_private)
        status, body, _ = await client.get(address)
        _expect_ok(status, address)
        return describe(body, address)


@asynccontextmanager
async def open_rest_site(
    description: SiteDescription, record_type: str, token: str, *, allow_private: bool, connections: int = 32
) -> AsyncIterator[RestSite]:
    """One collection of a described site, for as long as the block lasts."""
    async with _http(token, allow_private, connections) as http:
        collection = description.collection(record_type)
        yield RestSite(_Client(http, description.base_url, allow_private), description.base_url, collection)


class RestSite:
    """A collection of a REST site (see ``sites.protocol.Site``)."""

    def __init__(self, client: _Client, base_url: str, collection: SiteCollection) -> None:
        self._client = client
        self._collection = collection
        self._list_url = base_url + collection.list_path
        self._item_url = base_url + (collection.item_path or collection.list_path + "/{id}")

    def read_all(self) -> Pages:
        return self._pages({})

    async def _pages(self, asked: dict[str, str]) -> Pages:
        paging = self._collection.paging
        parameters = asked | ({paging.size: str(paging.size_value)} if paging.size else {})
        url: str | None = self._list_url
        number, seen = 1, 0
        while url:
            if paging.page:
                parameters[paging.page] = str(number)
            elif paging.offset:
                parameters[paging.offset] = str(seen)
            status, body, headers = await self._client.get(url, parameters)
            _expect_ok(status, self._list_url)
            records = [self._record(one, None) for one in self._items(body)]
            yield records, self._total(body)
            seen, number = seen + len(records), number + 1
            following = _next_link(headers)
            if following:
                # A web link (RFC 8288) carries the whole query; it may only lead on within the same site.
                url, parameters = urljoin(url, following), {}
                paging = paging.model_copy(update={"page": None, "offset": None})
                _same_origin(url, self._list_url)
            elif self._was_last(paging, records, seen, body):
                url = None

    def _was_last(self, paging: Paging, records: list[SiteRecord], seen: int, body: Any) -> bool:
        """Whether a page without a link to the next was the last one."""
        total = self._total(body)
        if not records or not (paging.page or paging.offset):
            return True
        return seen >= total if total is not None else len(records) < paging.size_value and bool(paging.size)

    def finds_by(self, key: Field) -> bool:
        return key.path in self._collection.filters

    async def find(self, key: Field, values: Collection[str]) -> dict[str, list[SiteRecord]]:
        found: dict[str, dict[str, SiteRecord]] = {text: {} for value in values if (text := key_text(key, value))}
        if self.finds_by(key):
            # Some sites keep an address in small letters, and look for it letter by letter.
            asked = {one for value in values if (text := key_text(key, value)) for one in (value, text)}
            name = self._collection.filters[key.path]
            pages = await asyncio.gather(*(self._filtered({name: one}) for one in asked))
            records = list(itertools.chain.from_iterable(pages))
        else:
            records = list((await read_whole(self.read_all)).values())
        for record in records:
            # A filter may find more than was asked for: what contains the text, say.
            known = found.get(key_text(key, at(record.body, key.path)) or "")
            if known is not None:
                known[record.id] = record
        return {text: list(same.values()) for text, same in found.items()}

    async def _filtered(self, asked: dict[str, str]) -> list[SiteRecord]:
        return [record async for page, _ in self._pages(asked) for record in page]

    async def read(self, record_id: str) -> SiteRecord | None:
        url = self._one(record_id)
        status, body, headers = await self._client.get(url)
        if status in (404, 410):
            return None
        _expect_ok(status, url)
        return self._record(body, headers.get("ETag"))

    async def create(self, values: dict[str, Any], *, send_mail: bool) -> Answer:
        mail = self._collection.mail
        return await self._send("POST", self._list_url, values, {}, send_mail, bool(mail and mail.on_create))

    async def update(self, record_id: str, etag: str | None, values: dict[str, Any], *, send_mail: bool) -> Answer:
        if self._collection.update_method is None:
            return Answer(Outcome.REFUSED, message="The site's description has no way to change a record.")
        if self._collection.update_method == "put":
            record = await self.read(record_id)
            if record is None:
                return Answer(Outcome.REFUSED, status=404, message="The record is gone.")
            values = _laid_over(record.body, values, self._collection)
        mail = self._collection.mail
        headers = {"If-Match": etag} if etag else {}
        method = self._collection.update_method.upper()
        return await self._send(method, self._one(record_id), values, headers, send_mail, bool(mail and mail.on_update))

    async def _send(
        self, method: str, url: str, values: dict[str, Any], headers: dict[str, str], send_mail: bool, switch: bool
    ) -> Answer:
        mail = self._collection.mail
        parameters = {mail.name: "true" if send_mail else "false"} if mail and switch else {}
        try:
            sent = orjson.dumps(nest(values, self._collection.record_type.lists))
            status, body, got = await self._client.request(method, url, parameters, headers, sent)
        except aiohttp.ClientConnectorError as error:
            # No connection came about, so nothing was done.
            return Answer(Outcome.LATER, message=f"The site cannot be reached: {error}")
        except _Broken as error:
            return Answer(Outcome.IN_DOUBT, message=f"The connection broke: {error or type(error).__name__}")
        if 200 <= status < 300:
            record = self._record(body, got.get("ETag")) if isinstance(body, dict) and body else None
            return Answer(Outcome.DONE, record, status)
        if status in (429, 503):
            return Answer(Outcome.LATER, status=status, message=_said(status, body), wait=_retry_after(got))
        if status in (500, 502, 504):
            return Answer(Outcome.IN_DOUBT, status=status, message=_said(status, body), wait=_retry_after(got))
        return Answer(Outcome.REFUSED, status=status, message=_said(status, body))

    def _one(self, record_id: str) -> str:
        before, _, _ = self._item_url.rpartition("{")
        return before + quote(record_id, safe="")

    def _items(self, body: Any) -> list[dict[str, Any]]:
        items = body if self._collection.items_at is None else at(body, self._collection.items_at)
        if not isinstance(items, list):
            raise SiteUnavailable(f"The site's list of {self._collection.record_type.name} is not as it describes it.")
        return [one for one in items if isinstance(one, dict)]

    def _total(self, body: Any) -> int | None:
        total = body.get(self._collection.total_at) if self._collection.total_at and isinstance(body, dict) else None
        return total if isinstance(total, int) else None

    def _record(self, body: dict[str, Any], etag: str | None) -> SiteRecord:
        page = body.get(self._collection.page_field) if self._collection.page_field else None
        return SiteRecord(
            id=str(body.get(self._collection.id_field, "")),
            body=body,
            etag=etag,
            # Only what a browser opens as a page; anything else a site might give is not made a link.
            page=page if isinstance(page, str) and page.startswith(("https://", "http://")) else None,
        )


class _Client:
    """Requests with JSON answers; reading is tried again where the site asks for time or hangs up."""

    def __init__(self, http: aiohttp.ClientSession, base_url: str, allow_private: bool) -> None:
        self._http = http
        self._allow_private = allow_private
        _check_address(base_url, allow_private)

    async def get(self, url: str, parameters: dict[str, str] | None = None) -> tuple[int, Any, dict[str, str]]:
        wait = 0.25
        for attempt in range(1, _TRIES + 1):
            try:
                status, body, headers = await self.request("GET", url, parameters or {}, {}, None)
            except _Broken as error:
                if attempt == _TRIES or isinstance(error, aiohttp.ClientConnectorError):
                    raise SiteUnavailable(
                        f"The site at {_shown(url)} does not answer.",
                        remedy="Look whether the address is right and the site is up, then try again.",
                    ) from error
            else:
                if status not in (429, 502, 503, 504) or attempt == _TRIES:
                    return status, body, headers
                wait = max(wait, _retry_after(headers) or 0.0)
            await asyncio.sleep(wait)
            wait = min(wait * 2, 8.0)
        raise AssertionError("unreachable")

    async def request(
        self, method: str, url: str, parameters: dict[str, str], headers: dict[str, str], data: bytes | None
    ) -> tuple[int, Any, dict[str, str]]:
        if data is not None:
            headers = {**headers, "Content-Type": "application/json"}
        async with self._http.request(
            method, url, params=parameters, headers=headers, data=data, allow_redirects=False
        ) as response:
            body = await _whole(response)
            got = {
                name.title() if name.lower() != "etag" else "ETag": value for name, value in response.headers.items()
            }
            return response.status, _parsed(body), got


class _GuardedResolver(AbstractResolver):
    """Resolves names and refuses those that lead to private addresses."""

    def __init__(self) -> None:
        self._inner = aiohttp.ThreadedResolver()

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_INET
    ) -> list[ResolveResult]:
        found = await self._inner.resolve(host, port, family)
        for one in found:
            _refuse_private(one["host"], host)
        return found

    async def close(self) -> None:
        await self._inner.close()


@asynccontextmanager
async def _http(token: str, allow_private: bool, connections: int = 8) -> AsyncIterator[aiohttp.ClientSession]:
    resolver = None if allow_private else _GuardedResolver()
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    connector = aiohttp.TCPConnector(limit=connections, resolver=resolver)
    async with aiohttp.ClientSession(
        connector=connector, timeout=_TIMEOUT, headers=headers, cookie_jar=aiohttp.DummyCookieJar()
    ) as http:
        yield http


async def _whole(response: aiohttp.ClientResponse) -> bytes:
    """All of an answer. Raises SiteUnavailable for one that is larger than any list page should be."""
    body = bytearray()
    async for part in response.content.iter_any():
        body += part
        if len(body) > _LARGEST_ANSWER:
            raise SiteUnavailable(
                f"The site's answer at {_shown(str(response.url))} is larger than {_LARGEST_ANSWER:,} bytes.",
                remedy="Ask its administrator for smaller pages.",
            )
    return bytes(body)


def _check_address(url: str, allow_private: bool) -> None:
    try:
        parts = urlsplit(url)
        sound = parts.scheme in ("http", "https") and bool(parts.hostname) and parts.port != 0
    except ValueError:
        sound = False
    if not sound:
        raise SiteUnavailable(
            f"“{_shown(url)}” is no web address.", remedy="Give one that begins with https:// or http://."
        )
    if not allow_private and parts.hostname:
        _refuse_private(parts.hostname, parts.hostname)


def _refuse_private(address: str, host: str) -> None:
    try:
        ip = ipaddress.ip_address(address)
    except ValueError:
        return
    if not ip.is_global or ip.is_multicast:
        raise SiteRefused(
            f"{host} is at a private address, which Datorum does not reach.",
            remedy="Set DATORUM_ALLOW_PRIVATE_SITES=true where that is meant.",
        )


def _same_origin(url: str, other: str) -> None:
    left, right = urlsplit(url), urlsplit(other)
    if (left.scheme, left.netloc) != (right.scheme, right.netloc):
        raise SiteRefused("The site's next page is on another host, which Datorum does not follow.")


def _laid_over(body: dict[str, Any], values: dict[str, Any], collection: SiteCollection) -> dict[str, Any]:
    """For sites that only replace: what the record has in every writable field, with the new values over it."""
    paths = [field.path for field in collection.record_type.writable]
    return {path: value for path in paths if (value := values.get(path, at(body, path))) is not None}


def _expect_ok(status: int, url: str) -> None:
    if status in (401, 403):
        raise SiteRefused(
            f"The site at {_shown(url)} does not accept the token ({status}).",
            remedy="Connect the site again with a token that may read and write.",
        )
    if not 200 <= status < 300:
        raise SiteUnavailable(
            f"The site answers {status} at {_shown(url)}.", remedy="Look whether the address is right."
        )


def _parsed(body: bytes) -> Any:
    if not body:
        return {}
    try:
        return orjson.loads(body)
    except json.JSONDecodeError:
        return body[:500].decode("utf-8", errors="replace")


def _said(status: int, body: Any) -> str:
    """What the site said, from problem details (RFC 9457) where it gives them."""
    if isinstance(body, dict):
        errors = [
            f"{str(error.get('pointer', '')).removeprefix('#/').replace('/', '.')}: {error.get('detail', '')}".strip(
                ": "
            )
            for error in body.get("errors") or ()
            if isinstance(error, dict)
        ]
        told = "; ".join(errors) or str(body.get("detail") or body.get("title") or body.get("message") or "")
    else:
        told = str(body)
    return f"{status}: {told[:500]}" if told else str(status)


def _retry_after(headers: dict[str, str]) -> float | None:
    """Retry-After (RFC 9110): seconds, or a date."""
    value = headers.get("Retry-After", "")
    if value.isdigit():
        return float(value)
    try:
        return max(0.0, email.utils.parsedate_to_datetime(value).timestamp() - time.time())
    except ValueError:
        return None


def _next_link(headers: dict[str, str]) -> str | None:
    for part in headers.get("Link", "").split(","):
        target, _, attributes = part.partition(";")
        if 'rel="next"' in attributes or "rel=next" in attributes:
            return target.strip().strip("<>")
    return None


def _shown(url: str) -> str:
    """An address without its query, which may carry personal data."""
    return url.split("?")[0]
