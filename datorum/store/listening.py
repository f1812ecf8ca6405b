"""Word of what changes: the database says by NOTIFY of which import or site anything has changed."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import NamedTuple

import psycopg

from datorum.store.database import database_url

log = logging.getLogger(__name__)
_CHANNEL = "datorum_"
_LOOKS_EVERY = 0.5
_PATIENCE = 1.0


class Subject(NamedTuple):
    """What word is of: ``kind`` is import, site or migration."""

    kind: str
    number: int


KINDS = ("import", "site", "migration")


@contextmanager
def listening(changed: Callable[[Subject | None], None]) -> Iterator[None]:
    """Have ``changed`` called, in a thread of its own, with each import and site of which anything has changed, for as
    long as the block lasts; with none where word of some may have been missed."""
    over = threading.Event()
    thread = threading.Thread(target=_listen, args=(changed, over), name="listening", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(5)


def _listen(changed: Callable[[Subject | None], None], over: threading.Event) -> None:
    while not over.is_set():
        try:
            with psycopg.connect(database_url(), autocommit=True, connect_timeout=5) as connection:
                for kind in KINDS:
                    connection.execute(f"LISTEN {_CHANNEL}{kind}")
                changed(None)
                while not over.is_set():
                    for word in connection.notifies(timeout=_LOOKS_EVERY):
                        changed(Subject(word.channel.removeprefix(_CHANNEL), int(word.payload)))
        except psycopg.OperationalError:
            log.warning("the database does not answer; who looks at an import is told when it does")
            over.wait(_PATIENCE)
