"""Snapshots: all records of a site's record types as they are at one time, kept to be compared and downloaded."""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
import hashlib
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import polars as pl
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound, NotReady, SiteUnavailable, Stopped
from datorum.core.model import SiteRecord
from datorum.core.values import instant
from datorum.sites import Page, Site, SiteType
from datorum.sites.snapshot import READINGS, not_whole
from datorum.stations import work
from datorum.stations.descriptions import description_of, version_of
from datorum.stations.sites import get_site, opened
from datorum.store import models, snapshots
from datorum.store.database import session
from datorum.store.people import record

_CHUNK = 4_000
_KEEP_EVERY = 5.0
"""Seconds after which what was read is kept though it is little, so that a break costs no more."""
_LOOKS_EVERY = 0.3
_CLOCKS = dt.timedelta(minutes=5)
_GOES_ON_FOR = dt.timedelta(hours=12)
"""A reading that was cut short longer ago is begun anew: the site is another by now."""


def chosen_types(store: Session, site_id: int, names: Sequence[str]) -> list[str]:
    """The record types that are meant: those named, or all that can be read. Raises NotFound."""
    description = description_of(get_site(store, site_id))
    for name in names:
        description.type(name)
    return list(dict.fromkeys(names)) or list(description.usable)


def start_snapshots(store: Session, by: str, site_id: int, names: Sequence[str]) -> list[models.Snapshot]:
    """Readings to be made by ``take``, one a record type; one that is under way is the same, one that was cut short
    goes on. Raises NotFound."""
    names = chosen_types(store, site_id, names)
    site = store.get_one(models.Site, site_id, with_for_update=True)
    version = version_of(store, site).id
    found = [_started(store, by, site, name, version) for name in names]
    record(store, by, "site read", site.name, record_types=names)
    store.flush()
    for one in found:
        work.ask(store, "snapshot", one.id, by, site_id=site_id)
    return found


def _started(store: Session, by: str, site: models.Site, name: str, version: int) -> models.Snapshot:
    kept = models.Snapshot
    asked = select(kept).where(kept.site_id == site.id, kept.record_type == name, kept.as_of.is_(None))
    last = store.scalars(asked.order_by(kept.id.desc()).limit(1)).first()
    if last is not None and last.state == "reading":
        return last
    now = dt.datetime.now(dt.UTC)
    if last is not None and last.description_id == version and now - last.started_at < _GOES_ON_FOR:
        return last
    if last is not None:
        store.delete(last)
    made = models.Snapshot(site_id=site.id, record_type=name, description_id=version, by=by)
    store.add(made)
    return made


def stop_snapshots(store: Session, by: str, site_id: int) -> None:
    """Have the readings of a site stop where they are; what was read is kept, to go on from. Raises NotFound."""
    site = get_site(store, site_id)
    for one in latest_snapshots(store, site_id).values():
        if one.state == "reading":
            work.stop(store, "snapshot", one.id)
    record(store, by, "reading stopped", site.name)


Progress = Callable[[int, int | None], None]
"""Is told how many records are read, and how many there are where the site says."""


async def read_fresh(
    by: str, site_id: int, names: Sequence[str], progress: Progress | None = None, *, anyhow: bool = False
) -> None:
    """Have snapshots of some record types as the site is now: those that the site says are still right are left, or
    brought up to date, the others are read anew, or ``anyhow`` all of them. ``progress`` is told of one after the
    other. Raises what reading raises."""
    with session() as store:
        site = get_site(store, site_id)
        ready = {} if anyhow else ready_snapshots(store, site_id)
        there = [ready[name] for name in names if name in ready and ready[name].description_id == site.description_id]
    still = {one.record_type for one in there if (await _recheck(site, one)).verdict in _STANDS}
    anew = [name for name in names if name not in still]
    if not anew:
        return
    with session() as store:
        started = [one.id for one in start_snapshots(store, by, site_id, anew)]
    for one in started:
        await take(one, progress)
        # Somebody else may have been at it as well, and come to its end first.
        while not await asyncio.to_thread(_is_ready, one):
            await asyncio.sleep(_LOOKS_EVERY)


def _is_ready(snapshot_id: int) -> bool:
    """Whether a reading is over; False while another is at it. Raises SiteUnavailable where it failed, Stopped where
    somebody stopped it."""
    with session() as store:
        kept = store.get(models.Snapshot, snapshot_id)
        if kept is None or kept.state == "ready":
            return True
        if kept.state == "failed":
            raise SiteUnavailable(kept.error)
        if kept.state == "stopped":
            raise Stopped(f"The reading of {kept.record_type} was stopped.", remedy="Have it read, then try again.")
        return False


def held_snapshot(store: Session, site_id: int, name: str) -> models.Snapshot:
    """The snapshot of a record type, which stays as it is until the transaction ends. Raises NotReady."""
    found = ready_snapshots(store, site_id).get(name)
    kept = store.get(models.Snapshot, found.id, with_for_update={"read": True}) if found is not None else None
    if kept is None:
        raise NotReady(f"The site’s {name} were not read.", remedy="Try again: somebody may have had them forgotten.")
    return kept


_STANDS = ("as it was", "brought up to date")


class _Over(Exception):
    """Another has read it to its end meanwhile: a reading that is under way may be asked for twice."""


async def take(snapshot_id: int, progress: Progress | None = None) -> None:
    """Read a record type of a site, from where an earlier reading was cut short; on an error the snapshot says what
    happened and the error is raised."""
    with session() as store:
        kept = store.get(models.Snapshot, snapshot_id)
        read_before = kept.records_read if kept is not None else 0
    with work.doing("snapshot", snapshot_id, read_before) as now:
        if now is not None:
            with contextlib.suppress(_Over):
                await _take(snapshot_id, _told_to_both(now, progress, read_before))


def _told_to_both(now: work.Doing, progress: Progress | None, read_before: int) -> Progress:
    def tell(read: int, total: int | None) -> None:
        now.tell(read_before + read, total)
        if progress is not None:
            progress(read, total)

    return tell


async def _take(snapshot_id: int, progress: Progress) -> None:
    with session() as store:
        kept = store.get(models.Snapshot, snapshot_id)
        if kept is None or kept.as_of is not None:
            return
        site = get_site(store, kept.site_id)
        name = kept.record_type
        description = description_of(kept)
    async with opened(site, description, name) as reached:
        for _ in range(READINGS):
            mark, begun = await asyncio.to_thread(_where, snapshot_id)
            if not begun or mark is not None:
                await _read_on(snapshot_id, reached, description.type(name), mark, progress)
            if await asyncio.to_thread(_finish, snapshot_id, description.type(name)):
                return
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        raise not_whole(set(kept.totals), kept.records_read)


def _where(snapshot_id: int) -> tuple[str | None, bool]:
    with session() as store:
        return snapshots.last_mark(store, snapshot_id)


async def _read_on(snapshot_id: int, reached: Site, kind: SiteType, mark: str | None, progress: Progress) -> None:
    """Read from a mark to the end, and keep what comes a chunk at a time, while more comes."""
    waiting: list[SiteRecord] = []
    totals: set[int] = set()
    last: str | None = None
    keeping: asyncio.Task[None] | None = None
    kept_at = time.monotonic()
    read = 0

    async def keep() -> None:
        nonlocal waiting, keeping, kept_at
        if keeping is not None:
            await keeping
        some, waiting, kept_at = waiting, [], time.monotonic()
        keeping = asyncio.create_task(asyncio.to_thread(_keep, snapshot_id, kind, some, last, sorted(totals)))

    page: Page
    try:
        async for page in reached.read_all(mark):
            waiting += page.records
            totals |= set() if page.total is None else {page.total}
            last = page.mark
            read += len(page.records)
            if page.mark is not None:
                # What is at its end is not stopped.
                await asyncio.to_thread(progress, read, page.total)
            if len(waiting) >= _CHUNK or time.monotonic() - kept_at > _KEEP_EVERY:
                await keep()
        last = None
    finally:
        # What was read is kept where the site breaks off, to go on from.
        await keep()
        if keeping is not None:
            await keeping


def _keep(snapshot_id: int, kind: SiteType, records: list[SiteRecord], mark: str | None, totals: list[int]) -> None:
    """Keep a chunk. Raises Stopped where the snapshot is to be kept no more."""
    frame = _frame_of(kind, records)
    with session() as store:
        kept = store.get(models.Snapshot, snapshot_id, with_for_update=True)
        if kept is None:
            raise Stopped("Somebody had what was read forgotten.")
        if kept.as_of is not None:
            raise _Over
        snapshots.keep_chunk(store, snapshot_id, frame, mark)
        kept.records_read += frame.height
        kept.totals = sorted({*kept.totals, *totals})


def _frame_of(kind: SiteType, records: list[SiteRecord]) -> pl.DataFrame:
    keys = dict.fromkeys([*kind.unique, *(path for together in kind.unique_together for path in together)])
    fields = kind.record_type.held_against
    return snapshots.frame_of(records, list(keys), kind.changed_at, kind.called_at, fields)


def _finish(snapshot_id: int, kind: SiteType) -> bool:
    """Whether all was read; then it takes the place of the snapshot before it. What was not is read anew."""
    with session() as store:
        kept = store.get(models.Snapshot, snapshot_id, with_for_update=True)
        if kept is None:
            raise Stopped("Somebody had what was read forgotten.")
        if kept.as_of is not None:
            raise _Over
        there = snapshots.leave_latest(store, snapshot_id)
        kept.records_read = there
        if not set(kept.totals) <= {there}:
            if kept.reading < READINGS:
                snapshots.forget_chunks(store, snapshot_id)
                kept.reading, kept.totals, kept.records_read = kept.reading + 1, [], 0
                kept.started_at = dt.datetime.now(dt.UTC)
            return False
        kept.newest = _newest(store, snapshot_id) if kind.changed_at else None
        kept.content = _content(store, snapshot_id)
        kept.as_of = kept.started_at
        older = models.Snapshot.id != snapshot_id, models.Snapshot.record_type == kept.record_type
        store.execute(delete(models.Snapshot).where(models.Snapshot.site_id == kept.site_id, *older))
        return True


def _newest(store: Session, snapshot_id: int) -> str | None:
    newest: str | None = None
    for chunk in snapshots.chunks(store, snapshot_id, [snapshots.CHANGED]):
        here = max(chunk[snapshots.CHANGED].drop_nulls(), key=moment_of, default=None)
        if here is not None and (newest is None or moment_of(here) > moment_of(newest)):
            newest = here
    return newest


def _content(store: Session, snapshot_id: int) -> str:
    """The same for two readings that have found the same."""
    digest = hashlib.blake2b(digest_size=16)
    for chunk in snapshots.chunks(store, snapshot_id, [snapshots.ID, snapshots.HASH]):
        for column in (snapshots.ID, snapshots.HASH):
            digest.update("\n".join(chunk[column].cast(pl.String).to_list()).encode())
    return digest.hexdigest()


def moment_of(text: str) -> dt.datetime:
    """The moment that a site tells of a change; the earliest of all where it cannot be read."""
    found = instant(text)
    return found if isinstance(found, dt.datetime) else dt.datetime.min.replace(tzinfo=dt.UTC)


def latest_snapshots(store: Session, site_id: int) -> dict[str, models.Snapshot]:
    """The newest of each record type: one that is being read, or was cut short, before one that is ready."""
    kept = models.Snapshot
    asked = select(kept).where(kept.site_id == site_id).order_by(kept.id)
    return {one.record_type: one for one in store.scalars(asked)}


def ready_snapshots(store: Session, site_id: int) -> dict[str, models.Snapshot]:
    """Those that hold all records of a record type, by its name."""
    kept = models.Snapshot
    asked = select(kept).where(kept.site_id == site_id, kept.as_of.is_not(None)).order_by(kept.id)
    return {one.record_type: one for one in store.scalars(asked)}


@dataclass(frozen=True)
class Freshness:
    """Whether a snapshot still says what its site has: ``as it was``, ``brought up to date`` with so many ``changed``
    records, ``changed``, or ``not told``, with the reason in words."""

    record_type: str
    verdict: str
    changed: int = 0
    why: str = ""


async def recheck(by: str, site_id: int) -> list[Freshness]:
    """Ask a site, with a few requests a record type, whether its snapshots are as it is; where it gives what has
    changed since, they are brought up to date. Raises NotFound."""
    with session() as store:
        site = get_site(store, site_id)
        ready = ready_snapshots(store, site_id)
        if not ready:
            raise NotFound("The site was not read yet.", remedy="Read its records first.")
        record(store, by, "snapshot checked", site.name)
    return [await _recheck(site, one) for one in ready.values()]


async def _recheck(site: models.Site, kept: models.Snapshot) -> Freshness:
    name, description = kept.record_type, description_of(site)
    if name not in description.usable:
        return Freshness(name, "changed", why="the site keeps no such records any more")
    kind = description.type(name)
    began = dt.datetime.now(dt.UTC)
    async with opened(site, description, name, connections=1) as reached:
        count = await reached.count()
        if count is None:
            return Freshness(name, "not told", why="the site does not say how many there are")
        pages = reached.changed_since(_since(kept)) if kind.changed_at else None
        if pages is not None:
            changed = [record async for page in pages for record in page.records]
            return await asyncio.to_thread(_brought_up, kept.id, kind, changed, count, began)
        newest = await reached.newest() if count == kept.records_read else None
    if count != kept.records_read:
        return Freshness(name, "changed", why=f"there are {count:,} now, and {kept.records_read:,} were read")
    if newest is None or not kind.changed_at or _since(kept) != kept.newest:
        why = "there are as many; the site does not say whether one was changed since"
        return Freshness(name, "not told", why=why)
    [latest] = snapshots.frame_of([newest], [], kind.changed_at)[snapshots.CHANGED]
    if latest is not None and moment_of(latest) == moment_of(kept.newest):
        await asyncio.to_thread(_is_as_it_was, kept.id, began)
        return Freshness(name, "as it was", why=f"there are as many, and none was changed since {kept.newest}")
    return Freshness(name, "changed", why=f"one was changed at {latest}")


def _since(kept: models.Snapshot) -> str:
    """The moment from which on changes may be missing in a snapshot: that of the newest, or, where records were being
    changed while it was read, when its reading began. Clocks differ."""
    began = kept.started_at - _CLOCKS
    return kept.newest if kept.newest and moment_of(kept.newest) < began else began.isoformat()


def _is_as_it_was(snapshot_id: int, as_of: dt.datetime) -> None:
    with session() as store:
        store.get_one(models.Snapshot, snapshot_id).as_of = as_of


def _brought_up(
    snapshot_id: int, kind: SiteType, changed: list[SiteRecord], count: int, as_of: dt.datetime
) -> Freshness:
    """Lay what has changed over a snapshot, where the site then has as many records as that."""
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id, with_for_update=True)
        frame = _frame_of(kind, changed)
        # What was changed at the very moment of the newest is among it, and mostly as it was.
        known = {
            pair
            for chunk in snapshots.chunks(store, snapshot_id, [snapshots.ID, snapshots.HASH])
            for pair in chunk.filter(chunk[snapshots.ID].is_in(frame[snapshots.ID].to_list())).iter_rows()
        }
        new = [pair not in known for pair in frame.select(snapshots.ID, snapshots.HASH).iter_rows()]
        other = frame.filter(new) if frame.height else frame
        if other.height:
            snapshots.keep_chunk(store, snapshot_id, other, None)
        there = snapshots.leave_latest(store, snapshot_id)
        if there != count:
            store.rollback()
            why = f"there are {count:,} now, and {there:,} were read or have come since: some are gone"
            return Freshness(kind.name, "changed", why=why)
        kept.records_read = there
        kept.as_of = as_of
        if other.height:
            kept.newest, kept.started_at = _newest(store, snapshot_id), as_of
            kept.content = _content(store, snapshot_id)
        else:
            return Freshness(kind.name, "as it was", why="there are as many, and none was changed since")
        return Freshness(kind.name, "brought up to date", other.height, "the site gave what was changed since")


def forget_snapshots(store: Session, by: str, site_id: int) -> None:
    """Keep no records of a site any more. Raises NotFound."""
    site = get_site(store, site_id)
    store.execute(delete(models.Snapshot).where(models.Snapshot.site_id == site_id))
    record(store, by, "snapshot forgotten", site.name)
