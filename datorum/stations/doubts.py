"""What became of rows that were on their way when nobody could say any more: a site is asked for them."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from typing import Protocol

from datorum.core.errors import AnotherRecord, error_sentence
from datorum.core.files import file_meant
from datorum.core.match_key import key_text
from datorum.core.model import Action, PlanRow, RecordType, SiteRecord
from datorum.core.plan import at, same
from datorum.core.verify.tolerance import explained
from datorum.settings import settings
from datorum.sites import Takes
from datorum.sites.protocol import Can, Deletes
from datorum.store.plan_items import Settled


class SendsTo(Takes, Deletes, Protocol):
    """What a run needs of a site."""

    @property
    def can(self) -> frozenset[Can]: ...


class Destination:
    """Where the records of one type go, and the key by which one is found again."""

    def __init__(self, site: SendsTo, record_type: RecordType, key: str) -> None:
        self.site = site
        self.record_type = record_type
        self.key = record_type.field(key)
        self.can_ask = site.finds_by(self.key)
        self.takes_key = Can.KEYED in site.can
        self.replaces = Can.REPLACES in site.can
        # What is sent again under its key is done once; where one record can be asked for, that says more.
        self.sends_again = not self.can_ask and self.takes_key


class Doubts:
    """Looks rows up where they go: ``to`` as a sender has it."""

    def __init__(self, to: Mapping[str, Destination]) -> None:
        self._to = to

    async def looked_up(self, rows: list[PlanRow]) -> list[Settled]:
        """Ask the site whether rows that may have been sent arrived. ``pending`` means that they did not."""
        there: dict[str, dict[str, list[SiteRecord]]] = {}
        for name, to in self._to.items():
            keys = [self._key_of(row) for row in rows
                    if row.action is Action.CREATE and row.record_type == name and not to.sends_again]  # fmt: skip
            there[name] = await to.site.find(to.key, keys) if keys else {}
        # One whose answer does not come keeps no other waiting.
        at_once = asyncio.Semaphore(settings().concurrency)

        async def settled(row: PlanRow) -> Settled:
            if row.action is Action.FOLLOW_UP:
                return untold(row)
            if row.action is Action.CREATE and self._to[row.record_type].sends_again:
                return Settled(row.item, "pending")
            if row.action is Action.CREATE:
                return self._created(row, there[row.record_type].get(self._compared(row), []))
            async with at_once:
                try:
                    return await (self._deleted(row) if row.action is Action.DELETE else self._updated(row))
                except AnotherRecord as error:
                    return Settled(row.item, "failed", message=error_sentence(error))

        return list(await asyncio.gather(*map(settled, rows)))

    def _compared(self, row: PlanRow) -> str:
        return key_text(self._to[row.record_type].key, self._key_of(row)) or ""

    def _key_of(self, row: PlanRow) -> str:
        """What the record of a row is looked for by: what it was sent with, as its key may have further parts."""
        change = row.changes.get(self._to[row.record_type].key.path)
        return str(change.after if change else row.key)

    def _created(self, row: PlanRow, found: list[SiteRecord]) -> Settled:
        if not self._to[row.record_type].key.unique:
            # Others may have this key, and were there before: the one that was sent is what was sent.
            found = [one for one in found if self._as_sent(one, row)]
        if not found:
            return Settled(row.item, "pending")
        if len(found) == 1 and self._as_sent(found[0], row):
            return _found(row, found[0])
        said = "After a lost connection the site has a record of this key that is not what was sent; look at it."
        return Settled(row.item, "failed", found[0].id, message=said) if len(found) == 1 else _several(row, len(found))

    async def _updated(self, row: PlanRow) -> Settled:
        assert row.record_id is not None
        record = await self._to[row.record_type].site.read(row.record_id)
        if record is None:
            return Settled(row.item, "failed", message="The record is no longer on the site.")
        if any(file_meant(change.after) for change in row.changes.values()):
            # The record does not tell; the same file once more is the same file.
            return Settled(row.item, "pending")
        if self._as_sent(record, row):
            return _found(row, record)
        if all(self.holds(record, row, path, "before") for path in row.changes):
            return Settled(row.item, "pending")
        return Settled(row.item, "failed", record.id, message="Changed on the site since the rehearsal; left alone.")

    async def _deleted(self, row: PlanRow) -> Settled:
        assert row.record_id is not None
        there = await self._to[row.record_type].site.read(row.record_id)
        return Settled(row.item, "done") if there is None else Settled(row.item, "pending")

    def _as_sent(self, record: SiteRecord, row: PlanRow) -> bool:
        """Whether a record is what was sent, or what sites are known to make of it."""
        kind = self._to[row.record_type].record_type
        return all(
            self.holds(record, row, path, "after")
            or explained(kind.field(path), change.after, at(record.body, path)) != ""
            for path, change in row.changes.items()
        )

    def holds(self, record: SiteRecord, row: PlanRow, path: str, when: str) -> bool:
        return same(
            self._to[row.record_type].record_type.field(path), at(record.body, path), getattr(row.changes[path], when)
        )


def untold(row: PlanRow) -> Settled:
    """Of what leaves no trace on the site nobody can say whether it was done, and it is not done twice."""
    said = "The connection broke; whether it was done cannot be told, and it is not tried again."
    return Settled(row.item, "failed", message=said)


def _several(row: PlanRow, count: int) -> Settled:
    """Which of several is the one that was sent, nobody can tell."""
    said = f"After a lost connection the site has {count:,} records of this key as it was sent; look at them."
    return Settled(row.item, "failed", message=said)


def _found(row: PlanRow, record: SiteRecord) -> Settled:
    return Settled(row.item, "done", record.id, record.etag, record.page, message="found after a lost connection")
