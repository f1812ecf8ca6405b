"""The name of a time zone."""

from __future__ import annotations

import zoneinfo
from typing import Annotated

from pydantic import AfterValidator, Field


def _known(zone: str) -> str:
    try:
        zoneinfo.ZoneInfo(zone or "UTC")
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        raise ValueError(f"there is no time zone “{zone}”; a name such as Europe/Oslo is meant") from None
    return zone


Zone = Annotated[str, Field(max_length=60), AfterValidator(_known)]
"""A name of the IANA's database of time zones; "" where none is named."""
