"""A file that is being read while somebody waits: its progress can be seen, and it can be stopped.

Whoever asks names the reading by a word of their own, by which its progress is asked for meanwhile.
"""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import delete, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from datorum.core.errors import Stopped
from datorum.store import models
from datorum.store.database import session
from datorum.store.sheets import Progress, quietly

_EVERY = 0.3
"""Seconds between two words on the progress."""
_FORGOTTEN = dt.timedelta(days=1)


@contextmanager
def told_progress(name: str, by: str) -> Iterator[Progress]:
    """What a reading is to call as it goes, for as long as the context lasts; it raises Stopped when asked to stop.

    A reading without a name is not told of. What is told is seen by others at once, whatever becomes of the reading.
    """
    if not name:
        yield quietly
        return
    kept = models.Reading
    with session() as store:
        store.execute(delete(kept).where(kept.started_at < dt.datetime.now(dt.UTC) - _FORGOTTEN))
        store.execute(insert(kept).values(id=name, by=by).on_conflict_do_nothing())
    last = 0.0

    def progress(rows: int, share: float | None) -> None:
        nonlocal last
        if time.monotonic() - last < _EVERY:
            return
        last = time.monotonic()
        with session() as store:
            progress = update(kept).where(kept.id == name).values(rows_done=rows, share=share).returning(kept.stop)
            if store.scalar(progress):
                raise Stopped("The reading was stopped.", remedy="Nothing was kept. Read the file again when you like.")

    try:
        yield progress
    finally:
        with session() as store:
            store.execute(delete(kept).where(kept.id == name))


def reading_of(store: Session, name: str, by: str) -> models.Reading | None:
    """One's own reading that is under way, if it is."""
    found = store.get(models.Reading, name)
    return found if found and found.by == by else None


def stop_reading(store: Session, name: str, by: str) -> None:
    """Have one's own reading stop, though it may only be about to begin."""
    kept = models.Reading
    asked = insert(kept).values(id=name, by=by, stop=True)
    store.execute(asked.on_conflict_do_update(index_elements=[kept.id], set_={"stop": True}, where=kept.by == by))
