"""What to do when a site did not take a request: decided here for reading and for sending."""

from __future__ import annotations

import random
from dataclasses import dataclass

_LONGEST_ASKED = 600.0


@dataclass(frozen=True)
class Wait:
    """Try again after so many seconds."""

    seconds: float


@dataclass(frozen=True)
class GiveUp:
    """Try no more. ``why``, where the site itself said so."""

    why: str = ""


@dataclass(frozen=True)
class Retry:
    """How often something is tried, and how long at most is waited between: longer each time, by chance within that, so
    that not all come back at once (full jitter; M. Brooker, 2015)."""

    tries: int = 6
    longest: float = 8.0

    def after(self, tried: int, asked: float | None = None) -> Wait | GiveUp:
        """What to do after so many tries; ``asked``: the seconds that the site asked for (RFC 9110, 10.2.3)."""
        if asked is not None and asked > _LONGEST_ASKED:
            return GiveUp(f"It asks to be left alone for {asked / 60:,.0f} minutes.")
        if tried >= self.tries:
            return GiveUp()
        chance = random.uniform(0, min(self.longest, 0.1 * 2**tried))  # noqa: S311 (no secret)
        return Wait(max(asked or 0.0, chance))
