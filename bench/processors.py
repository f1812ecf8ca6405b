"""A processor of this machine for a site alone, as a site has its own that is elsewhere."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import psycopg

from tests.processes import Served, StandIn


def apart(site: StandIn, served: Served) -> None:
    """Leave one processor to the site and its database's part of PostgreSQL, the others to all else of a benchmark.
    What is begun later is where it was begun from: ask for it again before what is measured."""
    first, *others = sorted(os.sched_getaffinity(1))
    of_site = {site.pid, *_backends(site.database_url)}
    for pid in {os.getpid(), *_below(os.getpid()), *_backends(served.database_url)} - of_site:
        _on(pid, set(others or [first]))
    for pid in of_site:
        _on(pid, {first})


def together(site: StandIn, served: Served) -> None:
    """Let all of a benchmark have all processors again."""
    for pid in {os.getpid(), *_below(os.getpid()), *_backends(site.database_url), *_backends(served.database_url)}:
        _on(pid, os.sched_getaffinity(1))


def _on(pid: int, processors: set[int]) -> None:
    with suppress(OSError):
        for thread in Path(f"/proc/{pid}/task").iterdir():
            # It may end meanwhile.
            with suppress(OSError):
                os.sched_setaffinity(int(thread.name), processors)


def _below(pid: int) -> Iterator[int]:
    """The processes that a process has begun, and those that these have."""
    for children in Path(f"/proc/{pid}/task").glob("*/children"):
        with suppress(OSError):
            for child in map(int, children.read_text().split()):
                yield child
                yield from _below(child)


def _backends(database_url: str) -> set[int]:
    """The processes of PostgreSQL that work for a database."""
    with psycopg.connect(database_url) as connection:
        asked = "SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        return {pid for (pid,) in connection.execute(asked)}
