"""How many requests a site is given at a time: more while it answers, half as many when it asks for time.

Additive increase, multiplicative decrease (D. Chiu, R. Jain, 1989).
"""

from __future__ import annotations

import asyncio
import time
from collections import deque
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress


class Stopped(Exception):
    """No more turns are given."""


class Throttle:
    """Lets at most ``limit`` blocks be entered at once, and none before the site's wait is over."""

    def __init__(self, most: int, start: int = 8) -> None:
        self._most = float(max(1, most))
        self._limit = float(min(start, most))
        self._share = most
        self._under_way = 0
        self._not_before = 0.0
        self._slowed_at = 0.0
        self._waiting: deque[asyncio.Future[None]] = deque()
        self._stopped = asyncio.Event()

    @property
    def limit(self) -> int:
        """How many may be under way now."""
        return min(int(self._limit), self._share)

    def lend(self, share: int) -> None:
        """Let no more be under way than so many, as others share what the site allows."""
        self._share = share
        self._let_in()

    @asynccontextmanager
    async def turn(self) -> AsyncIterator[None]:
        """Wait for a turn, and give it back at the end. Raises Stopped."""
        while self._under_way >= self.limit and not self._stopped.is_set():
            turn = asyncio.get_running_loop().create_future()
            self._waiting.append(turn)
            await turn
        self._under_way += 1
        try:
            await self.wait(0)
            while (left := self._not_before - time.monotonic()) > 0:
                await self.wait(left)
            yield
        finally:
            self._under_way -= 1
            self._let_in()

    async def wait(self, seconds: float) -> None:
        """Wait so long. Raises Stopped as soon as no more turns are given."""
        if seconds > 0:
            with suppress(TimeoutError):
                await asyncio.wait_for(self._stopped.wait(), seconds)
        if self._stopped.is_set():
            raise Stopped

    def stop(self) -> None:
        """Give no more turns. Those that have one keep it; whoever waits is told at once."""
        self._stopped.set()
        for turn in self._waiting:
            if not turn.done():
                turn.set_result(None)

    def _let_in(self) -> None:
        free = self.limit - self._under_way
        while self._waiting and free > 0:
            turn = self._waiting.popleft()
            if not turn.done():
                turn.set_result(None)
                free -= 1

    def answered(self, rest: float | None = None) -> None:
        """The site took a request: room for a fraction more, once it has had the ``rest`` of seconds that it asks
        for."""
        self._limit = min(self._most, self._limit + 1 / self._limit)
        if rest:
            self._not_before = max(self._not_before, time.monotonic() + rest)

    def pushed_back(self, wait: float | None) -> None:
        """The site asked for time. Answers that were under way together count once."""
        now = time.monotonic()
        if now - self._slowed_at > 0.5:
            self._limit = max(1.0, self._limit / 2)
            self._slowed_at = now
        self._not_before = max(self._not_before, now + (wait if wait is not None else 0.5))
