"""How long a site wants to be left alone, by the headers in which it tells how many requests it still takes."""

from __future__ import annotations

import re
import time
from collections.abc import Mapping

_REMAINING = ("RateLimit-Remaining", "X-RateLimit-Remaining", "X-Rate-Limit-Remaining")
_RESET = ("RateLimit-Reset", "X-RateLimit-Reset", "X-Rate-Limit-Reset")
_LONGEST = 600.0
_MOMENT = 1e9
_IN_THOUSANDTHS = 1e12


def asked_to_rest(headers: Mapping[str, str]) -> float | None:
    """The seconds until a site takes the next request; None where it takes it now, or does not say.

    Read are ``RateLimit`` as the IETF has drafted it, before and since 2024, and the headers of the ``X-`` kind, in
    which the end of the period is so many seconds away or a moment since 1970.
    """
    whole = headers.get("RateLimit")
    remaining = _number(whole, r"\b(?:remaining|r) *= *(\d+)") if whole else _first(headers, _REMAINING)
    if remaining is None or remaining > 0:
        return None
    ends = _number(whole, r"\b(?:reset|t) *= *(\d+)") if whole else _first(headers, _RESET)
    if ends is None:
        return None
    if ends >= _IN_THOUSANDTHS:
        ends /= 1000
    return min(max(0.0, ends - time.time() if ends >= _MOMENT else ends), _LONGEST)


def _first(headers: Mapping[str, str], names: tuple[str, ...]) -> float | None:
    # Every answer is asked, and nearly none has any of them.
    given = (headers[name] for name in names if name in headers)
    return next((found for text in given if (found := _number(text, r"^ *(\d+)")) is not None), None)


def _number(text: str, shape: str) -> float | None:
    found = re.search(shape, text, re.ASCII)
    # Longer ones are no counts.
    return float(found[1][:20]) if found else None
