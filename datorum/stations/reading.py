"""A file that is being read while somebody waits: its progress can be seen, and it can be stopped.

Whoever asks names the reading by a word of their own, by which its progress is asked for meanwhile.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from datorum.core.errors import Stopped
from datorum.stations import work
from datorum.store import models
from datorum.store.database import session
from datorum.store.sheets import Progress, quietly

_FORGOTTEN = dt.timedelta(days=1)


@contextmanager
def told_progress(name: str, by: str) -> Iterator[Progress]:
    """What a reading is to call as it goes, for as long as the context lasts; it raises Stopped when asked to stop.

    A reading without a name is not told of. What is told is seen by others at once, whatever becomes of the reading.
    """
    if not name:
        yield quietly
        return
    of = models.Work
    with session() as store:
        store.execute(delete(of).where(of.kind == "read", of.asked_at < dt.datetime.now(dt.UTC) - _FORGOTTEN))
        store.execute(insert(of).values(kind="read", subject=name, by=by).on_conflict_do_nothing())
    now = work.Doing("read", name)
    now.begin(0)

    def progress(rows: int, share: float | None) -> None:
        try:
            now.tell(rows, round(rows / share) if share else None)
        except Stopped as error:
            raise Stopped(error.message, remedy="Nothing was kept. Read the file again when you like.") from error

    try:
        yield progress
    finally:
        now.end("over")


def reading_of(store: Session, name: str, by: str) -> models.Work | None:
    """One's own reading that is under way, if it is."""
    found = work.under_way(store, "read", name)
    return found if found and found.by == by else None


def stop_reading(store: Session, name: str, by: str) -> None:
    """Have one's own reading stop, though it may only be about to begin."""
    of = models.Work
    asked = insert(of).values(kind="read", subject=name, by=by, stop=True)
    store.execute(asked.on_conflict_do_update(index_elements=[of.kind, of.subject], set_={"stop": True},
                                              where=of.by == by))  # fmt: skip
