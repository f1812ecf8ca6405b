"""How a site is: what each of its lists answers, and what it asks for, in words."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Iterator
from dataclasses import dataclass

from datorum.core.errors import DatorumError, error_sentence
from datorum.sites import Credential, SiteDescription, SiteType
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site, opened
from datorum.store.database import session

_AT_ONCE = 4
_PAGES_TURNED = 2


@dataclass(frozen=True)
class Health:
    """What the list of a record type answers: how many ``records`` it says there are, that there are ``at_least`` so
    many, or what is wrong."""

    record_type: str
    records: int | None = None
    at_least: int = 0
    milliseconds: int = 0
    error: str = ""


async def health_of(site_id: int) -> list[Health]:
    """Ask the list of each record type for its first page and, where there are more, for the second. Raises
    NotFound."""
    with session() as store:
        site = get_site(store, site_id)
    description, gate = description_of(site), asyncio.Semaphore(_AT_ONCE)

    async def look(name: str) -> Health:
        began = time.monotonic()
        records, at_least, turned, error = None, 0, 0, ""
        async with gate:
            try:
                async with opened(site, description, name, connections=1) as reached:
                    async for page in reached.read_all():
                        turned += 1
                        records = page.total if turned == 1 else records
                        at_least += len(page.records)
                        if turned == _PAGES_TURNED:
                            break
                if records is not None and at_least < records and turned < _PAGES_TURNED:
                    error = (
                        f"The site says that it has {records:,}, and its list ends after {at_least:,}: how further "
                        "pages are asked for is not known. Correct it below."
                    )
            except DatorumError as refused:
                error = error_sentence(refused)
        return Health(name, records, at_least, round(1000 * (time.monotonic() - began)), error)

    return list(await asyncio.gather(*(look(name) for name in description.usable)))


_WORDS = {
    "bearer": "a token", "basic": "a name and a password", "openIdConnect": "a token",
    "oauth2": "a token, or a client’s id and secret",
}  # fmt: skip


def sign_in_words(description: SiteDescription) -> list[str]:
    """What a site asks for, each alternative in words; nothing where its document says nothing of it."""
    found: dict[str, None] = {}
    for one in description.usable.values():
        for together in one.auth or ():
            found[" with ".join(map(_credential, together)) or "nothing"] = None
    return list(found)


def _credential(one: Credential) -> str:
    return f"the key {one.name}" if one.kind == "apiKey" else _WORDS.get(one.kind, one.kind)


def ways_of(one: SiteType) -> Iterator[tuple[str, str]]:
    """The requests of a record type, in words a person can compare with the site's own documentation."""
    listing, paging = one.listing, one.listing.paging
    within = f", the records in {listing.items_at}" if listing.items_at else ""
    yield "list", f"GET {listing.path}{within}"
    turned = {
        "next-url": f"the address of the next page in {paging.next_at}",
        "cursor": f"a mark of the next page, {paging.cursor}",
        "page": f"numbers, {paging.page}",
        "offset": f"offsets, {paging.offset}",
        "link-header": "the header Link",
        "none": "one page",
    }
    most = f", {paging.size_most:,} at most" if paging.size_most else ""
    yield "pages", turned[paging.style] + (f"; {paging.size} at a time{most}" if paging.size else "")
    if one.item is not None and one.item.readable:
        yield "one record", f"GET {one.item.path}"
    yield "create", f"POST {one.create.path} as {one.create.media}{_answered(one.create.answers)}"
    if one.update is not None:
        whole = ", the whole record" if one.update.method == "put" else ""
        yield "change", f"{one.update.method.upper()} {one.update.path} as {one.update.media}{whole}"
    if one.delete is not None:
        yield "delete", f"DELETE {one.delete.path}"
    for call in (*one.bulk, *one.actions, *((one.upload,) if one.upload else ())):
        yield call.name, f"{call.method.upper()} {call.path}"
    silenced = " and ".join(f"{mail.name}=false" for mail in one.mails)
    yield "mail", f"{silenced} silences it" if silenced else "nothing says how to silence it"


def _answered(answers: str) -> str:
    return {
        "record": "", "id": "; answers the id only", "location": "; answers where it is",
        "nothing": "; answers nothing", "later": "; it is made later",
    }[answers]  # fmt: skip
