"""A worker's turn at a run: what it has on its way is its own for as long as its lease lasts, and it asks a site for no
more at a time than its share of what all workers may."""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
import logging
import time
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager

from sqlalchemy import delete, func
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.settings import settings
from datorum.sites import SiteLimits
from datorum.sites.throttle import Throttle
from datorum.store import models
from datorum.store.database import session
from datorum.store.queries import QUERIES

log = logging.getLogger(__name__)
_TELLS_EVERY = 0.4
_POINT_EVERY = 1.0
_RENEWALS = 6
"""As often is a lease renewed in the time for which it lasts."""


class LeaseLost(DatorumError):
    """The database was out of reach for so long that others may have taken over what was on its way."""

    code = "lease-lost"


class TurnAt:
    """A turn under way. A request may begin while it would come to its end within the lease, however the renewals fare:
    who takes over can then be sure that nothing more arrives at the site."""

    def __init__(self, run_id: int, site_id: int, limits: SiteLimits, throttle: Throttle) -> None:
        self._lease = settings().stalled_after
        self._run_id = run_id
        self._site_id = site_id
        self._most = limits.concurrency
        self._throttle = throttle
        self._told_at, self._point_at, self._answered = 0.0, time.monotonic(), 0
        asked = time.monotonic()
        with session() as store:
            begun = store.scalar(QUERIES["begin_turn"], {"run": run_id, "site": site_id, "lease": self._lease})
            assert begun is not None
            self.id: int = begun
        self._may_begin_until = asked + self._lease - settings().write_seconds
        self.lost = False
        self.renew()

    def tell(self, times: Sequence[tuple[float, float]], answered: int) -> None:
        """Write how fast it goes, for all to see, by when requests were answered lately, how long each took, and how
        many were ``answered`` in all."""
        if len(times) < 2 or time.monotonic() - self._told_at < _TELLS_EVERY:
            return
        self._told_at = time.monotonic()
        rate = (len(times) - 1) / max(times[-1][0] - times[0][0], 0.05)
        took = 1000 * sum(took for _, took in times) / len(times)
        lately = [took for at, took in times if at > self._point_at]
        since = self._told_at - self._point_at
        with session() as store:
            store.execute(QUERIES["tell_turn"], {"turn": self.id, "rate": rate, "response_ms": took})
            if since > _POINT_EVERY:
                store.add(
                    models.RunPoint(
                        run_id=self._run_id, turn_id=self.id, at=dt.datetime.now(dt.UTC), seconds=since,
                        answered=answered - self._answered,
                        response_ms=1000 * sum(lately) / len(lately) if lately else 0.0,
                    )
                )  # fmt: skip
                self._point_at, self._answered = self._told_at, answered

    async def may_begin(self) -> None:
        """Wait until a request may begin. Raises LeaseLost where none may any more."""
        while time.monotonic() > self._may_begin_until:
            self.must_last()
            await asyncio.sleep(0.1)

    def must_last(self) -> None:
        """Raises LeaseLost where others may have by now what was this turn's."""
        if self.lost:
            raise LeaseLost("The database was out of reach for too long.", remedy="It goes on by itself.")

    def renew(self) -> None:
        """Go on for another lease, with the share that is free by now."""
        asked = time.monotonic()
        with session() as store:
            share = self._share(
                list(store.scalars(QUERIES["others_on_site"], {"turn": self.id, "site": self._site_id}))
            )
            told = {"turn": self.id, "lease": self._lease, "share": share}
            if store.scalar(QUERIES["renew_turn"], told) is None:
                self.lost = True
                return
        self._throttle.lend(share)
        self._may_begin_until = asked + self._lease - settings().write_seconds

    def _share(self, others: Sequence[int | None]) -> int:
        """How many requests of this turn may be under way, where others have their shares: a fair part, and no more
        than they leave."""
        if self._most is None:
            return settings().concurrency
        shares = [one for one in others if one is not None]
        return max(min(-(-self._most // (len(shares) + 1)), self._most - sum(shares)), 0)

    async def keep_up(self) -> None:
        """Renew the lease for as long as it lasts."""
        while not self.lost:
            await asyncio.sleep(self._lease / _RENEWALS)
            try:
                await asyncio.to_thread(self.renew)
            except DBAPIError:
                log.warning("the lease of a turn at run %s cannot be renewed just now", self._run_id)

    def end(self) -> None:
        """Leave what is still on its way to whoever comes next."""
        with contextlib.suppress(DBAPIError), session() as store:
            store.execute(QUERIES["end_turn"], {"turn": self.id})


@asynccontextmanager
async def turn_at(run_id: int, site_id: int, limits: SiteLimits, throttle: Throttle) -> AsyncIterator[TurnAt]:
    """A turn at a run for as long as the block lasts."""
    turn = await asyncio.to_thread(TurnAt, run_id, site_id, limits, throttle)
    keeping = asyncio.create_task(turn.keep_up())
    try:
        yield turn
    finally:
        keeping.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await keeping
        await asyncio.to_thread(turn.end)


def forget_turns(store: Session, run_id: int) -> None:
    """Let go of the turns at a run that are over, as those of workers that were killed."""
    over = models.Turn.lease_until < func.clock_timestamp()
    store.execute(delete(models.Turn).where(models.Turn.run_id == run_id, over))
