"""Work on a few things at once, its results in order."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


def in_order(work: Callable[[T], R], things: Iterable[T], at_once: int = 2) -> Iterator[R]:
    """What ``work`` makes of each thing, in the order of the things, up to ``at_once`` of them worked on meanwhile.

    It pays where the work is done outside of Python, as that of Polars and NumPy is. No more things are taken than are
    worked on, so that memory does not grow with their number; an error in the work is raised where its result would be.
    """
    with ThreadPoolExecutor(at_once, thread_name_prefix="datorum-work") as pool:
        under_way: deque[Future[R]] = deque()
        try:
            for thing in things:
                if len(under_way) == at_once:
                    yield under_way.popleft().result()
                under_way.append(pool.submit(work, thing))
                # What is worked on is held there, and nowhere else.
                del thing
            while under_way:
                yield under_way.popleft().result()
        finally:
            for future in under_way:
                future.cancel()
