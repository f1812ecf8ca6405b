"""Statements that are carried out beside what their caller does, in a transaction of their own."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

from sqlalchemy.orm import Session

from datorum.store.database import new_session


class Beside:
    """One transaction, in a thread of its own: what it is given to do is done in that order while the caller goes on.
    At the end it is waited for and committed, or on an error of either rolled back. Raises then what the first raised
    that could not be done."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="datorum-beside")
        self._store = new_session()
        self._given: list[Future[None]] = []

    def __enter__(self) -> Beside:
        return self

    def do(self, work: Callable[[Session], None]) -> None:
        """Have something done when all that was given before is."""
        self._given.append(self._pool.submit(work, self._store))

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if error is None:
                for given in self._given:
                    given.result()
                self._pool.submit(self._store.commit).result()
        finally:
            self._pool.shutdown(wait=True, cancel_futures=True)
            self._store.close()
