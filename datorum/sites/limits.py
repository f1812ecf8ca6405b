"""What a site is to be spared: how many requests at a time and in a minute, and hours in which runs leave it alone."""

from __future__ import annotations

import asyncio
import datetime as dt
import re
import threading
import time
from collections.abc import Callable
from functools import lru_cache
from typing import Annotated, Any
from zoneinfo import ZoneInfo, available_timezones

from pydantic import AfterValidator, BaseModel, Field, model_validator

_MINUTE = 60.0
_ZONE = re.compile(r"(Z|[+-]\d{2}:?\d{2}(:\d{2})?)$")
_LOT = 0.25
"""Seconds' worth of requests that a process takes at once, where it takes turns with others."""


@lru_cache
def _zones() -> frozenset[str]:
    return frozenset(available_timezones())


def _known(zone: str) -> str:
    if zone not in _zones():
        raise ValueError(f"“{zone}” is no time zone; give one such as Europe/Oslo")
    return zone


class QuietHours(BaseModel, frozen=True, extra="forbid"):
    """From one time of each day to another, over midnight where it ends before it begins."""

    begins: dt.time
    ends: dt.time

    @model_validator(mode="after")
    def _is_of_the_sites_clock(self) -> QuietHours:
        if self.begins.tzinfo or self.ends.tzinfo:
            raise ValueError("give times of day without a zone, such as 08:00; the zone is said beside them")
        return self

    @model_validator(mode="after")
    def _has_a_length(self) -> QuietHours:
        if self.begins == self.ends:
            raise ValueError("quiet hours end at another time than they begin")
        return self

    def hold(self, at: dt.time) -> bool:
        """Whether a time is within them."""
        if self.begins < self.ends:
            return self.begins <= at < self.ends
        return at >= self.begins or at < self.ends


class SiteLimits(BaseModel, frozen=True, extra="forbid"):
    """``concurrency``: the most requests under way at a time, ``per_minute`` the most that are begun in one; None where
    only the site's own answers decide. ``zone``: the time zone of the quiet hours. ``room``: how many records of a type
    the site takes in all, by its name."""

    concurrency: int | None = Field(None, ge=1, le=64)
    per_minute: int | None = Field(None, ge=1, le=100_000)
    quiet: tuple[QuietHours, ...] = Field((), max_length=8)
    room: dict[str, Annotated[int, Field(ge=0, le=10**12)]] = Field({}, max_length=500)
    zone: Annotated[str, AfterValidator(_known)] = "UTC"

    @classmethod
    def kept(cls, limits: Any) -> SiteLimits:
        """Limits as they are kept with a site. Quiet hours that were once taken with a zone are of the site's clock."""
        hours = limits.get("quiet") if isinstance(limits, dict) else None
        if hours:
            bare = [{name: _ZONE.sub("", str(time)) for name, time in one.items()} for one in hours]
            limits = {**limits, "quiet": [one for one in bare if one["begins"] != one["ends"]]}
        return cls.model_validate(limits)

    def quiet_until(self, now: dt.datetime) -> dt.datetime | None:
        """When the quiet hours are over that ``now`` is in; None outside of them. Hours that follow on one another are
        one; where all of the day is quiet, it is as if they were over a day later."""
        there = now.astimezone(ZoneInfo(self.zone))
        moment = there
        for _ in range(len(self.quiet) + 1):
            hours = next((one for one in self.quiet if one.hold(moment.time())), None)
            if hours is None:
                break
            over = dt.datetime.combine(moment.date(), hours.ends, moment.tzinfo)
            moment = over if over > moment else over + dt.timedelta(days=1)
        return moment if moment > there else None


NO_LIMITS = SiteLimits()


class Pace:
    """Lets requests begin no faster than a rate, whichever task of this process they are of. ``reserve`` takes turns
    with other processes: of so many requests, so many seconds apart, it says in how many seconds the first may
    begin."""

    def __init__(self, per_minute: int | None = None, reserve: Callable[[int, float], float] | None = None) -> None:
        self._between = _MINUTE / per_minute if per_minute else 0.0
        self._reserve = reserve
        self._lot = max(int(_LOT / self._between), 1) if self._between and reserve else 1
        self._left = 0
        self._next = 0.0
        self._lock = threading.Lock()

    async def turn(self) -> None:
        """Wait for a turn."""
        if not self._between:
            return
        begins = await asyncio.to_thread(self._begins) if self._reserve and not self._left else self._begins()
        await asyncio.sleep(begins - time.monotonic())

    def _begins(self) -> float:
        with self._lock:
            if self._reserve and not self._left:
                self._next = time.monotonic() + self._reserve(self._lot, self._between)
                self._left = self._lot
            self._left = max(self._left - 1, 0)
            begins = max(time.monotonic(), self._next)
            self._next = begins + self._between
        return begins


NO_PACE = Pace()
