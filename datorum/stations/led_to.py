"""The addresses of records to which texts of a plan lead, asked of the site when they are needed, and kept with the
plan."""

from __future__ import annotations

import asyncio
from collections.abc import Collection, Mapping
from typing import NamedTuple

from datorum.core.link import Known, addresses_meant, rows_meant
from datorum.core.link.addresses import web_address
from datorum.core.model import Change
from datorum.core.values import at
from datorum.sites.protocol import Finds
from datorum.store import plan_items


class Addressed(NamedTuple):
    """Records of one type of a site: how one is read, and where it says its address."""

    site: Finds
    address_at: str


class LedTo:
    """Finds out the addresses of records for a run of a plan. ``kinds``: where records are read, by the names that
    items of the plan have for their types."""

    def __init__(self, plan_id: int, kinds: Mapping[str, Addressed], at_once: int) -> None:
        self._plan_id = plan_id
        self._kinds = kinds
        self._at_once = asyncio.Semaphore(at_once)

    async def addresses(self, items: Collection[int], ids: Mapping[int, str]) -> dict[int, str | None]:
        """The addresses of the records of some items, of which ``ids`` has the records; None where there is none."""
        known = await asyncio.to_thread(plan_items.known_addresses, self._plan_id, items)
        wanted = sorted(set(items) - known.keys())
        if not wanted:
            return known
        types = await asyncio.to_thread(plan_items.types_of, self._plan_id, wanted)
        told = await asyncio.gather(*(self._asked(types[item], ids.get(item)) for item in wanted))
        fresh = dict(zip(wanted, told, strict=True))
        await asyncio.to_thread(plan_items.keep_addresses, self._plan_id, fresh)
        return known | fresh

    async def _asked(self, name: str, record_id: str | None) -> str | None:
        kind = self._kinds.get(name)
        if kind is None or record_id is None:
            return None
        async with self._at_once:
            record = await kind.site.read(record_id)
        return web_address(at(record.body, kind.address_at)) if record is not None else None


def known_of(plan_id: int, changes: Collection[Mapping[str, Change]]) -> Known:
    """What is known by now of the records that some changes of a plan mean, and of those to which their texts lead."""
    meant = set[int]().union(*map(rows_meant, changes))
    led = set[int]().union(*map(addresses_meant, changes))
    ids = plan_items.record_ids(plan_id, sorted(meant)) if meant else {}
    return Known(ids, plan_items.known_addresses(plan_id, led) if led else {})
