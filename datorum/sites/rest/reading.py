"""The records of one type of a REST site, read from its lists a page at a time."""

from __future__ import annotations

import asyncio
import hashlib
import itertools
import json
import re
from collections import deque
from collections.abc import AsyncIterator
from typing import Any, NamedTuple
from urllib.parse import quote, unquote, urljoin

from datorum.core.errors import SiteUnavailable
from datorum.core.model import SiteRecord
from datorum.core.plan import at
from datorum.sites.protocol import Page
from datorum.sites.rest.bodies import expect_ok, in_maps, is_id
from datorum.sites.rest.http import Http
from datorum.sites.rest.model import Paging, SiteType


class _Turn(NamedTuple):
    """What a page of a list is asked for by. ``followed``: by an address that the page before it gave, which carries
    the whole query."""

    url: str
    parameters: dict[str, str]
    paging: Paging
    followed: bool = False

    def numbered(self, number: int, seen: int) -> _Turn:
        """The page of a number, before which so many records were seen."""
        if self.paging.page:
            return self._replace(parameters=self.parameters | {self.paging.page: str(number)})
        return (
            self._replace(parameters=self.parameters | {self.paging.offset: str(seen)}) if self.paging.offset else self
        )

    def following(self, url: str) -> _Turn:
        """The page at an address."""
        turned = self.paging.model_copy(update={"page": None, "offset": None})
        return _Turn(urljoin(self.url, url), {}, turned, followed=True)


class _Where(NamedTuple):
    """Where a reading stands: how the next page is asked for, its number, how many records stand before it, how many a
    page has, and whether the total that pages tell is that of all."""

    turn: _Turn
    number: int
    seen: int
    each: int
    counts: bool

    @property
    def mark(self) -> str:
        """It as text, to go on by another time."""
        turn = self.turn
        return json.dumps([turn.url, turn.parameters, turn.followed, self.number, self.seen, self.each, self.counts])

    @classmethod
    def at(cls, mark: str, start: _Turn) -> _Where:
        """Where a reading of a list stood that was cut short."""
        url, parameters, followed, number, seen, each, counts = json.loads(mark)
        turn = start.following(url) if followed else start._replace(url=url, parameters=parameters)
        return cls(turn, number, seen, each, counts)


class _Came(NamedTuple):
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
            return turn.following(self.following)
        if paging.cursor and self.token and self.records:
            return turn._replace(parameters=turn.parameters | {paging.cursor: self.token})
        if paging.next_token_at or not self.records or not (paging.page or paging.offset):
            if self.token and self.records:
                raise SiteUnavailable(
                    f"The list says that more comes after “{self.token[:60]}”, and not how that is asked for.",
                    remedy="On the page of the site, name the parameter for the mark of a page.",
                )
            return None
        # A short page proves nothing: the site may give fewer at a time than it was asked for.
        return turn.numbered(number + 1, seen + len(self.records))


_PAGES_AT_ONCE = 4


_END = "end"
"""The mark of what has been read to its end."""


class ListReader:
    """Reads the list of a record type, below each record of the type ``above`` where its records belong to those.

    The id of a record that belongs to others is that of each of them and its own, as they stand in its path, with
    ``/`` between.
    """

    def __init__(self, http: Http, server: str, one: SiteType, above: ListReader | None) -> None:
        self._http = http
        self._server = server
        self._type = one
        self._above = above

    async def pages(self, asked: dict[str, str], after: str | None = None) -> AsyncIterator[Page]:
        """All that the list has, or has by these filters, from a page's mark on. Raises SiteUnavailable,
        SiteRefused."""
        if self._above is None:
            async for page in self._below((), asked, after):
                yield page
            return
        reached, own = json.loads(after) if after else (None, None)
        async for parents in self._above.pages({}):
            for parent in parents.records:
                if reached is not None and parent.id != reached:
                    continue
                if own != _END:
                    async for page in self._below(parts_of(parent.id, self._type.parents), asked, own):
                        # How many there are below all of them, no answer says.
                        yield Page(page.records, None, json.dumps([parent.id, page.mark or _END]))
                reached = own = None
        if reached is not None:
            # What was gone on from is there no more.
            async for page in self.pages(asked):
                yield page

    async def count(self, asked: dict[str, str]) -> int | None:
        """How many records the list says that it has; None where it does not say."""
        if self._above is not None:
            return None
        start = self._start((), asked, size=1)
        page = await self._page(start.numbered(self._type.listing.paging.first, 0), ())
        # One record told of as one may be the number of those on the page.
        return page.total if page.total != 1 or not page.records else None

    async def newest(self) -> SiteRecord | None:
        """The record that was changed last, where the list can be asked for it."""
        if self._above is not None or not self._type.listing.newest_first:
            return None
        start = self._start((), self._type.listing.newest_first, size=1)
        page = await self._page(start.numbered(self._type.listing.paging.first, 0), ())
        return page.records[0] if page.records else None

    def record(self, body: dict[str, Any], version: str | None, parents: tuple[str, ...] = ()) -> SiteRecord:
        """A record as the site gave it."""
        one = self._type
        own = at(body, one.id_field) if one.id_field else _own_id(body)
        own = own if is_id(own) else None
        page = body.get(one.page_field) if one.page_field else None
        if version is None and one.etag_at:
            version = _quoted(at(body, one.etag_at))
        shaped = in_maps(body, one.open_fields)
        return SiteRecord(
            id=_joined(parents, "" if own is None else str(own)),
            body={**dict(zip(one.parents, parents, strict=True)), **shaped} if parents else shaped,
            given=None if shaped is body else body,
            etag=version,
            # Only what a browser opens as a page; anything else a site might give is not made a link.
            page=page
            if isinstance(page, str) and page.startswith(("https://", "http://")) and "\0" not in page
            else None,
        )

    def _start(self, parents: tuple[str, ...], asked: dict[str, str], size: int | None = None) -> _Turn:
        listing = self._type.listing
        paging = listing.paging
        sized = {paging.size: str(size or _page_size(paging))} if paging.size else {}
        return _Turn(self._server + filled(listing.path, parents), listing.constants | asked | sized, paging)

    async def _below(self, parents: tuple[str, ...], asked: dict[str, str], after: str | None) -> AsyncIterator[Page]:
        start = self._start(parents, asked)
        first = start.paging.first
        if after is None:
            where = _Where(start.numbered(first, 0), first, 0, 0, counts=True)
            page = await self._page(where.turn, parents)
            where = where._replace(each=len(page.records), counts=await self._counts_all(page, start, parents))
        else:
            where = _Where.at(after, start)
            page = await self._page(where.turn, parents)
        while True:
            total = page.total if where.counts else None
            following = page.next_turn(where.turn, where.number, where.seen)
            seen = where.seen + len(page.records)
            numbered = bool(start.paging.page or start.paging.offset)
            is_all = total is not None and seen >= total and (numbered or where.number == first)
            if following is None or is_all:
                yield Page(page.records, total, None)
                return
            onward = where._replace(turn=following, number=where.number + 1, seen=seen)
            yield Page(page.records, total, onward.mark)
            if total is not None and numbered:
                # All that is still to be asked for is known: several pages at a time, in order.
                async for one in self._ahead(start, onward, total, parents):
                    yield one
                return
            before, where = page.ids, onward
            page = await self._page(where.turn, parents)
            if page.ids and page.ids == before:
                # It gives the same page for every number: there is but one.
                return

    async def _counts_all(self, page: _Came, start: _Turn, parents: tuple[str, ...]) -> bool:
        """Whether the total that the first page tells is that of all: some call the number on a page what others call
        the number of all."""
        if page.total is None or page.total != len(page.records) or not page.records:
            return page.total is not None
        following = page.next_turn(start, start.paging.first, 0)
        if following is None:
            return True
        second = await self._page(following, parents)
        return not second.records or second.ids == page.ids

    async def _ahead(self, start: _Turn, where: _Where, total: int, parents: tuple[str, ...]) -> AsyncIterator[Page]:
        """The rest of a list whose pages are numbered, each asked for while those before it are still on their way."""

        def place(number: int) -> _Where:
            seen = where.seen + (number - where.number) * where.each
            return where._replace(turn=start.numbered(number, seen), number=number, seen=seen)

        left = -(-(total - where.seen) // where.each) if where.each else 0
        places = map(place, range(where.number, where.number + left))
        asked: deque[tuple[_Where, asyncio.Task[_Came]]] = deque()
        try:
            while True:
                for one in itertools.islice(places, _PAGES_AT_ONCE - len(asked)):
                    asked.append((one, asyncio.create_task(self._page(one.turn, parents))))
                if not asked:
                    return
                one, came = asked.popleft()
                page = await came
                yield Page(page.records, page.total, place(one.number + 1).mark if asked else None)
        finally:
            for _, task in asked:
                task.cancel()

    async def _page(self, turn: _Turn, parents: tuple[str, ...]) -> _Came:
        listing = self._type.listing
        # What has one key is little.
        brief = any(name in turn.parameters for name in listing.filters)
        got = await self._http.get(turn.url, turn.parameters, listing.headers, self._type.auth, brief=brief)
        expect_ok(got, turn.url)
        items = self._items(got.body)
        self._see_ids(items)
        records = [self.record(one, None, parents) for one in items]
        said, token = _text_at(got.body, listing.paging.next_at), _text_at(got.body, listing.paging.next_token_at)
        # What is called so may be a mark as well as an address.
        following = got.following or (said if _is_address(said) else "")
        numbered = bool(listing.paging.page or listing.paging.offset)
        mark = token or (said if not following and not (numbered and said.isdecimal()) else "")
        return _Came(records, self._total(got.body), following, mark)

    def _items(self, body: Any) -> list[dict[str, Any]]:
        listing = self._type.listing
        items = body if listing.items_at is None else at(body, listing.items_at)
        if not isinstance(items, list):
            raise SiteUnavailable(f"The site's list of {self._type.name} is not as it describes it.")
        entries = (unwrapped(one, listing.entry) for one in items)
        return [one for one in entries if isinstance(one, dict)]

    def _see_ids(self, items: list[dict[str, Any]]) -> None:
        """Raises SiteUnavailable where records have not the field by which each is told from the others."""
        id_field = self._type.id_field
        without = sum(not is_id(at(one, id_field)) for one in items) if id_field else 0
        if without:
            raise SiteUnavailable(
                f"{without:,} of {len(items):,} records of {self._type.name} have no “{id_field}”, by which "
                "one is told from another.",
                remedy="Correct the field of the id on the page of the site.",
            )

    def _total(self, body: Any) -> int | None:
        total_at = self._type.listing.total_at
        total = at(body, total_at) if total_at and isinstance(body, dict) else None
        return total if isinstance(total, int) else None


def _own_id(body: dict[str, Any]) -> str:
    """What tells a record from others where its site gives no single one: what is called its id, or all that it is."""
    return str(body["id"]) if is_id(body.get("id")) else hashlib.sha1(_sorted(body), usedforsecurity=False).hexdigest()


def _sorted(body: dict[str, Any]) -> bytes:
    return json.dumps(body, sort_keys=True, default=str).encode()


def parts_of(record_id: str, of: tuple[str, ...]) -> tuple[str, ...]:
    """The ids that an id is made of, one for each parameter of a path; an id of one part is as the site has it."""
    return tuple(unquote(part) for part in record_id.split("/")) if len(of) > 1 else (record_id,)


def _joined(parents: tuple[str, ...], own: str) -> str:
    return "/".join(quote(part, safe="") for part in (*parents, own)) if parents else own


def filled(path: str, parts: tuple[str, ...]) -> str:
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
    return str(found) if isinstance(found, str | int) and not isinstance(found, bool) else ""


def _is_address(text: str) -> bool:
    """Whether a text is the address of a page, absolute or below the one that it stands on."""
    return re.match(r"(?i)https?://|[/?]|\.{1,2}/", text) is not None or ("?" in text and "=" in text)


def unwrapped(body: Any, name: str | None) -> Any:
    """What stands in the property that wraps it, where there is such a property."""
    return body[name] if name is not None and isinstance(body, dict) and name in body else body


def _quoted(etag: Any) -> str | None:
    """An entity tag as a header carries it (RFC 9110, 8.8.3); some sites leave its quotes out of their records."""
    if not isinstance(etag, str) or not etag or "\0" in etag:
        return None
    return etag if etag.endswith('"') else f'"{etag}"'
