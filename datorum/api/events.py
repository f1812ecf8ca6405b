"""Server-sent events: whoever looks at an import is told how far the work on it is, once for all who look."""

from __future__ import annotations

import asyncio
import logging
from collections import defaultdict
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager
from typing import Annotated

from fastapi import APIRouter, Cookie
from fastapi.responses import StreamingResponse
from starlette.concurrency import run_in_threadpool

from datorum.api.access import Store, Viewer, who_is
from datorum.api.numbers import Id
from datorum.core.errors import NotFound
from datorum.stations.told import Told, told
from datorum.store.database import is_away, session
from datorum.store.listening import listening

log = logging.getLogger(__name__)
router = APIRouter(prefix="/api/imports/{import_id}", tags=["imports"])
_BETWEEN = 0.3
"""Seconds between two words of the same import."""
_STILL_HERE = 15.0


class Hub:
    """Those who look at imports, and what they are told."""

    def __init__(self) -> None:
        self._looking: dict[int, set[asyncio.Queue[str]]] = defaultdict(set)
        self._telling: dict[int, asyncio.Task[None]] = {}
        self._again: set[int] = set()

    def changed(self, import_id: int | None) -> None:
        """Take word that something of an import has changed, or of any of them."""
        for number in list(self._looking) if import_id is None else [import_id]:
            if number not in self._looking:
                continue
            if number in self._telling:
                self._again.add(number)
            else:
                self._telling[number] = asyncio.create_task(self._tell(number))

    async def _tell(self, import_id: int) -> None:
        try:
            while True:
                self._again.discard(import_id)
                try:
                    word = await run_in_threadpool(_word, import_id)
                except Exception as error:
                    if not is_away(error):
                        log.exception("nobody can be told of import %s", import_id)
                else:
                    for queue in self._looking.get(import_id, ()):
                        if queue.full():
                            # Who is slow misses what is old.
                            queue.get_nowait()
                        queue.put_nowait(word)
                await asyncio.sleep(_BETWEEN)
                if import_id not in self._again:
                    return
        finally:
            self._telling.pop(import_id, None)

    @contextmanager
    def looking(self, import_id: int) -> Iterator[asyncio.Queue[str]]:
        """The words that come of an import for as long as the block lasts, the latest only."""
        queue: asyncio.Queue[str] = asyncio.Queue(1)
        self._looking[import_id].add(queue)
        try:
            yield queue
        finally:
            self._looking[import_id].discard(queue)
            if not self._looking[import_id]:
                del self._looking[import_id]


_HUB = Hub()


@contextmanager
def telling(loop: asyncio.AbstractEventLoop) -> Iterator[None]:
    """Tell those who look of what changes, for as long as the block lasts."""

    def changed(number: int | None) -> None:
        loop.call_soon_threadsafe(_HUB.changed, number)

    with listening(changed):
        yield


def _word(import_id: int) -> str:
    """What is told of an import, as an event (HTML Living Standard, 9.2)."""
    try:
        with session() as store:
            return f"event: told\ndata: {told(store, import_id).model_dump_json()}\n\n"
    except NotFound:
        return "event: gone\ndata: {}\n\n"


@router.get("/told")
def get_told(store: Store, _: Viewer, import_id: Id) -> Told:
    """How far the work on an import is, as it is told by its events."""
    return told(store, import_id)


@router.get("/events", response_class=StreamingResponse)
async def follow_import(
    import_id: Id, _: Viewer, datorum: Annotated[str | None, Cookie(include_in_schema=False)] = None
) -> StreamingResponse:
    """How far the work on an import is, as server-sent events named ``told``, for as long as one listens."""
    first = await run_in_threadpool(_word, import_id)
    if first.startswith("event: gone"):
        raise NotFound(f"There is no import {import_id}.", remedy="Look at the list of imports.")

    async def words() -> AsyncIterator[str]:
        with _HUB.looking(import_id) as queue:
            yield f"retry: 2000\n{first}"
            # Who signs out, or may look no more, is told nothing more.
            while await who_is(datorum or "") is not None:
                try:
                    yield await asyncio.wait_for(queue.get(), _STILL_HERE)
                except TimeoutError:
                    yield ": still here\n\n"

    return StreamingResponse(words(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})
