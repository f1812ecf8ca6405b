"""One record type of a REST site, as its description says it is reached."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import AsyncIterator, Collection, Iterable, Mapping, Sequence
from contextlib import AsyncExitStack, asynccontextmanager
from dataclasses import replace
from typing import Any

import aiohttp

from datorum.core.errors import AnotherRecord, AnotherServer, SiteUnavailable
from datorum.core.match_key import key_text
from datorum.core.model import Field, SiteRecord
from datorum.core.plan import at, nest
from datorum.sites.limits import NO_PACE, Pace
from datorum.sites.protocol import SILENT, Answer, Can, MailRule, Outcome, Pages, Upload
from datorum.sites.rest.addresses import origin
from datorum.sites.rest.bodies import (
    emptied,
    encoded,
    expect_ok,
    id_in,
    in_pairs,
    is_id,
    outcomes_in,
    said,
    with_files,
)
from datorum.sites.rest.description import SiteDescription
from datorum.sites.rest.http import BROKEN, Got, Http, open_http
from datorum.sites.rest.model import FORM, FORM_WITH_FILES, Call, MailSwitch, SiteType, Writing
from datorum.sites.rest.reading import ListReader, filled, parts_of, unwrapped
from datorum.sites.rest.replacing import needs_record, parts_with, taken_of, whole_with
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
    description: SiteDescription,
    name: str,
    sign_in: SignIn,
    *,
    allow_private: bool,
    connections: int = 32,
    pace: Pace = NO_PACE,
    answer_seconds: float | None = None,
) -> AsyncIterator[RestSite]:
    """One record type of a described site, for as long as the block lasts."""
    signer = Signer(sign_in, description.base_url, description.origins)
    async with AsyncExitStack() as opened:

        async def reached(one: SiteType) -> RestSite:
            above = await reached(description.type(one.under)) if one.under else None
            server = description.server(one)
            http = await opened.enter_async_context(
                open_http(
                    server,
                    signer,
                    allow_private=allow_private,
                    connections=connections,
                    pace=pace,
                    answer_seconds=answer_seconds,
                )
            )
            return RestSite(http, server, one, above)

        yield await reached(description.type(name))


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
        self._lists = one.record_type.lists
        self._reader: ListReader = ListReader(http, server, one, above._reader if above else None)

    def read_all(self, after: str | None = None) -> Pages:
        return self._reader.pages({}, after)

    async def count(self) -> int | None:
        return await self._reader.count({})

    async def newest(self) -> SiteRecord | None:
        return await self._reader.newest()

    def changed_since(self, moment: str) -> Pages | None:
        named = self._type.listing.changed_since
        return self._reader.pages({named: moment}) if named and self._above is None else None

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
        return [record async for page in self._reader.pages(asked) for record in page.records]

    async def read(self, record_id: str) -> SiteRecord | None:
        item = self._type.item
        if item is None or not item.readable:
            everything = await read_whole(self.read_all)
            return everything.get(record_id)
        url = self._address(item.path, record_id)
        got = await self._http.get(url, item.constants, item.headers, self._type.auth, brief=True)
        if got.status in (404, 410):
            return None
        expect_ok(got, url)
        version = got.headers.get("ETag") or got.headers.get("Last-Modified")
        return self._of_id(record_id, unwrapped(got.body, item.answer_at), version)

    def _of_id(self, record_id: str, body: Any, version: str | None) -> SiteRecord:
        """A record that was asked for by its id. Raises AnotherRecord where it is not that."""
        if not isinstance(body, dict):
            raise SiteUnavailable(f"The site's answer for one of its {self._type.name} is not as it describes it.")
        record = self._reader.record(body, version, self._parents_of(record_id))
        own = at(body, self._type.id_field) if self._type.id_field else None
        if not is_id(own):
            return replace(record, id=record_id)
        if record.id != record_id:
            raise AnotherRecord(
                f"The site was asked for {record_id} of its {self._type.name}, and gave {record.id}.",
                remedy="Correct the field of the id on the page of the site.",
            )
        return record

    @property
    def can(self) -> frozenset[Can]:
        one = self._type
        has = {
            Can.UPDATE: not one.why_no_update,
            Can.REPLACES: one.update is not None and one.update.replaces,
            Can.FIND: self._above is None and bool(one.listing.filters),
            Can.DELETE: one.delete is not None,
            Can.BULK: _makes_many(one) is not None,
            Can.UPLOAD: one.upload is not None,
            Can.ACT: bool(one.actions),
            Can.KEYED: one.create.takes_key,
        }
        return frozenset(verb for verb, there in has.items() if there)

    async def create(
        self,
        values: dict[str, Any],
        *,
        mail: MailRule = SILENT,
        key: str | None = None,
        like: dict[str, Any] | None = None,
    ) -> Answer:
        create = self._type.create
        parents = tuple(str(values.get(name, "")) for name in self._type.parents)
        if not all(parents):
            return Answer(Outcome.REFUSED, message=f"It has no {' and no '.join(self._type.parents)} to belong to.")
        of_parents = {name for name in self._type.parents if name not in create.fields}
        values = {path: value for path, value in values.items() if path not in of_parents}
        switched = _switched((one for one in self._type.mails if one.on_create), mail)
        body = taken_of(nest(values, self._lists), create)
        if like is not None:
            was = {name: value for name, value in like.items() if name not in self._type.parents}
            body = taken_of({name: value for name, value in was.items() if value is not None}, create) | body
        body = in_pairs(body, self._type.open_fields)
        return await self._write(create, parents, body, _once(create, key), switched)

    async def update(
        self,
        record_id: str,
        etag: str | None,
        values: dict[str, Any],
        *,
        mail: MailRule = SILENT,
        was: SiteRecord | None = None,
    ) -> Answer:
        if file := self._file_in(values):
            return await self.upload(record_id, file)
        update = self._type.update
        if update is None or self._type.why_no_update:
            return Answer(Outcome.REFUSED, message=_sentence(self._type.why_no_update))
        on_the_list = update.path == self._type.listing.path
        if was is not None and was.given is None and any(one.kind == "pairs" for one in self._type.open_fields):
            # Of its pairs it has but names and values.
            was = None
        if was is None and (on_the_list or needs_record(values, self._type, update)):
            was = await self.read(record_id)
            if was is None:
                return Answer(Outcome.REFUSED, status=404, message="The record is gone.")
        if update.media not in (FORM, FORM_WITH_FILES):
            values = emptied(values, self._type.record_type)
        laid = whole_with if update.replaces else parts_with
        body = laid((was.given or was.body) if was else {}, values, self._type, update)
        if update.replaces and (lost := [path for path in update.required if at(body, path) is None]):
            said = f"The site replaces whole records and demands {' and '.join(lost)}, which it has not given back."
            return Answer(Outcome.REFUSED, message=f"{said} Nothing was sent.")
        if on_the_list and was is not None:
            id_field = self._type.id_field or "id"
            if not is_id(own := at(was.body, id_field)):
                return _no_id(self._type.name)
            body = {**body, id_field: own}
        parts = self._parents_of(record_id) if on_the_list else self._parts_of(record_id)
        switched = _switched((one for one in self._type.mails if one.on_update), mail)
        return await self._write(update, parts, body, _unchanged_since(etag), switched)

    async def delete(self, record_id: str, etag: str | None = None) -> Answer:
        delete = self._type.delete
        if delete is None:
            return _no_way("to delete a record")
        got = await self._sent(delete, self._parts_of(record_id), _unchanged_since(etag))
        if isinstance(got, Got) and got.status in (404, 410):
            return Answer(Outcome.DONE, status=got.status)
        return _answered(got)

    async def create_many(self, records: Sequence[dict[str, Any]], *, key: str | None = None) -> list[Answer]:
        bulk = _makes_many(self._type)
        if bulk is None:
            return [_no_way("to create several records at once")] * len(records)
        bodies = [in_pairs(nest(values, self._lists), self._type.open_fields) for values in records]
        whole = bodies if bulk.body_at is None else nest({bulk.body_at: bodies})
        data = encoded(whole, bulk.media or "application/json")
        got = await self._sent(bulk, (), _once(bulk, key), data)
        told = outcomes_in(got.body, bulk.answer_at, len(records)) if isinstance(got, Got) and got.ok else None
        if told is None:
            return [_answered(got)] * len(records)
        return [self._one_of_many(got, one) for one in told] if isinstance(got, Got) else []

    async def upload(self, record_id: str | None, file: Upload) -> Answer:
        upload = self._type.upload
        if upload is None:
            return _no_way("to hand in a file")
        if "{" in upload.path and record_id is None:
            return Answer(Outcome.REFUSED, message="The site takes a file for a record only, and none is named.")
        parts = self._parts_of(record_id) if record_id is not None and "{" in upload.path else ()
        if upload.file_at is None:
            got = await self._sent(upload, parts, {}, file.data, media=file.media)
        else:
            got = await self._sent(upload, parts, {}, with_files({upload.file_at: file}))
        written = unwrapped(got.body, upload.answer_at) if isinstance(got, Got) and got.ok else None
        return _answered(got, self._made(written) if isinstance(written, dict) else None)

    @property
    def actions(self) -> tuple[str, ...]:
        return tuple(call.name for call in self._type.actions)

    async def act(self, name: str, record_id: str, values: dict[str, Any] | None = None) -> Answer:
        call = next((call for call in self._type.actions if call.name == name), None)
        if call is None:
            return _no_way(f"to {name} a record")
        data = encoded(nest(values or {}), call.media) if call.media else None
        return _answered(await self._sent(call, self._parts_of(record_id), {}, data))

    def _file_in(self, values: dict[str, Any]) -> Upload | None:
        """The file that is handed in for a record, where one goes by a request of its own."""
        field = self._type.file_field
        file = values.get(field.path) if field is not None else None
        return file if isinstance(file, Upload) else None

    def _one_of_many(self, got: Got, told: dict[str, Any] | str) -> Answer:
        if isinstance(told, str):
            return Answer(Outcome.REFUSED, status=got.status, message=told)
        return Answer(Outcome.DONE, self._made(told), got.status)

    def _made(self, body: dict[str, Any]) -> SiteRecord | None:
        """The record that a part of an answer is, where it says its id."""
        named = at(body, self._type.id_field) if self._type.id_field else None
        return None if not is_id(named) else self._reader.record(body, None)

    async def _write(
        self,
        writing: Writing,
        parts: tuple[str, ...],
        body: dict[str, Any],
        headers: dict[str, str],
        switched: dict[str, str],
    ) -> Answer:
        data = encoded(
            body if writing.body_at is None else {writing.body_at: body}, writing.media or "application/json"
        )
        got = await self._sent(writing, parts, headers, data, switched)
        parents = parts[: len(self._type.parents)]
        return _answered(got, self._written(writing, got, parents) if isinstance(got, Got) and got.ok else None)

    async def _sent(
        self,
        call: Call,
        parts: tuple[str, ...],
        headers: dict[str, str],
        data: bytes | aiohttp.FormData | None = None,
        switched: Mapping[str, str] | None = None,
        media: str | None = None,
    ) -> Got | Answer:
        """What one request that writes is answered with; where it came to no answer, what that means. ``parts`` fill
        the parameters of its path: nothing is sent where one of them is no id, as that would mean other records."""
        if len(parts) != call.path.count("{") or not all(map(is_id, parts)):
            return _no_id(self._type.name)
        url = self._server + filled(call.path, parts)
        needs = self._type.auth if call.auth is None else call.auth
        media = media or call.media or "application/json"
        try:
            return await self._http.request(
                call.method.upper(), url, {**call.constants, **(switched or {})}, call.headers | headers, needs, data,
                media,
            )  # fmt: skip
        except aiohttp.ClientConnectorError as error:
            # No connection came about, so nothing was done.
            return Answer(Outcome.LATER, message=f"The site cannot be reached: {error}")
        except BROKEN as error:
            return Answer(Outcome.IN_DOUBT, message=f"The connection broke: {error or type(error).__name__}")

    def _written(self, writing: Writing, got: Got, parents: tuple[str, ...]) -> SiteRecord | None:
        """The record that an answer tells of; of one that is only named, the id alone. None where it tells of none."""
        answer = unwrapped(got.body, writing.answer_at)
        named = id_in(answer, got, self._type)
        if named is None:
            return None
        whole = answer if isinstance(answer, dict) else {}
        if self._type.id_field and not is_id(at(whole, self._type.id_field)):
            whole = {**whole, self._type.id_field: named}
        return self._reader.record(whole, got.headers.get("ETag"), parents)

    def _address(self, path: str, record_id: str) -> str:
        return self._server + filled(path, self._parts_of(record_id))

    def _parts_of(self, record_id: str) -> tuple[str, ...]:
        """What fills the path of one record: the ids of those that it belongs to, and its own."""
        return parts_of(record_id, (*self._type.parents, ""))

    def _parents_of(self, record_id: str) -> tuple[str, ...]:
        return self._parts_of(record_id)[:-1]


def _switched(switches: Iterable[MailSwitch], mail: MailRule) -> dict[str, str]:
    """What is said of the mail that a site would send."""
    return {one.name: "true" if mail.sends(one.name) else "false" for one in switches}


def _makes_many(one: SiteType) -> Call | None:
    """The operation that creates several records at once."""
    return next((call for call in one.bulk if call.many and call.method == "post" and "{" not in call.path), None)


def _no_way(to: str) -> Answer:
    return Answer(Outcome.REFUSED, message=f"The site's description has no way {to}.")


def _no_id(name: str) -> Answer:
    """What is answered in place of a site that would be asked to change what has no address of its own."""
    return Answer(
        Outcome.REFUSED,
        message=f"It is not known by which id the site’s {name} are addressed, so nothing was sent. "
        "Correct the field of the id on the page of the site.",
    )


def _sentence(said: str) -> str:
    return f"{said[:1].upper()}{said[1:]}."


def _answered(got: Got | Answer, record: SiteRecord | None = None) -> Answer:
    """What an answer means for what was asked."""
    if isinstance(got, Answer):
        return got
    if got.ok:
        return Answer(Outcome.DONE, record, got.status, wait=got.rest)
    outcome = _OUTCOMES.get(got.status, Outcome.REFUSED)
    return Answer(outcome, status=got.status, message=said(got), wait=got.retry_after)


def _once(call: Call, key: str | None) -> dict[str, str]:
    """The header that has a request done once, where the site takes it."""
    return {"Idempotency-Key": key} if key and call.takes_key else {}


def _unchanged_since(version: str | None) -> dict[str, str]:
    """The header that has a record changed only while it is still that version: an entity tag, or the moment of its
    last change (RFC 9110, 13.1)."""
    if not version:
        return {}
    return {"If-Match" if version.endswith('"') else "If-Unmodified-Since": version}


_OUTCOMES = {
    429: Outcome.LATER,
    503: Outcome.LATER,
    500: Outcome.IN_DOUBT,
    502: Outcome.IN_DOUBT,
    504: Outcome.IN_DOUBT,
}
"""What became of a write that was not taken, by the status of the answer; any other is a refusal."""
