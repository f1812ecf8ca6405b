"""One record type of a REST site, as its description says it is reached."""

from __future__ import annotations

import asyncio
import itertools
import json
from collections.abc import AsyncIterator, Collection
from contextlib import asynccontextmanager
from typing import Any
from urllib.parse import quote, urljoin

import aiohttp
import orjson

from datorum.core.errors import AnotherServer, SiteRefused, SiteUnavailable
from datorum.core.match_key import key_text
from datorum.core.model import Field, SiteRecord
from datorum.core.plan import at, nest
from datorum.sites.protocol import Answer, Outcome, Pages
from datorum.sites.rest.addresses import origin, shown
from datorum.sites.rest.description import Collection as SiteCollection
from datorum.sites.rest.description import SiteDescription, describe
from datorum.sites.rest.http import BROKEN, Got, Http, open_http
from datorum.sites.rest.model import Paging
from datorum.sites.snapshot import read_whole


async def fetch_document(address: str, token: str, *, allow_private: bool) -> Any:
    """The JSON at an address. Raises SiteUnavailable, SiteRefused."""
    async with open_http(address, token, allow_private=allow_private) as http:
        got = await http.get(address)
    _expect_ok(got.status, address)
    return got.body


async def fetch_description(address: str, token: str, *, allow_private: bool, server: str = "") -> SiteDescription:
    """Fetch and read the OpenAPI document at ``address``.

    ``server``: the origin at which a person has said that the records are, where it is not that of the document. Raises
    SiteUnavailable, SiteRefused, or AnotherServer where that has to be said.
    """
    description = describe(await fetch_document(address, token, allow_private=allow_private), address)
    named = origin(description.base_url)
    if named not in (origin(address), server):
        raise AnotherServer(
            f"The description says that the records are at {named}, which is not where it came from.",
            remedy="Say that the token may be sent there, if that is the site's own address.",
            current={"server": named},
        )
    return description


@asynccontextmanager
async def open_rest_site(
    description: SiteDescription, record_type: str, token: str, *, allow_private: bool, connections: int = 32
) -> AsyncIterator[RestSite]:
    """One collection of a described site, for as long as the block lasts."""
    async with open_http(description.base_url, token, allow_private=allow_private, connections=connections) as http:
        yield RestSite(http, description.base_url, description.collection(record_type))


class RestSite:
    """A collection of a REST site (see ``sites.protocol.Site``)."""

    def __init__(self, http: Http, base_url: str, collection: SiteCollection) -> None:
        self._http = http
        self._collection = collection
        self._list_url = base_url + collection.list_path
        self._item_url = base_url + (collection.item_path or collection.list_path + "/{id}")

    def read_all(self) -> Pages:
        return self._pages({})

    async def _pages(self, asked: dict[str, str]) -> Pages:
        paging = self._collection.paging
        size = _page_size(paging)
        parameters = self._collection.constants | asked | ({paging.size: str(size)} if paging.size else {})
        url: str | None = self._list_url
        number, seen = 1, 0
        while url:
            if paging.page:
                parameters[paging.page] = str(number)
            elif paging.offset:
                parameters[paging.offset] = str(seen)
            got = await self._http.get(url, parameters)
            _expect_ok(got.status, self._list_url)
            records = [self._record(one, None) for one in self._items(got.body)]
            yield records, self._total(got.body)
            seen, number = seen + len(records), number + 1
            following = got.following or _text_at(got.body, paging.next_at)
            token = _text_at(got.body, paging.next_token_at)
            if following:
                # A web link carries the whole query.
                url, parameters = urljoin(url, following), {}
                paging = paging.model_copy(update={"page": None, "offset": None})
            elif paging.cursor and token and records:
                parameters[paging.cursor] = token
            elif paging.next_token_at or self._was_last(paging, records, seen, got.body):
                url = None

    def _was_last(self, paging: Paging, records: list[SiteRecord], seen: int, body: Any) -> bool:
        """Whether a page without a link to the next was the last one."""
        total = self._total(body)
        if not records or not (paging.page or paging.offset):
            return True
        return seen >= total if total is not None else len(records) < _page_size(paging) and bool(paging.size)

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
        got = await self._http.get(url)
        if got.status in (404, 410):
            return None
        _expect_ok(got.status, url)
        return self._record(_unwrapped(got.body, self._collection.answer_at), got.headers.get("ETag"))

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
            body = nest(values, self._collection.record_type.lists)
            sent = _encoded(body if self._collection.body_at is None else {self._collection.body_at: body})
            got = await self._http.request(method, url, parameters, headers, sent)
        except aiohttp.ClientConnectorError as error:
            # No connection came about, so nothing was done.
            return Answer(Outcome.LATER, message=f"The site cannot be reached: {error}")
        except BROKEN as error:
            return Answer(Outcome.IN_DOUBT, message=f"The connection broke: {error or type(error).__name__}")
        if 200 <= got.status < 300:
            answer = _unwrapped(got.body, self._collection.answer_at)
            record = self._record(answer, got.headers.get("ETag")) if isinstance(answer, dict) and answer else None
            return Answer(Outcome.DONE, record, got.status)
        outcome = _OUTCOMES.get(got.status, Outcome.REFUSED)
        return Answer(outcome, status=got.status, message=_said(got), wait=got.retry_after)

    def _one(self, record_id: str) -> str:
        before, _, rest = self._item_url.rpartition("{")
        return before + quote(record_id, safe="") + rest.partition("}")[2]

    def _items(self, body: Any) -> list[dict[str, Any]]:
        items = body if self._collection.items_at is None else at(body, self._collection.items_at)
        if not isinstance(items, list):
            raise SiteUnavailable(f"The site's list of {self._collection.record_type.name} is not as it describes it.")
        unwrapped = (_unwrapped(one, self._collection.entry) for one in items)
        return [one for one in unwrapped if isinstance(one, dict)]

    def _total(self, body: Any) -> int | None:
        total = at(body, self._collection.total_at) if self._collection.total_at and isinstance(body, dict) else None
        return total if isinstance(total, int) else None

    def _record(self, body: dict[str, Any], etag: str | None) -> SiteRecord:
        page = body.get(self._collection.page_field) if self._collection.page_field else None
        if etag is None and self._collection.etag_at:
            etag = _quoted(at(body, self._collection.etag_at))
        return SiteRecord(
            id=str(body.get(self._collection.id_field, "")),
            body=body,
            etag=etag,
            # Only what a browser opens as a page; anything else a site might give is not made a link.
            page=page if isinstance(page, str) and page.startswith(("https://", "http://")) else None,
        )


def _page_size(paging: Paging) -> int:
    """As many records are asked for at a time: what the site allows, up to 500; a hundred, where it does not say."""
    return min(paging.size_most or 100, 500)


def _text_at(body: Any, path: str | None) -> str:
    """The text at a place of an answer; none where there is none."""
    found = at(body, path) if path and isinstance(body, dict) else None
    # Some give an object with the address in it.
    found = found.get("href") if isinstance(found, dict) else found
    return found if isinstance(found, str) else ""


def _unwrapped(body: Any, name: str | None) -> Any:
    """What stands in the property that wraps it, where there is such a property."""
    return body[name] if name is not None and isinstance(body, dict) and name in body else body


def _quoted(etag: Any) -> str | None:
    """An entity tag as a header carries it (RFC 9110, 8.8.3); some sites leave its quotes out of their records."""
    if not isinstance(etag, str) or not etag:
        return None
    return etag if etag.endswith('"') else f'"{etag}"'


_OUTCOMES = {
    429: Outcome.LATER,
    503: Outcome.LATER,
    500: Outcome.IN_DOUBT,
    502: Outcome.IN_DOUBT,
    504: Outcome.IN_DOUBT,
}
"""What became of a write that was not taken, by the status of the answer; any other is a refusal."""


def _encoded(body: dict[str, Any]) -> bytes:
    try:
        return orjson.dumps(body)
    except TypeError:
        # A whole number of more than 64 bits, which the standard library writes as well.
        return json.dumps(body, ensure_ascii=False).encode()


def _laid_over(body: dict[str, Any], values: dict[str, Any], collection: SiteCollection) -> dict[str, Any]:
    """For sites that only replace: what the record has in every writable field, with the new values over it."""
    paths = [field.path for field in collection.record_type.writable]
    return {path: value for path in paths if (value := values.get(path, at(body, path))) is not None}


def _expect_ok(status: int, url: str) -> None:
    if status in (401, 403):
        raise SiteRefused(
            f"The site at {shown(url)} does not accept the token ({status}).",
            remedy="Connect the site again with a token that may read and write.",
        )
    if not 200 <= status < 300:
        raise SiteUnavailable(
            f"The site answers {status} at {shown(url)}.", remedy="Look whether the address is right."
        )


def _said(got: Got) -> str:
    """What the site said, from problem details (RFC 9457) where it gives them."""
    status, body = got.status, got.body
    if isinstance(body, dict):
        errors = [
            f"{str(error.get('pointer', '')).removeprefix('#/').replace('/', '.')}: {error.get('detail', '')}".strip(
                ": "
            )
            for error in body.get("errors") or ()
            if isinstance(error, dict)
        ]
        says = "; ".join(errors) or str(body.get("detail") or body.get("title") or body.get("message") or "")
    else:
        says = str(body)
    return f"{status}: {says[:500]}" if says else str(status)
