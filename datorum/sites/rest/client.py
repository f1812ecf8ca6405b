"""One record type of a REST site, as its description says it is reached."""

from __future__ import annotations

import asyncio
import itertools
import re
from collections import deque
from collections.abc import AsyncIterator, Collection, Iterator
from contextlib import AsyncExitStack, asynccontextmanager
from typing import Any, NamedTuple
from urllib.parse import quote, unquote, urljoin

import aiohttp

from datorum.core.errors import AnotherServer, SiteUnavailable
from datorum.core.match_key import key_text
from datorum.core.model import Field, SiteRecord
from datorum.core.plan import at, nest
from datorum.sites.protocol import Answer, Outcome, Pages
from datorum.sites.rest.addresses import origin
from datorum.sites.rest.bodies import encoded, expect_ok, id_in, laid_over, said
from datorum.sites.rest.description import SiteDescription
from datorum.sites.rest.http import BROKEN, Got, Http, open_http
from datorum.sites.rest.model import Paging, SiteType, Writing
from datorum.sites.rest.signing import Signer
from datorum.sites.sign_in import SignIn
from datorum.sites.snapshot import read_whole


async def fetch_document(address: str, sign_in: SignIn, *, allow_private: bool) -> Any:
    """The JSON at an address. Raises SiteUnavailable, SiteRefused."""
    async with open_http(address, Signer(sign_in), allow_private=allow_private) as http:
        got = await http.get(address)
    expect_ok(got, address)
    return got.body


def must_be_agreed(description: SiteDescription, address: str, servers: Collection[str]) -> None:
    """See that a description found at ``address`` sends requests nowhere but there and to ``servers``, origins that a
    person has said the sign-in may be sent to. Raises AnotherServer where that has to be said of one."""
    for named in sorted(description.origins - {origin(address), *servers}):
        raise AnotherServer(
            f"The description says that requests go to {named}, which is not where it came from.",
            remedy="Say that the sign-in may be sent there, if that is the site's own address.",
            current={"server": named},
        )


@asynccontextmanager
async def open_rest_site(
    description: SiteDescription, name: str, sign_in: SignIn, *, allow_private: bool, connections: int = 32
) -> AsyncIterator[RestSite]:
    """One record type of a described site, for as long as the block lasts."""
    signer = Signer(sign_in, description.base_url, description.origins)
    async with AsyncExitStack() as opened:

        async def reached(one: SiteType) -> RestSite:
            above = await reached(description.type(one.under)) if one.under else None
            server = description.server(one)
            http = await opened.enter_async_context(
                open_http(server, signer, allow_private=allow_private, connections=connections)
            )
            return RestSite(http, server, one, above)

        yield await reached(description.type(name))


class _Turn(NamedTuple):
    """What a page of a list is asked for by."""

    url: str
    parameters: dict[str, str]
    paging: Paging

    def numbered(self, number: int, seen: int) -> _Turn:
        """The page of a number, before which so many records were seen."""
        if self.paging.page:
            return self._replace(parameters=self.parameters | {self.paging.page: str(number)})
        return (
            self._replace(parameters=self.parameters | {self.paging.offset: str(seen)}) if self.paging.offset else self
        )


class _Page(NamedTuple):
    """A page as it came: ``total`` is how many records there are in all, ``following`` the address of the next page and
    ``token`` its mark, where it says so."""

    records: list[SiteRecord]
    total: int | None
    following: str
    token: str

    @property
    def ids(self) -> list[str]:
        return [record.id for record in self.records]

    def next_turn(self, turn: _Turn, number: int, seen: int) -> _Turn | None:
        """How the page after this one is asked for, which was the ``number``-th, with ``seen`` records before it; None
        where it was the last."""
        paging = turn.paging
        if self.following:
            # A web link carries the whole query.
            turned = paging.model_copy(update={"page": None, "offset": None})
            return _Turn(urljoin(turn.url, self.following), {}, turned)
        if paging.cursor and self.token and self.records:
            return turn._replace(parameters=turn.parameters | {paging.cursor: self.token})
        if paging.next_token_at or not self.records or not (paging.page or paging.offset):
            return None
        # A short page proves nothing: the site may give fewer at a time than it was asked for.
        return turn.numbered(number + 1, seen + len(self.records))


_PAGES_AT_ONCE = 4


class RestSite:
    """A record type of a REST site (see ``sites.protocol.Site``).

    The id of a record that belongs to others is that of each of them and its own, as they stand in its path, with
    ``/`` between.
    """

    def __init__(self, http: Http, server: str, one: SiteType, above: RestSite | None = None) -> None:
        self._http = http
        self._server = server
        self._type = one
        self._above = above
        self._record_type = one.record_type

    def read_all(self) -> Pages:
        return self._pages({})

    async def _pages(self, asked: dict[str, str]) -> Pages:
        if self._above is None:
            async for page in self._pages_below((), asked):
                yield page
            return
        async for parents, _ in self._above.read_all():
            for parent in parents:
                async for records, _ in self._pages_below(_parts(parent.id, self._type.parents), asked):
                    # How many there are below all of them, no answer says.
                    yield records, None

    async def _pages_below(self, parents: tuple[str, ...], asked: dict[str, str]) -> Pages:
        listing = self._type.listing
        paging = listing.paging
        sized = {paging.size: str(_page_size(paging))} if paging.size else {}
        start = _Turn(self._server + _filled(listing.path, parents), listing.constants | asked | sized, paging)
        page = await self._page(start.numbered(paging.first, 0), parents)
        if page.total == len(page.records) and page.records and (following := page.next_turn(start, paging.first, 0)):
            # Some call the number on a page what others call the number of all.
            second = await self._page(following, parents)
            if second.records and second.ids != page.ids:
                page = page._replace(total=None)
        yield page.records, page.total
        each, total = len(page.records), page.total
        if total is not None and each >= total:
            return
        if total is not None and (paging.page or paging.offset):
            # All that is still to be asked for is known: several pages at a time, in order.
            numbers = range(1, -(-total // each)) if each else range(0)
            turns = (start.numbered(paging.first + number, number * each) for number in numbers)
            async for page in self._ahead(turns, parents):
                yield page.records, page.total
            return
        number, seen, turn = paging.first, 0, start
        while following := page.next_turn(turn, number, seen):
            number, seen, before = number + 1, seen + len(page.records), page.ids
            turn, page = following, await self._page(following, parents)
            if page.ids and page.ids == before:
                # It gives the same page for every number: there is but one.
                return
            yield page.records, None if total is None else page.total

    async def _ahead(self, turns: Iterator[_Turn], parents: tuple[str, ...]) -> AsyncIterator[_Page]:
        """Pages in order, each asked for while those before it are still on their way."""
        asked: deque[asyncio.Task[_Page]] = deque()
        try:
            while True:
                for turn in itertools.islice(turns, _PAGES_AT_ONCE - len(asked)):
                    asked.append(asyncio.create_task(self._page(turn, parents)))
                if not asked:
                    return
                yield await asked.popleft()
        finally:
            for task in asked:
                task.cancel()

    async def _page(self, turn: _Turn, parents: tuple[str, ...]) -> _Page:
        listing = self._type.listing
        got = await self._http.get(turn.url, turn.parameters, listing.headers, self._type.auth)
        expect_ok(got, turn.url)
        records = [self._record(one, None, parents) for one in self._items(got.body)]
        following = got.following or _text_at(got.body, listing.paging.next_at)
        return _Page(records, self._total(got.body), following, _text_at(got.body, listing.paging.next_token_at))

    def finds_by(self, key: Field) -> bool:
        return self._above is None and key.path in self._type.listing.filters

    async def find(self, key: Field, values: Collection[str]) -> dict[str, list[SiteRecord]]:
        found: dict[str, dict[str, SiteRecord]] = {text: {} for value in values if (text := key_text(key, value))}
        if self.finds_by(key):
            # Some sites keep an address in small letters, and look for it letter by letter.
            asked = {one for value in values if (text := key_text(key, value)) for one in (value, text)}
            pages = await asyncio.gather(*(self._filtered({key.path: one}) for one in asked))
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
        item = self._type.item
        if item is None or not item.readable:
            everything = await read_whole(self.read_all)
            return everything.get(record_id)
        url = self._address(item.path, record_id)
        got = await self._http.get(url, item.constants, item.headers, self._type.auth)
        if got.status in (404, 410):
            return None
        expect_ok(got, url)
        version = got.headers.get("ETag") or got.headers.get("Last-Modified")
        return self._record(_unwrapped(got.body, item.answer_at), version, self._parents_of(record_id))

    async def create(self, values: dict[str, Any], *, send_mail: bool, key: str | None = None) -> Answer:
        create, mail = self._type.create, self._type.mail
        parents = tuple(str(values.get(name, "")) for name in self._type.parents)
        if not all(parents):
            return Answer(Outcome.REFUSED, message=f"It has no {' and no '.join(self._type.parents)} to belong to.")
        of_parents = {name for name in self._type.parents if name not in create.fields}
        values = {path: value for path, value in values.items() if path not in of_parents}
        headers = {"Idempotency-Key": key} if key and create.takes_key else {}
        switched = self._switch(send_mail) if mail and mail.on_create else {}
        body = nest(values, self._record_type.lists)
        return await self._send(create, self._server + _filled(create.path, parents), body, headers, switched, parents)

    async def update(self, record_id: str, etag: str | None, values: dict[str, Any], *, send_mail: bool) -> Answer:
        update, mail = self._type.update, self._type.mail
        if update is None:
            return Answer(Outcome.REFUSED, message="The site's description has no way to change a record.")
        parents, on_the_list = self._parents_of(record_id), update.path == self._type.listing.path
        own: dict[str, Any] = {}
        if update.method == "put" or on_the_list:
            record = await self.read(record_id)
            if record is None:
                return Answer(Outcome.REFUSED, status=404, message="The record is gone.")
            values = laid_over(record.body, values, self._type) if update.method == "put" else values
            id_field = self._type.id_field or "id"
            own = {id_field: record.body.get(id_field)} if on_the_list else {}
        url = self._server + _filled(update.path, parents) if on_the_list else self._address(update.path, record_id)
        switched = self._switch(send_mail) if mail and mail.on_update else {}
        body = nest(values, self._record_type.lists) | own
        return await self._send(update, url, body, _unchanged_since(etag), switched, parents)

    def _switch(self, send_mail: bool) -> dict[str, str]:
        assert self._type.mail is not None
        return {self._type.mail.name: "true" if send_mail else "false"}

    async def _send(
        self,
        writing: Writing,
        url: str,
        body: dict[str, Any],
        headers: dict[str, str],
        switched: dict[str, str],
        parents: tuple[str, ...],
    ) -> Answer:
        media = writing.media or "application/json"
        data = encoded(body if writing.body_at is None else {writing.body_at: body}, media)
        needs = self._type.auth if writing.auth is None else writing.auth
        try:
            got = await self._http.request(
                writing.method.upper(), url, writing.constants | switched, writing.headers | headers, needs, data, media
            )
        except aiohttp.ClientConnectorError as error:
            # No connection came about, so nothing was done.
            return Answer(Outcome.LATER, message=f"The site cannot be reached: {error}")
        except BROKEN as error:
            return Answer(Outcome.IN_DOUBT, message=f"The connection broke: {error or type(error).__name__}")
        if 200 <= got.status < 300:
            return Answer(Outcome.DONE, self._written(writing, got, parents), got.status, wait=got.rest)
        outcome = _OUTCOMES.get(got.status, Outcome.REFUSED)
        return Answer(outcome, status=got.status, message=said(got), wait=got.retry_after)

    def _written(self, writing: Writing, got: Got, parents: tuple[str, ...]) -> SiteRecord | None:
        """The record that an answer tells of; of one that is only named, the id alone. None where it tells of none."""
        answer = _unwrapped(got.body, writing.answer_at)
        named = id_in(answer, got, self._type)
        if named is None:
            return None
        whole = answer if isinstance(answer, dict) else {}
        if self._type.id_field and at(whole, self._type.id_field) is None:
            whole = {**whole, self._type.id_field: named}
        return self._record(whole, got.headers.get("ETag"), parents)

    def _address(self, path: str, record_id: str) -> str:
        return self._server + _filled(path, _parts(record_id, (*self._type.parents, "")))

    def _parents_of(self, record_id: str) -> tuple[str, ...]:
        return _parts(record_id, (*self._type.parents, ""))[:-1]

    def _items(self, body: Any) -> list[dict[str, Any]]:
        listing = self._type.listing
        items = body if listing.items_at is None else at(body, listing.items_at)
        if not isinstance(items, list):
            raise SiteUnavailable(f"The site's list of {self._type.name} is not as it describes it.")
        unwrapped = (_unwrapped(one, listing.entry) for one in items)
        return [one for one in unwrapped if isinstance(one, dict)]

    def _total(self, body: Any) -> int | None:
        total_at = self._type.listing.total_at
        total = at(body, total_at) if total_at and isinstance(body, dict) else None
        return total if isinstance(total, int) else None

    def _record(self, body: dict[str, Any], version: str | None, parents: tuple[str, ...] = ()) -> SiteRecord:
        one = self._type
        own = at(body, one.id_field) if one.id_field else None
        page = body.get(one.page_field) if one.page_field else None
        if version is None and one.etag_at:
            version = _quoted(at(body, one.etag_at))
        return SiteRecord(
            id=_joined(parents, "" if own is None else str(own)),
            body={**dict(zip(one.parents, parents, strict=True)), **body} if parents else body,
            etag=version,
            # Only what a browser opens as a page; anything else a site might give is not made a link.
            page=page if isinstance(page, str) and page.startswith(("https://", "http://")) else None,
        )


def _parts(record_id: str, of: tuple[str, ...]) -> tuple[str, ...]:
    """The ids that an id is made of, one for each parameter of a path; an id of one part is as the site has it."""
    return tuple(unquote(part) for part in record_id.split("/")) if len(of) > 1 else (record_id,)


def _joined(parents: tuple[str, ...], own: str) -> str:
    return "/".join(quote(part, safe="") for part in (*parents, own)) if parents else own


def _filled(path: str, parts: tuple[str, ...]) -> str:
    """A path with its parameters filled in, in order."""
    left = iter(parts)
    return re.sub(r"\{[^{}]+\}", lambda _: quote(next(left, ""), safe=""), path)


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


def _unchanged_since(version: str | None) -> dict[str, str]:
    """The header that has a record changed only while it is still that version: an entity tag, or the moment of its
    last change (RFC 9110, 13.1)."""
    if not version:
        return {}
    return {"If-Match" if version.endswith('"') else "If-Unmodified-Since": version}


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
