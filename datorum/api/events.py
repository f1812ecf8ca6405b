"""Server-sent events: whoever looks at an import, a site or a migration is told how far the work on it is, once for all
who look."""

from __future__ import annotations

import asyncio
import logging
import time
from collections import defaultdict
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import contextmanager
from typing import Annotated, Any

from fastapi import APIRouter, Cookie
from fastapi.responses import StreamingResponse
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from datorum.api.access import Store, Viewer, who_is
from datorum.api.numbers import Id
from datorum.api.snapshots import SnapshotView, list_snapshots
from datorum.core.errors import NotFound
from datorum.stations.migration.board import board
from datorum.stations.told import Told, told
from datorum.store import models
from datorum.store.database import is_away, looking
from datorum.store.listening import Subject, listening

log = logging.getLogger(__name__)
router = APIRouter(prefix="/api", tags=["events"])
_BETWEEN, _FOR_EACH = 0.5, 0.01
"""Seconds between two words of the same subject, at least, and as many more for each who looks: each is sent it."""
_SHARE = 10
"""What telling takes is a tenth of the time, so that who only looks does not hold up what they look at."""
_STILL_HERE = 15.0
_LOOKS_WHO = 10.0
"""Seconds after which somebody who listens is asked for again."""


class Hub:
    """Those who look at imports, sites and migrations, and what they are told."""

    def __init__(self) -> None:
        self._looking: dict[Subject, set[asyncio.Queue[str]]] = defaultdict(set)
        self._telling: dict[Subject, asyncio.Task[None]] = {}
        self._again: set[Subject] = set()
        self._last: dict[Subject, str] = {}
        self._first: dict[Subject, asyncio.Future[str]] = {}

    def changed(self, of: Subject | None) -> None:
        """Take word that something of a subject has changed, or of any of them."""
        # Of what a board shows, anything may have changed with an import.
        boards = [one for one in self._looking if one.kind == "migration"] if of and of.kind == "import" else []
        for subject in list(self._looking) if of is None else [of, *boards]:
            if subject not in self._looking:
                continue
            if subject in self._telling:
                self._again.add(subject)
            else:
                self._telling[subject] = asyncio.create_task(self._tell(subject))

    async def _tell(self, subject: Subject) -> None:
        try:
            while True:
                self._again.discard(subject)
                began = time.monotonic()
                try:
                    word = await run_in_threadpool(_word, subject)
                except Exception as error:
                    if not is_away(error):
                        log.exception("nobody can be told of %s %s", *subject)
                else:
                    self._keep(subject, word)
                    for queue in self._looking.get(subject, ()):
                        if queue.full():
                            # Who is slow misses what is old.
                            queue.get_nowait()
                        queue.put_nowait(word)
                patience = _BETWEEN + _FOR_EACH * len(self._looking.get(subject, ()))
                await asyncio.sleep(max(patience, _SHARE * (time.monotonic() - began)))
                if subject not in self._again:
                    return
        finally:
            self._telling.pop(subject, None)

    @contextmanager
    def looking(self, subject: Subject) -> Iterator[asyncio.Queue[str]]:
        """The words that come of a subject for as long as the block lasts, the latest only."""
        queue: asyncio.Queue[str] = asyncio.Queue(1)
        self._looking[subject].add(queue)
        try:
            yield queue
        finally:
            self._looking[subject].discard(queue)
            if not self._looking[subject]:
                del self._looking[subject]
                self._last.pop(subject, None)

    async def first(self, subject: Subject) -> str:
        """What somebody is told who has begun to look: what those were told last who look already, or, worked out once
        for all who come together, what there is to be told."""
        if subject in self._last:
            return self._last[subject]
        if subject not in self._first:
            self._first[subject] = asyncio.ensure_future(run_in_threadpool(_word, subject))
            self._first[subject].add_done_callback(lambda _: self._first.pop(subject))
        word = await asyncio.shield(self._first[subject])
        # What was told meanwhile is newer.
        return self._last.get(subject) or self._keep(subject, word)

    def _keep(self, subject: Subject, word: str) -> str:
        if subject in self._looking:
            self._last[subject] = word
        return word


_HUB = Hub()


@contextmanager
def telling(loop: asyncio.AbstractEventLoop) -> Iterator[None]:
    """Tell those who look of what changes, for as long as the block lasts."""

    def changed(of: Subject | None) -> None:
        loop.call_soon_threadsafe(_HUB.changed, of)

    with listening(changed):
        yield


def _told_of_site(store: Session, site_id: int) -> ToldOfSite:
    return ToldOfSite(snapshot=list_snapshots(store, "", site_id))


_TOLD: dict[str, Callable[[Session, int], BaseModel]] = {"import": told, "site": _told_of_site,
                                                             "migration": board}  # fmt: skip
"""What is told of each kind of subject. They raise NotFound."""


_KEPT: dict[str, Any] = {"import": models.Import.id, "site": models.Site.id, "migration": models.Migration.id}


def _is_there(subject: Subject) -> bool:
    number = _KEPT[subject.kind]
    with looking() as store:
        return store.scalar(select(number).where(number == subject.number)) is not None


def _word(subject: Subject) -> str:
    """What is told of a subject, as an event (HTML Living Standard, 9.2)."""
    try:
        with looking() as store:
            return f"event: told\ndata: {_TOLD[subject.kind](store, subject.number).model_dump_json()}\n\n"
    except NotFound:
        return "event: gone\ndata: {}\n\n"


class ToldOfSite(BaseModel):
    """What is kept of each record type of a site, and what is being read."""

    snapshot: list[SnapshotView]


@router.get("/imports/{import_id}/told")
def get_told(store: Store, _: Viewer, import_id: Id) -> Told:
    """How far the work on an import is, as it is told by its events."""
    return told(store, import_id)


@router.get("/sites/{site_id}/told")
def get_told_of_site(store: Store, _: Viewer, site_id: Id) -> ToldOfSite:
    """How far the reading of a site is, as it is told by its events."""
    return _told_of_site(store, site_id)


_Token = Annotated[str | None, Cookie(alias="datorum", include_in_schema=False)]


@router.get("/imports/{import_id}/events", response_class=StreamingResponse)
async def follow_import(import_id: Id, _: Viewer, token: _Token = None) -> StreamingResponse:
    """How far the work on an import is, as server-sent events named ``told``, for as long as one listens."""
    return await _followed(Subject("import", import_id), token or "")


@router.get("/sites/{site_id}/events", response_class=StreamingResponse)
async def follow_site(site_id: Id, _: Viewer, token: _Token = None) -> StreamingResponse:
    """How far the reading of a site is, as server-sent events named ``told``, for as long as one listens."""
    return await _followed(Subject("site", site_id), token or "")


@router.get("/migrations/{migration_id}/events", response_class=StreamingResponse)
async def follow_migration(migration_id: Id, _: Viewer, token: _Token = None) -> StreamingResponse:
    """The board, as server-sent events named ``told``, for as long as one listens."""
    return await _followed(Subject("migration", migration_id), token or "")


async def _followed(subject: Subject, token: str) -> StreamingResponse:
    if not await run_in_threadpool(_is_there, subject):
        raise NotFound(f"There is no {subject.kind} {subject.number}.", remedy=f"Look at the list of {subject.kind}s.")

    async def words() -> AsyncIterator[str]:
        with _HUB.looking(subject) as queue:
            yield f"retry: 2000\n{await _HUB.first(subject)}"
            seen_at = time.monotonic()
            # Who signs out, or may look no more, is soon told nothing more.
            while time.monotonic() - seen_at < _LOOKS_WHO or await who_is(token) is not None:
                if time.monotonic() - seen_at >= _LOOKS_WHO:
                    seen_at = time.monotonic()
                try:
                    yield await asyncio.wait_for(queue.get(), _STILL_HERE)
                except TimeoutError:
                    yield ": still here\n\n"

    return StreamingResponse(words(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})
